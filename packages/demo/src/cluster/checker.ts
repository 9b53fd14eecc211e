/** One call that wanted a value of a control, as whoever made it saw it: times in ms of one clock that only runs on. */
export interface Wish {
  value: number;
  began: number;
  /** When its answer came; null where none came. */
  ended: number | null;
  /** Up to when it was meant. */
  until: number;
  /** taken: acknowledged; refused: said not to be done; unknown: nobody said. */
  outcome: 'taken' | 'refused' | 'unknown';
}

/** What is on record of a control: values in the order in which they were wanted, and when each was written down. */
export interface Recorded {
  value: number;
  at: number;
}

/** What a clock of a record may differ from the caller's, in ms. */
const CLOCKS_MS = 2500;

/**
 * Holds a record against the calls that led to it: everything acknowledged is there once, nothing that was refused or that nobody wanted;
 * nothing was done after its time; and no value stands after another that was wanted only once the first had been answered. Each value is
 * wanted once in the whole history. Gives what is wrong, in words.
 */
export function checkWishes(wishes: readonly Wish[], record: readonly Recorded[]): string[] {
  const problems: string[] = [];
  const places = new Map<number, number>();
  record.forEach(({ value }, i) => {
    if (places.has(value)) problems.push(`${value} was done TWICE.`);
    places.set(value, i);
  });
  const known = new Map(wishes.map((one) => [one.value, one]));
  for (const { value, at } of record) {
    const wish = known.get(value);
    if (wish === undefined) problems.push(`${value} was done, and NOBODY wanted it.`);
    else if (wish.outcome === 'refused') problems.push(`${value} was done, and said to be REFUSED.`);
    else if (at > wish.until + CLOCKS_MS)
      problems.push(`${value} was done ${Math.round(at - wish.until)} ms TOO LATE.`);
  }
  for (const { value, outcome } of wishes)
    if (outcome === 'taken' && !places.has(value)) problems.push(`${value} was acknowledged, and is LOST.`);
  // In the order of the record: the latest beginning so far must not lie behind the answer of one that follows; and whatever overlaps,
  // nothing that was held up on its way stands after what was wanted well after it.
  let latest: Wish | null = null;
  for (const { value } of record) {
    const wish = known.get(value);
    if (wish === undefined) continue;
    const isLate = latest !== null && latest.began - wish.began > CLOCKS_MS;
    if (latest !== null && (isLate || (wish.ended !== null && wish.ended < latest.began)))
      problems.push(
        `${value} took the place of ${latest.value}, which was wanted LATER (${latest.began - wish.began} ms; its answer: ${wish.outcome}).`,
      );
    if (latest === null || wish.began > latest.began) latest = wish;
  }
  return problems;
}

/** Numbers from 0 up to 1 that a seed determines, so that a run can be made again. */
export function seeded(seed: number): () => number {
  let state = seed >>> 0;
  // A linear congruential generator (Numerical Recipes, §7.1).
  return () => (state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0) / 2 ** 32;
}

/** The same list in another order. */
export function shuffled<T>(list: readonly T[], random: () => number): T[] {
  const all = [...list];
  for (let i = all.length - 1; i > 0; i--) {
    const j = Math.floor(random() * (i + 1));
    [all[i], all[j]] = [all[j]!, all[i]!];
  }
  return all;
}
