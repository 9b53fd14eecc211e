import { dates, isSameDay } from '../parts/time';
import { serviceNow } from '../live/clock';
/** What charts show: the last so much time, or a period that stands still. */
export interface Period {
  /** One of those of the strip, or `from-to` in epoch ms. */
  key: string;
  title: string;
  ms: number;
  /** Its end, epoch ms; null while it goes on with the time. */
  until: number | null;
}

const MINUTE = 60_000;
const DAY = 86_400_000;
/** The key of all that there is: what lies before the oldest reading is left out. */
export const EVERYTHING = 'all';

const going = (key: string, title: string, ms: number): Period => ({ key, title, ms, until: null });

/** The periods of the time strip. */
export const PERIODS = [
  going('5min', '5 min', 5 * MINUTE),
  going('1h', '1 h', 60 * MINUTE),
  going('24h', '24 h', DAY),
  going('7d', '7 d', 7 * DAY),
  going('30d', '30 d', 30 * DAY),
  going('1y', '1 y', 365 * DAY),
] as const;
/** Those behind "more". */
export const MORE_PERIODS = [
  going('1min', '1 min', MINUTE),
  going('15min', '15 min', 15 * MINUTE),
  going('6h', '6 h', 360 * MINUTE),
  going('90d', '90 d', 90 * DAY),
  going(EVERYTHING, 'all there is', 3650 * DAY),
] as const;

export const FIRST_PERIOD: Period = PERIODS[1];
export const DAY_PERIOD: Period = PERIODS[2];
export const WEEK_PERIOD: Period = PERIODS[3];

/** A period that stands still, at least a second long and at most what is kept of readings. */
export function fixedPeriod(from: number, to: number, title = ''): Period {
  const ms = Math.min(3660 * DAY, Math.max(1000, Math.round(to - from)));
  const until = Math.round(to);
  return { key: `${until - ms}-${until}`, title: title || spanWords(until - ms, until), ms, until };
}

/** The period of a key as an address says it; null for none. */
export function periodOf(key: string): Period | null {
  const known = [...PERIODS, ...MORE_PERIODS].find((one) => one.key === key);
  if (known !== undefined) return known;
  const [, from, to] = /^(\d{1,16})-(\d{1,16})$/.exec(key) ?? [];
  return from === undefined || !(Number(to) > Number(from)) || Number(to) > 8.64e15
    ? null
    : fixedPeriod(Number(from), Number(to));
}

/** Start and end of a period as it is now, epoch ms. */
export function boundsOf({ ms, until }: Period, now: number): { from: number; to: number } {
  const to = until ?? now;
  return { from: to - ms, to };
}

/** Steps of the calendar that can be looked at whole, by the clock of whoever looks. */
export function calendarPeriods(now: number): Period[] {
  const { dateOf, timeOf } = dates();
  const today = dateOf(now);
  const start = (days: number): number =>
    timeOf(today.getFullYear(), today.getMonth(), today.getDate() + days);
  const weekday = (today.getDay() + 6) % 7;
  const month = (by: number): number => timeOf(today.getFullYear(), today.getMonth() + by, 1);
  return [
    fixedPeriod(start(0), start(1), 'today'),
    fixedPeriod(start(-1), start(0), 'yesterday'),
    fixedPeriod(start(-weekday), start(7 - weekday), 'this week'),
    fixedPeriod(start(-weekday - 7), start(-weekday), 'last week'),
    fixedPeriod(month(0), month(1), 'this month'),
    fixedPeriod(month(-1), month(0), 'last month'),
  ];
}

/** "3 Nov 14:00 to 15:30", "3 Nov to 10 Nov". */
export function spanWords(from: number, to: number): string {
  const shown = dates();
  const yearOf = (at: number): number => shown.dateOf(at).getFullYear();
  const day = (at: number): string => (yearOf(at) === yearOf(serviceNow()) ? shown.day(at) : shown.date(at));
  const clock = to - from < 600_000 ? shown.seconds : shown.clock;
  if (to - from > 3 * DAY) return `${day(from)} to ${day(to)}`;
  return isSameDay(from, to)
    ? `${day(from)} ${clock(from)} to ${clock(to)}`
    : `${day(from)} ${clock(from)} to ${day(to)} ${clock(to)}`;
}

/** The period that goes on which is nearest in length. */
export function goingLike(ms: number): Period {
  const all: readonly Period[] = [...PERIODS, ...MORE_PERIODS];
  return all.reduce((best, one) =>
    Math.abs(Math.log(one.ms / ms)) < Math.abs(Math.log(best.ms / ms)) ? one : best,
  );
}
