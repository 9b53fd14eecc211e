import { mean, sum } from 'd3-array';

/** What was free on a disk at a time: epoch ms, bytes. */
export interface DiskSample {
  at: number;
  free: number;
}

const DAY_MS = 86_400_000;
/** Of less time than this nothing is said: one export, or one clearing, would be taken for how it goes on. */
const LEAST_MS = DAY_MS;
/** What is further away than this is as good as never. */
const LONGEST_MS = 3650 * DAY_MS;

/** When a disk will be full if it goes on as it went, epoch ms; null where it does not fill, or nobody can say yet. */
export function fullAt(samples: readonly DiskSample[]): number | null {
  const last = samples.at(-1);
  if (last === undefined || last.at - samples[0]!.at < LEAST_MS) return null;
  // The line through all of them (least squares): a day's ups and downs say little.
  const days = samples.map(({ at }) => (at - last.at) / DAY_MS);
  const [day, free] = [mean(days)!, mean(samples, (one) => one.free)!];
  const perDay =
    sum(samples, (one, i) => (days[i]! - day) * (one.free - free)) / sum(days, (one) => (one - day) ** 2);
  if (!(perDay < 0)) return null;
  const ms = (Math.max(0, last.free) / -perDay) * DAY_MS;
  return ms > LONGEST_MS ? null : last.at + ms;
}

/** good; `soon`: full within a month, or little is left; `low`: hardly anything is left; `full`: nothing more is taken. */
export type DiskState = 'good' | 'soon' | 'low' | 'full';

const MIB = 2 ** 20;
const GIB = 2 ** 30;
const SOON_MS = 30 * DAY_MS;

/** How a disk stands. The bounds are shares of it, and on a large one no more than so much. */
export function diskState(free: number, total: number, full: number | null, now: number): DiskState {
  if (free < Math.min(64 * MIB, total * 0.03)) return 'full';
  if (free < Math.min(512 * MIB, total * 0.06)) return 'low';
  if (free < Math.min(2 * GIB, total * 0.1) || (full !== null && full - now < SOON_MS)) return 'soon';
  return 'good';
}
