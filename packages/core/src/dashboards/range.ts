/** A scale that holds the values seen, with a little room, on round bounds: 3.2 … 17.9 gives 2 … 20. */
export function fitRange(low: number, high: number): { min: number; max: number } {
  if (!(high - low > 1e-9 * Math.max(1, Math.abs(low), Math.abs(high)))) {
    const margin = Math.max(1, Math.abs(low) * 0.1, high - low);
    return fitRange(low - margin, low + margin);
  }
  const rough = (high - low) / 8;
  const power = 10 ** Math.floor(Math.log10(rough));
  const tick = ([1, 2, 5, 10].find((factor) => factor * power >= rough) ?? 10) * power;
  const tidy = (value: number): number => Number(value.toPrecision(12)) + 0;
  return { min: tidy(Math.floor(low / tick) * tick), max: tidy(Math.ceil(high / tick) * tick) };
}

/** Round graduation marks within a range, about `about` of them. */
export function graduations(min: number, max: number, about: number): number[] {
  if (!(max > min) || about < 1) return [];
  const rough = (max - min) / about;
  const power = 10 ** Math.floor(Math.log10(rough));
  const tick = ([1, 2, 5, 10].find((factor) => factor * power >= rough * 0.999) ?? 10) * power;
  const marks: number[] = [];
  for (let index = Math.ceil(min / tick - 1e-9); index * tick <= max + tick * 1e-9; index++)
    marks.push(Number((index * tick).toPrecision(12)) + 0);
  return marks;
}
