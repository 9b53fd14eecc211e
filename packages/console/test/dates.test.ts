import { calendarPeriods, spanWords } from '../src/charts/period';
import { fromLocal, toLocal } from '../src/parts/localTime';
import { roundTimes } from '../src/parts/roundTimes';
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

it('round times of a span are by the clock of whoever looks, also on the day it is put back', () => {
  const words = (from: number, to: number, most: number): string[] =>
    roundTimes(from, to, most).map((one) => one.words);
  chooseDates('en-GB', 'Europe/London');
  expect(words(at, at + 2 * HOUR, 6)).toEqual(['17:00', '17:30', '18:00', '18:30']);
  expect(words(at - 20 * HOUR, at, 4)).toEqual(['28 Nov', '06:00', '12:00']);
  expect(words(at - 7 * 24 * HOUR, at, 8)).toEqual([22, 23, 24, 25, 26, 27, 28].map((day) => `${day} Nov`));
  // Asia/Kathmandu is five hours and three quarters ahead.
  chooseDates('en-GB', 'Asia/Kathmandu');
  expect(words(at, at + 2 * HOUR, 3)).toEqual(['23:00', '29 Nov']);
  chooseDates('en-GB', 'Europe/London');
  // 25 October 2026 has 25 hours there.
  const back = Date.UTC(2026, 9, 24, 23);
  const marks = roundTimes(back, back + 25 * HOUR, 4);
  expect(marks.map((one) => one.words)).toEqual(['25 Oct', '12:00', '26 Oct']);
  expect(marks.map((one) => (one.at - back) / HOUR)).toEqual([0, 13, 25]);
  // However long or short a span is, they are few.
  for (const span of [1, 1000, 60_000, 365 * 24 * HOUR, 3660 * 24 * HOUR, 200 * 365 * 24 * HOUR])
    expect(roundTimes(at, at + span, 6).length).toBeLessThanOrEqual(7);
});
