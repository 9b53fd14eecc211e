/** A length of time as people say it: "2 min", "1 h 30 min", "at once" for none. */
export function showDuration(ms: number): string {
  if (ms <= 0) return 'at once';
  const seconds = Math.round(ms / 1000);
  const parts: string[] = [];
  const sizes: [number, string][] = [
    [86_400, 'd'],
    [3600, 'h'],
    [60, 'min'],
    [1, 's'],
  ];
  let rest = seconds;
  for (const [size, name] of sizes) {
    const count = Math.floor(rest / size);
    if (count > 0 && parts.length < 2) parts.push(`${count} ${name}`);
    rest -= count * size;
  }
  return parts.join(' ') || `${ms} ms`;
}
