import { calendarPeriods, spanWords } from '../src/charts/period';
import { fromLocal, toLocal } from '../src/parts/localTime';
import { chooseDates, dates, isSameDay, showClock } from '../src/parts/time';

const at = Date.UTC(2026, 10, 28, 16, 30, 15);
const HOUR = 3_600_000;

afterAll(() => chooseDates('en-GB', ''));

it('fields of time, periods of the calendar and clocks go by the zone that was chosen', () => {
  chooseDates('en-GB', 'Asia/Tokyo');
  expect(toLocal(at)).toBe('2026-11-29T01:30:15');
  expect(fromLocal('2026-11-29T01:30:15')).toBe(at);
  expect(fromLocal('2026-11-29 01:30')).toBe(at - 15_000);
  expect(fromLocal('2026-11-29')).toBe(Date.UTC(2026, 10, 28, 15));
  // One that names its zone goes by that; what is no time is none.
  expect(fromLocal('2026-11-28T16:30:15Z')).toBe(at);
  for (const text of ['', 'tomorrow', '2026-99-99x']) expect(fromLocal(text)).toBeNull();
  const [today, yesterday, week] = calendarPeriods(at);
  expect([today!.until! - today!.ms, today!.until]).toEqual([
    Date.UTC(2026, 10, 28, 15),
    Date.UTC(2026, 10, 29, 15),
  ]);
  expect(yesterday!.until).toBe(today!.until! - 24 * HOUR);
  // The 29th is a Sunday there: its week began on Monday the 23rd.
  expect(toLocal(week!.until! - week!.ms)).toBe('2026-11-23T00:00:00');
  expect(showClock(at, at + HOUR)).toBe('01:30');
  expect(showClock(at - 2 * HOUR, at)).toBe('28 Nov 23:30');
  chooseDates('en-GB', 'America/New_York');
  expect(showClock(at - 2 * HOUR, at)).toBe('09:30');
  expect(isSameDay(at, at + 13 * HOUR)).toBe(false);
});

it('periods are told in the language that was chosen', () => {
  chooseDates('en-US', 'UTC');
  const plain = (text: string): string => text.replace(/\u202f/g, ' ');
  expect(plain(spanWords(at, at + HOUR))).toMatch(/^Nov 28.* 4:30 PM to 5:30 PM$/);
  chooseDates('iso', 'UTC');
  expect(spanWords(at, at + 4 * 24 * HOUR)).toMatch(/11-28 to (2026-)?12-02$/);
  expect(dates().zone).toBe('UTC');
});
