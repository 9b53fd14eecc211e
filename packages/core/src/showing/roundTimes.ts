import type { Dates } from './dates';

const MINUTE = 60_000;
const DAY_MINUTES = 1440;
const YEAR_MS = 365 * DAY_MINUTES * MINUTE;
/** How far round times are apart: by the clock and in days, then by the calendar. */
const MINUTES = [1, 5, 15, 30, 60, 180, 360, 720, DAY_MINUTES, 2 * DAY_MINUTES, 7 * DAY_MINUTES];
const MONTHS = [1, 3, 12];
/** Clocks are put forward and back by less. */
const PUT_MS = 180 * MINUTE;

/** A round time (epoch ms), and what begins there. */
export interface RoundTime {
  at: number;
  begins: 'minute' | 'day' | 'month' | 'year';
}

/** Round times of a span (epoch ms) in a zone, at most about so many: hours by the clock, also on the day it is put forward or back. */
export function roundTimes(from: number, to: number, most: number, { dateOf, timeOf }: Dates): RoundTime[] {
  const room = Math.max(1, most);
  const fits = (ms: number): boolean => (to - from) / ms <= room;
  const minutes = MINUTES.find((one) => fits(one * MINUTE));
  const months =
    MONTHS.find((one) => fits((one * YEAR_MS) / 12)) ?? 12 * Math.ceil((to - from) / YEAR_MS / room);
  const first = dateOf(from);
  const [year, month, day] = [first.getFullYear(), first.getMonth(), first.getDate()];
  const timeAt = (k: number): number =>
    minutes === undefined
      ? timeOf(year, k * months, 1)
      : timeOf(year, month, day + Math.floor((k * minutes) / DAY_MINUTES), 0, (k * minutes) % DAY_MINUTES);
  const begins = (k: number): RoundTime['begins'] =>
    minutes === undefined
      ? months < 12
        ? 'month'
        : 'year'
      : (k * minutes) % DAY_MINUTES === 0
        ? 'day'
        : 'minute';
  const marks: RoundTime[] = [];
  const start = minutes === undefined ? 0 : Math.floor((from - PUT_MS - timeAt(0)) / (minutes * MINUTE));
  for (let k = Math.max(0, start); ; k++) {
    const at = timeAt(k);
    if (!(at <= to)) return marks;
    if (at >= from && at > (marks.at(-1)?.at ?? -Infinity)) marks.push({ at, begins: begins(k) });
  }
}
