import fc from 'fast-check';
import { DateTime } from 'luxon';
import {
  daysWords,
  lastDue,
  nextDue,
  nightsOf,
  readSetTime,
  setTimeWords,
  sunTimes,
  type SetTime,
} from '@peatmoor/core';

const zone = 'Europe/Dublin';
const at = (text: string): number => DateTime.fromISO(text, { zone }).toMillis();
const shown = (ms: number | undefined): string | undefined =>
  ms === undefined ? undefined : DateTime.fromMillis(ms, { zone }).toFormat('ccc yyyy-MM-dd HH:mm');
const clock = (days: number[], minutes: number, value = 'on'): SetTime => ({
  days,
  base: 'clock',
  minutes,
  value,
});
const place = { zone, sun: null };

it.each([
  ['later the same day', [clock([1, 2, 3, 4, 5, 6, 7], 450)], '2026-11-26T06:00', 'Thu 2026-11-26 07:30'],
  ['exactly then is over', [clock([1, 2, 3, 4, 5, 6, 7], 450)], '2026-11-26T07:30', 'Fri 2026-11-27 07:30'],
  ['the next of its days', [clock([6, 7], 0)], '2026-11-26T06:00', 'Sat 2026-11-28 00:00'],
  ['the soonest of several', [clock([4], 1200), clock([4], 600)], '2026-11-26T06:00', 'Thu 2026-11-26 10:00'],
  ['once where the clock is set back over it', [clock([7], 90)], '2026-10-25T00:30', 'Sun 2026-10-25 01:30'],
  ['after the hour that is left out', [clock([7], 90)], '2026-03-29T00:30', 'Sun 2026-03-29 02:30'],
])('the next set time: %s', (_name, times, after, expected) => {
  expect(shown(nextDue(times, at(after), place)?.at)).toBe(expected);
});

it('every time follows the one before, and the last due is the newest of them', () => {
  const time = fc.record({
    days: fc.uniqueArray(fc.integer({ min: 1, max: 7 }), { minLength: 1 }),
    base: fc.constantFrom('clock' as const, 'sunrise' as const, 'sunset' as const),
    minutes: fc.integer({ min: 0, max: 1439 }),
    value: fc.constant('on'),
  });
  fc.assert(
    fc.property(
      fc.array(time, { minLength: 1, maxLength: 4 }),
      fc.integer({ min: 0, max: 300 }),
      (times, day) => {
        const start = at('2026-01-01T12:00') + day * 86_400_000;
        const where = { zone, sun: { lat: 53, lon: -8 } };
        let after = start;
        for (let n = 0; n < 5; n++) {
          const next = nextDue(times, after, where)!;
          expect(next.at).toBeGreaterThan(after);
          expect(nextDue(times, next.at - 1, where)).toEqual(next);
          after = next.at;
        }
        expect(lastDue(times, start, after, where)?.at).toBe(after);
        expect(lastDue(times, start, start, where)).toBeNull();
      },
    ),
    { numRuns: 60 },
  );
});

it('the sun rises and sets on the day of the place, wherever it is; in a polar night not at all', () => {
  // Worked out by hand from an almanac: Dublin at the equinox, within ten minutes.
  const dublin = sunTimes(at('2026-03-20T12:00'), { lat: 53.35, lon: -6.26 });
  expect(Math.abs(dublin.sunrise! - at('2026-03-20T06:28'))).toBeLessThan(600_000);
  expect(Math.abs(dublin.sunset! - at('2026-03-20T18:38'))).toBeLessThan(600_000);
  for (const lon of [-179, -90, 0, 90, 179])
    for (let hour = 0; hour < 24; hour++) {
      const now = Date.UTC(2026, 5, 10, hour);
      const { sunrise, sunset } = sunTimes(now, { lat: 10, lon });
      expect(sunset! - sunrise!).toBeGreaterThan(11 * 3_600_000);
      expect(Math.abs((sunrise! + sunset!) / 2 - now)).toBeLessThanOrEqual(12.6 * 3_600_000);
    }
  expect(sunTimes(Date.UTC(2026, 11, 21, 12), { lat: 78, lon: 15 })).toEqual({ sunrise: null, sunset: null });
  expect(nextDue([{ days: [1], base: 'sunset', minutes: 0, value: 'on' }], 0, place)).toBeNull();
});

it('nights of a period are clipped to it, in order, and left out over very long ones', () => {
  const where = { lat: 53.35, lon: -6.26 };
  const nights = nightsOf(at('2026-06-01T00:00'), at('2026-06-04T00:00'), where);
  expect(nights).toHaveLength(4);
  expect(nights[0]![0]).toBe(at('2026-06-01T00:00'));
  expect(nights.every(([from, to], i) => to > from && (i === 0 || from > nights[i - 1]![1]))).toBe(true);
  expect(nightsOf(0, 1e12, where)).toEqual([]);
});

it.each([
  ['06:30=on', { days: [1, 2, 3, 4, 5, 6, 7], base: 'clock', minutes: 390, value: 'on' }],
  ['mon-fri 22:05 = 40', { days: [1, 2, 3, 4, 5], base: 'clock', minutes: 1325, value: '40' }],
  ['sat,sun sunset-20=half open', { days: [6, 7], base: 'sunset', minutes: -20, value: 'half open' }],
  ['fri-mon sunrise=off', { days: [1, 5, 6, 7], base: 'sunrise', minutes: 0, value: 'off' }],
  ['25:00=on', null],
  ['06:61=on', null],
  ['someday 06:00=on', null],
  ['06:30', null],
])('reads %s', (text, expected) => {
  expect(readSetTime(text)).toEqual(expected);
});

it('says a set time in words', () => {
  expect(setTimeWords(clock([1, 2, 3, 4, 5], 390))).toBe('06:30 Mon to Fri: on');
  expect(setTimeWords({ days: [6, 7], base: 'sunset', minutes: -20, value: 'off' })).toBe(
    '20 min before sunset Sat, Sun: off',
  );
  expect(daysWords([7, 1, 2, 3, 4, 5, 6])).toBe('every day');
});

it('is found after half a year of night, and among fifty set times', () => {
  const every = [1, 2, 3, 4, 5, 6, 7];
  const sets = (base: SetTime['base']): SetTime[] =>
    Array.from({ length: 50 }, (_, i) => ({ days: every, base, minutes: i * 14, value: 'on' }));
  const pole = { zone: 'UTC', sun: { lat: 89.9, lon: 15 } };
  // Half a year of night, and then the sun rises.
  expect(nextDue(sets('sunrise'), Date.UTC(2026, 9, 1), pole)).not.toBeNull();
  expect(nextDue(sets('sunset'), Date.UTC(2026, 9, 1), { zone: 'UTC', sun: null })).toBeNull();
  expect(lastDue(sets('clock'), 0, at('2026-11-26T12:00'), place)!.at).toBe(at('2026-11-26T11:26'));
  expect(
    lastDue(sets('sunset'), 0, at('2026-11-26T12:00'), { zone, sun: { lat: 53, lon: -8 } }),
  ).not.toBeNull();
});
