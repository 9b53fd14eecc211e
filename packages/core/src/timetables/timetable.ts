import { DateTime } from 'luxon';
import { sunTimes, type SunPlace } from './sun';

/** What a time of a timetable is counted from. */
export const TIME_BASES = ['clock', 'sunrise', 'sunset'] as const;
export type TimeBase = (typeof TIME_BASES)[number];

/** A time at which a value is wanted, on some days of the week. */
export interface SetTime {
  /** Days of the week, 1 Monday to 7 Sunday. */
  days: number[];
  base: TimeBase;
  /** Minutes after midnight by the clock, or after (before, where negative) sunrise or sunset. */
  minutes: number;
  /** The wanted value, as people write it. */
  value: string;
}

/** Where and by which clock a timetable runs. */
export interface TimetablePlace {
  zone: string;
  sun: SunPlace | null;
}

/** One of its times on one day. */
export interface Due {
  at: number;
  /** Number of the set time. */
  index: number;
}

/** How far ahead is looked: longer than the sun is ever below or above the horizon. */
const LOOK_DAYS = 370;
/** By the clock every set time comes round in a week. */
const CLOCK_DAYS = 9;

/** When the set times fall on the day of a date. The sun is asked once a day, however many of them go by it. */
function onDay(times: readonly SetTime[], day: DateTime, sun: SunPlace | null): Due[] {
  const due: Due[] = [];
  let sunOfDay: ReturnType<typeof sunTimes> | null = null;
  for (const [index, { days, base, minutes }] of times.entries()) {
    if (!days.includes(day.weekday)) continue;
    if (base === 'clock') {
      // Where a clock is set forward past it, the first time after it.
      const at = day.set({ hour: Math.floor(minutes / 60), minute: minutes % 60 }).toMillis();
      due.push({ at, index });
      continue;
    }
    if (sun === null) continue;
    sunOfDay ??= sunTimes(day.plus({ hours: 12 }).toMillis(), sun);
    const at = sunOfDay[base];
    if (at === null) {
      // Neither rises nor sets: nothing else goes by it on this day either.
      if (sunOfDay.sunrise === null && sunOfDay.sunset === null) sun = null;
      continue;
    }
    due.push({ at: at + minutes * 60_000, index });
  }
  return due;
}

/** The next time after `after` (epoch ms) at which something is due; null for none within a year. */
export function nextDue(times: readonly SetTime[], after: number, { zone, sun }: TimetablePlace): Due | null {
  const first = DateTime.fromMillis(after, { zone }).startOf('day').minus({ days: 1 });
  const bySun = sun !== null && times.some(({ base }) => base !== 'clock');
  let best: Due | null = null;
  for (let n = 0; n < (bySun ? LOOK_DAYS : CLOCK_DAYS); n++) {
    const isFound: boolean = best !== null;
    for (const due of onDay(times, first.plus({ days: n }), sun))
      if (due.at > after && (best === null || due.at < best.at)) best = due;
    // Near midnight a time before sunrise of the next day may be sooner: one day more is looked at.
    if (isFound) break;
  }
  return best;
}

/** Days over which lastDue looks back. */
const BACK_DAYS = 10;

/** The newest time in (`from`, `to`], at most nine days before `to`, at which something was due; null for none. */
export function lastDue(
  times: readonly SetTime[],
  from: number,
  to: number,
  { zone, sun }: TimetablePlace,
): Due | null {
  const last = DateTime.fromMillis(to, { zone }).startOf('day').plus({ days: 1 });
  let best: Due | null = null;
  for (let n = 0; n < BACK_DAYS + 1; n++)
    for (const due of onDay(times, last.minus({ days: n }), sun))
      if (due.at > from && due.at <= to && (best === null || due.at > best.at)) best = due;
  return best;
}

const DAY_NAMES = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];

/** "every day", "Mon to Fri", "Sat, Sun". */
export function daysWords(days: readonly number[]): string {
  const sorted = [...new Set(days)].sort((a, b) => a - b);
  if (sorted.length === 7) return 'every day';
  const isRow = sorted.length > 2 && sorted.at(-1)! - sorted[0]! === sorted.length - 1;
  return isRow
    ? `${DAY_NAMES[sorted[0]! - 1]} to ${DAY_NAMES[sorted.at(-1)! - 1]}`
    : sorted.map((day) => DAY_NAMES[day - 1]).join(', ');
}

/** "06:30", "20 min before sunset". */
export function timeWords({ base, minutes }: Pick<SetTime, 'base' | 'minutes'>): string {
  if (base === 'clock')
    return `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;
  return minutes === 0
    ? `at ${base}`
    : `${Math.abs(minutes)} min ${minutes < 0 ? 'before' : 'after'} ${base}`;
}

/** A set time in words: "06:30 Mon to Fri: on". */
export function setTimeWords(time: SetTime): string {
  return `${timeWords(time)} ${daysWords(time.days)}: ${time.value}`;
}

/** A set time as it is written on a command line: `06:30=on`, `mon-fri 06:30=on`, `sat,sun sunset-20=off`; null where it is none. */
export function readSetTime(text: string): SetTime | null {
  const found = /^(?:([a-z,-]+)\s+)?(?:(\d{1,2}):(\d{2})|(sunrise|sunset)([+-]\d{1,3})?)\s*=\s*(.+)$/i.exec(
    text.trim(),
  );
  if (found === null) return null;
  const [, names, hour, minute, base, offset, value] = found;
  const days = names === undefined || /^daily$/i.test(names) ? [1, 2, 3, 4, 5, 6, 7] : readDays(names);
  if (days === null) return null;
  if (base !== undefined)
    return { days, base: base.toLowerCase() as TimeBase, minutes: Number(offset ?? 0), value: value!.trim() };
  const minutes = Number(hour) * 60 + Number(minute);
  return Number(hour) < 24 && Number(minute) < 60
    ? { days, base: 'clock', minutes, value: value!.trim() }
    : null;
}

function readDays(text: string): number[] | null {
  const days: number[] = [];
  for (const part of text.toLowerCase().split(',')) {
    const [from, to] = part
      .split('-')
      .map((name) => DAY_NAMES.findIndex((day) => day.toLowerCase() === name.slice(0, 3)) + 1);
    if (!from || to === 0) return null;
    for (let day = from; ; day = (day % 7) + 1) {
      days.push(day);
      if (day === (to ?? from)) break;
    }
  }
  return [...new Set(days)].sort((a, b) => a - b);
}
