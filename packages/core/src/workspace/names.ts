/**
 * Gives each thing a name that no other of the list has: its title, and where several have the same one a number behind it, in
 * the order of the list.
 */
export function namesOf(titles: readonly string[]): string[] {
  const taken = new Set<string>();
  return titles.map((title) => {
    let name = title;
    for (let n = 2; taken.has(name); n++) name = `${title} (${n})`;
    taken.add(name);
    return name;
  });
}

/** The known word that is nearest to one; undefined where none is near. */
export function nearestWord(word: string, known: readonly string[]): string | undefined {
  let best: string | undefined;
  let least = Math.max(2, Math.floor(word.length / 3)) + 1;
  for (const one of known) {
    const far = distance(word.toLowerCase(), one.toLowerCase(), least);
    if (far < least) [best, least] = [one, far];
  }
  return best;
}

/** How many letters have to be changed to make one word of another (Levenshtein 1966); `most` where it is that or more. */
function distance(a: string, b: string, most: number): number {
  if (Math.abs(a.length - b.length) >= most) return most;
  let before = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++)
      row.push(Math.min(before[j]! + 1, row[j - 1]! + 1, before[j - 1]! + (a[i - 1] === b[j - 1] ? 0 : 1)));
    before = row;
  }
  return before[b.length]!;
}
