import { firstAtOrAfter } from './series';

/**
 * Times of readings that are brought back, as they are stored: an export shows whole milliseconds, and readings without a time of their
 * own lie between them. The k-th of some that show the same millisecond means the k-th that is stored within it; what is not stored keeps
 * its time. `times`: in any order, epoch ms. `stored`: ascending.
 */
export function asStored(times: readonly number[], stored: readonly number[]): number[] {
  const seen = new Map<number, number>();
  return times.map((time) => {
    if (!Number.isInteger(time)) return time;
    const nth = seen.get(time) ?? 0;
    seen.set(time, nth + 1);
    const found = stored[firstAtOrAfter(stored, time) + nth];
    return found !== undefined && found < time + 1 ? found : time;
  });
}
