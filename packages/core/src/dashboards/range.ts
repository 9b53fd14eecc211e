import { nice, ticks } from 'd3-array';

/** A scale that holds the values seen, with a little room, on round bounds: 3.2 … 17.9 gives 2 … 18. */
export function fitRange(low: number, high: number): { min: number; max: number } {
  if (!(high - low > 1e-9 * Math.max(1, Math.abs(low), Math.abs(high)))) {
    const margin = Math.max(1, Math.abs(low) * 0.1, high - low);
    return fitRange(low - margin, low + margin);
  }
  const [min, max] = nice(low, high, 8);
  return { min: min + 0, max: max + 0 };
}

/** Round graduation marks within a range, about `about` of them. */
export function graduations(min: number, max: number, about: number): number[] {
  return max > min && about >= 1 ? ticks(min, max, about) : [];
}
