import { DateTime } from 'luxon';
import { daysWords, timeWords } from '../timetables/timetable';

/** When a rule may open events: on some days, from one minute of the day to another; over midnight where `to` is not after `from`. */
export interface ActiveHours {
  /** Days of the week on which it begins, 1 Monday to 7 Sunday. */
  days: number[];
  /** Minutes after midnight by the clock of the workspace. */
  from: number;
  to: number;
}

/** A time in which a rule is active, or at rest, epoch ms. */
export interface Spell {
  active: boolean;
  from: number;
  to: number;
}

const minuteOf = (day: DateTime, minutes: number): number =>
  (minutes >= 1440
    ? day.plus({ days: 1 }).startOf('day')
    : day.set({ hour: Math.floor(minutes / 60), minute: minutes % 60 })
  ).toMillis();

/** The spell that a time is in: the same answer holds until `to`. Clocks set forward or back move with the zone. */
export function spellAt({ days, from, to }: ActiveHours, zone: string, at: number): Spell {
  const today = DateTime.fromMillis(at, { zone }).startOf('day');
  let before = -Infinity;
  let next = Infinity;
  for (let n = -2; n <= 8; n++) {
    const day = today.plus({ days: n });
    if (!days.includes(day.weekday)) continue;
    const begins = minuteOf(day, from);
    const ends = minuteOf(to > from ? day : day.plus({ days: 1 }), to);
    if (begins <= at && at < ends) return { active: true, from: begins, to: ends };
    if (ends <= at) before = Math.max(before, ends);
    if (begins > at) next = Math.min(next, begins);
  }
  return { active: false, from: before, to: next };
}

/** Remembers the spell that was asked for last: readings come in order of time. */
export function createSpells(hours: ActiveHours, zone: string): (at: number) => Spell {
  let spell: Spell | null = null;
  return (at) =>
    spell !== null && spell.from <= at && at < spell.to ? spell : (spell = spellAt(hours, zone, at));
}

const clock = (minutes: number): string => timeWords({ base: 'clock', minutes: minutes % 1440 });

/** "Mon to Fri from 22:00 to 06:00" */
export function hoursWords({ days, from, to }: ActiveHours): string {
  return `${daysWords(days)} from ${clock(from)} to ${clock(to)}`;
}
