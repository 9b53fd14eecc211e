import fc from 'fast-check';
import { datesIn, languageName, LANGUAGES, type Language } from '../src';

const at = Date.UTC(2026, 10, 28, 14, 5, 33);

it.each<[Language, string, string, string]>([
  ['en-GB', '28 Nov', '28 Nov 2026, 14:05', '14:05:33'],
  ['en-US', 'Nov 28', 'Nov 28, 2026, 2:05 PM', '2:05:33 PM'],
  ['de', '28. Nov.', '28.11.2026, 14:05', '14:05:33'],
  ['fr', '28 nov.', '28 nov. 2026, 14:05', '14:05:33'],
  ['iso', '11-28', '2026-11-28 14:05', '14:05:33'],
])('writes dates and times as %s does', (language, day, dateTime, seconds) => {
  const dates = datesIn(language, 'UTC');
  const plain = (text: string): string => text.replace(/[\u202f\u00a0]/g, ' ');
  expect(plain(dates.day(at))).toBe(day);
  expect(plain(dates.dateTime(at))).toBe(dateTime);
  expect(plain(dates.seconds(at))).toBe(seconds);
});

it.each<[Language, string, string]>([
  ['en-GB', '12\u202f345\u202f678.9 Lux', '-0.25'],
  ['de', '12\u202f345\u202f678,9 Lux', '-0,25'],
  ['fr-CH', '12\u202f345\u202f678,9 Lux', '-0,25'],
])('writes numbers as %s does', (language, long, small) => {
  const { figure, number } = datesIn(language);
  expect(figure('12345678.9 Lux')).toBe(long);
  expect(number(-0.25)).toBe(small);
  // What is no number stays as it is.
  for (const text of ['53.42, -1.86', 'v1.2.3', '1.2.3', 'on', '', '–', '#ff8800', '1.5e+30'])
    expect(figure(text)).toBe(text);
});

it('tells times by the zone that was chosen, also across a change of its clocks', () => {
  const dates = datesIn('en-GB', 'Pacific/Auckland');
  expect(dates.exact(at)).toBe('29 Nov 2026, 03:05:33');
  expect(dates.weekday(at)).toBe('Sun 29');
  expect(dates.wholeDay(at)).toMatch(/^Sunday,? 29 November$/);
  expect(dates.timeOf(2026, 10, 29, 3, 5, 33)).toBe(at);
  // A day of 23 hours, and a month of another length.
  const london = datesIn('en-GB', 'Europe/London');
  expect(london.timeOf(2026, 2, 30) - london.timeOf(2026, 2, 29)).toBe(23 * 3_600_000);
  expect(london.date(london.timeOf(2026, 12, 1))).toBe('1 Jan 2027');
  // The hour that is left out: half past one is half past two.
  expect(london.clock(london.timeOf(2026, 2, 29, 1, 30))).toBe('02:30');
});

it('finds every time again by what its clock says', () => {
  const zones = ['UTC', 'Europe/London', 'America/St_Johns', 'Asia/Kathmandu', 'Australia/Lord_Howe'];
  fc.assert(
    fc.property(
      fc.constantFrom(...zones),
      fc.integer({ min: Date.UTC(2000, 0, 1) / 1000, max: Date.UTC(2040, 0, 1) / 1000 }),
      (zone, seconds) => {
        const dates = datesIn('en-GB', zone);
        const date = dates.dateOf(seconds * 1000);
        const again = dates.timeOf(
          date.getFullYear(),
          date.getMonth(),
          date.getDate(),
          date.getHours(),
          date.getMinutes(),
          date.getSeconds(),
        );
        // In the hour that comes twice it may be the other one, an hour away at the most.
        expect(Math.abs(again - seconds * 1000)).toBeLessThanOrEqual(3_600_000);
        expect(dates.exact(again)).toBe(dates.exact(seconds * 1000));
      },
    ),
  );
});

it('has every language of the list, each under its own name', () => {
  expect(Intl.DateTimeFormat.supportedLocalesOf(LANGUAGES.filter((one) => one !== 'iso'))).toHaveLength(
    LANGUAGES.length - 1,
  );
  const names = LANGUAGES.map(languageName);
  expect(new Set(names).size).toBe(LANGUAGES.length);
  expect(names).toEqual(expect.arrayContaining(['Deutsch', 'English (United Kingdom)']));
  for (const language of LANGUAGES)
    expect(datesIn(language, 'Asia/Tokyo').exact(at)).toMatch(/28.*2026|2026.*28/);
});
