import { datesIn, type Dates, type Language } from '@peatmoor/core';

let current = datesIn();

/** Dates and numbers as whoever looks at this page has chosen them: asked each time, as the choice may change. */
export const dates = (): Dates => current;

/** Takes over what whoever looks has chosen; in an empty zone is the one of this browser. */
export function chooseDates(language: Language, zone: string): void {
  if (language !== chosen.language || zone !== chosen.zone) current = datesIn(language, zone);
  chosen = { language, zone };
}
let chosen: { language: Language; zone: string } = { language: current.language, zone: '' };

/** Time of day; with the date when it is not today. */
export function showClock(at: number, now: number): string {
  const clock = dates().clock(at);
  return isSameDay(at, now) ? clock : `${dates().day(at)} ${clock}`;
}

/** True where both times are of one day of the calendar. */
export function isSameDay(one: number, other: number): boolean {
  if (Math.abs(one - other) > 90_000_000) return false;
  return dates().dateOf(one).toDateString() === dates().dateOf(other).toDateString();
}

/** Time of day with seconds. */
export function showSeconds(at: number): string {
  return dates().seconds(at);
}

/** How long ago, in the largest whole unit. */
export function showAgo(at: number, now: number): string {
  const seconds = Math.max(0, Math.round((now - at) / 1000));
  if (seconds < 60) return `${seconds} s ago`;
  if (seconds < 3600) return `${Math.floor(seconds / 60)} min ago`;
  if (seconds < 86_400) return `${Math.floor(seconds / 3600)} h ago`;
  return `${Math.floor(seconds / 86_400)} d ago`;
}
