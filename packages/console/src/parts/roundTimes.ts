import { dates } from './time';

const DAY_MINUTES = 1440;
/** How far round times are apart, in minutes: those that clocks and calendars are read by. */
const STEPS = [
  1,
  5,
  15,
  30,
  60,
  180,
  360,
  720,
  ...[1, 2, 7, 14, 28, 91, 182, 365].map((d) => d * DAY_MINUTES),
];

/** A round time with its words: the day where one begins, else the time of day. */
export interface RoundTime {
  at: number;
  words: string;
}

/** Round times by the clock of whoever looks in a span (epoch ms), at most about so many. */
export function roundTimes(from: number, to: number, most: number): RoundTime[] {
  const step =
    STEPS.find((minutes) => (to - from) / (minutes * 60_000) <= Math.max(1, most)) ??
    STEPS.at(-1)! * Math.ceil((to - from) / (STEPS.at(-1)! * 60_000) / Math.max(1, most));
  const { dateOf, timeOf, day, clock } = dates();
  const first = dateOf(from);
  const marks: RoundTime[] = [];
  // By the clock, also on a day on which it is put forward or back: that day has an hour more, or fewer.
  for (let k = 0; ; k++) {
    const minutes = k * step;
    const days = first.getDate() + Math.floor(minutes / DAY_MINUTES);
    const at = timeOf(first.getFullYear(), first.getMonth(), days, 0, minutes % DAY_MINUTES);
    if (!(at <= to)) return marks;
    if (at < from || at <= (marks.at(-1)?.at ?? -Infinity)) continue;
    marks.push({ at, words: minutes % DAY_MINUTES === 0 ? day(at) : clock(at) });
  }
}
