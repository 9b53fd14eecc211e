import fc from 'fast-check';
import {
  bucketColumns,
  calendarBounds,
  calendarBuckets,
  csvCell,
  isZone,
  orderColumns,
  parseTable,
  rollUp,
  rowsByTime,
  fromSheetCell,
  sheetCell,
  sheetTime,
  StatisticsGatherer,
  type CalendarStep,
  type Columns,
} from '@peatmoor/core';

const HOUR = 3_600_000;
const columns = fc
  .array(fc.tuple(fc.integer({ min: 0, max: 5000 }), fc.integer({ min: -100, max: 100 })), { maxLength: 60 })
  .map((pairs) => orderColumns({ times: pairs.map(([at]) => at), values: pairs.map(([, value]) => value) }));

describe('steps of the calendar', () => {
  it('are as long as the time zone makes them', () => {
    const spring = Date.UTC(2026, 2, 28, 12);
    const bounds = calendarBounds(spring, spring + 2 * 24 * HOUR, 'day', 'Europe/Dublin', 100);
    expect(bounds.slice(1).map((at, i) => (at - bounds[i]!) / HOUR)).toEqual([24, 23, 24]);
    const autumn = Date.UTC(2026, 9, 24, 12);
    const back = calendarBounds(autumn, autumn + 2 * 24 * HOUR, 'day', 'Europe/Dublin', 100);
    expect(back.slice(1).map((at, i) => (at - back[i]!) / HOUR)).toEqual([24, 25, 24]);
  });

  it.each([
    ['week', 7 * 24],
    ['hour', 1],
    ['day', 24],
  ] as [CalendarStep, number][])('a %s in UTC has its hours', (step, hours) => {
    const [first, second] = calendarBounds(
      Date.UTC(2026, 5, 10, 13),
      Date.UTC(2026, 5, 11),
      step,
      'UTC',
      100,
    );
    expect((second! - first!) / HOUR).toBe(hours);
  });

  it('begin weeks on Monday, months on the first, years on New Year', () => {
    const at = Date.UTC(2026, 5, 10, 13);
    const start = (step: CalendarStep) =>
      new Date(calendarBounds(at, at + 1, step, 'UTC', 9)[0]!).toISOString();
    expect(start('week')).toBe('2026-06-08T00:00:00.000Z');
    expect(start('month')).toBe('2026-06-01T00:00:00.000Z');
    expect(start('year')).toBe('2026-01-01T00:00:00.000Z');
  });

  it('cover the period without a gap, and are bounded', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 2e12 }),
        fc.integer({ min: 1, max: 90 * 24 * HOUR }),
        fc.constantFrom('UTC', 'Europe/Dublin', 'Asia/Kathmandu', 'America/St_Johns', 'Pacific/Chatham'),
        (from, length, zone) => {
          const bounds = calendarBounds(from, from + length, 'day', zone, 200);
          expect(bounds[0]).toBeLessThanOrEqual(from);
          expect(bounds.at(-1)).toBeGreaterThanOrEqual(from + length);
          expect(bounds.every((bound, i) => i === 0 || bound > bounds[i - 1]!)).toBe(true);
        },
      ),
      { numRuns: 60 },
    );
    expect(() => calendarBounds(0, 100 * 24 * HOUR, 'day', 'UTC', 50)).toThrow(RangeError);
  });

  it('hold every reading once, wherever the bounds lie', () => {
    fc.assert(
      fc.property(columns, fc.uniqueArray(fc.integer({ min: 0, max: 50 }), { minLength: 1 }), (all, cuts) => {
        const bounds = [0, ...cuts.map((cut) => cut * 100 + 100), 6000].sort((a, b) => a - b);
        const unique = bounds.filter((bound, i) => i === 0 || bound !== bounds[i - 1]);
        const buckets = calendarBuckets(rollUp(all, 100), unique);
        expect(buckets.reduce((sum, { count }) => sum + count, 0)).toBe(all.times.length);
        for (const { from, to, count, min, max, mean, sum, first, last } of buckets) {
          const inside = all.values.filter((_, i) => all.times[i]! >= from && all.times[i]! < to);
          expect([count, first, last]).toEqual([inside.length, inside[0] ?? null, inside.at(-1) ?? null]);
          if (inside.length === 0) expect([min, max, mean, sum]).toEqual([null, null, null, null]);
          else {
            expect([min, max]).toEqual([Math.min(...inside), Math.max(...inside)]);
            expect(sum).toBeCloseTo(
              inside.reduce((all, one) => all + one, 0),
              6,
            );
          }
        }
      }),
    );
  });

  it('know which time zones there are', () => {
    expect(['UTC', 'Europe/Dublin', 'Moor/Hut', ''].map(isZone)).toEqual([true, true, false, false]);
  });
});

describe('statistics', () => {
  it('of parts are those of the whole', () => {
    fc.assert(
      fc.property(columns, fc.integer({ min: 0, max: 60 }), (all, cut) => {
        const part = (from: number, to?: number): Columns => ({
          times: all.times.slice(from, to),
          values: all.values.slice(from, to),
        });
        const whole = new StatisticsGatherer();
        whole.add(all);
        const parts = new StatisticsGatherer();
        parts.add(part(0, cut));
        parts.add(part(cut));
        expect(parts.statistics()).toEqual(whole.statistics());
        const { count, mean, min, max, sum } = whole.statistics();
        expect(count).toBe(all.values.length);
        if (count === 0) return expect(sum).toBeNull();
        expect(sum).toBeCloseTo(mean! * count, 6);
        expect([min, max]).toEqual([Math.min(...all.values), Math.max(...all.values)]);
        expect(mean).toBeCloseTo(all.values.reduce((sum, one) => sum + one, 0) / count, 9);
      }),
    );
  });

  it('have a sum without digits that nobody measured, and one that is a number however great its values are', () => {
    const sumOf = (...values: number[]): number | null => {
      const gatherer = new StatisticsGatherer();
      gatherer.add({ times: values.map((_, i) => i), values });
      return gatherer.statistics().sum;
    };
    expect(sumOf(0.1, 0.2)).toBe(0.3);
    expect(sumOf(1.7e308, 1.7e308)).toBe(Number.MAX_VALUE);
    expect(sumOf(-1.7e308, -1.7e308)).toBe(-Number.MAX_VALUE);
  });

  it('agree with the buckets of a chart', () => {
    fc.assert(
      fc.property(columns, (all) => {
        const [bucket] = bucketColumns(all, 10_000);
        const gatherer = new StatisticsGatherer();
        gatherer.add(all);
        const { count, mean } = gatherer.statistics();
        expect(bucket?.count ?? 0).toBe(count);
        if (bucket !== undefined) expect(bucket.mean).toBeCloseTo(mean!, 9);
      }),
    );
  });
});

describe('rows of a sheet', () => {
  it('hold every reading in its column, a row for each time, in order', () => {
    fc.assert(
      fc.property(fc.array(columns, { minLength: 1, maxLength: 4 }), (list) => {
        const rows = [...rowsByTime(list)];
        expect(rows.every(({ at }, i) => i === 0 || at > rows[i - 1]!.at)).toBe(true);
        for (const [i, { times, values }] of list.entries()) {
          const mine = rows.filter((row) => row.values[i] !== null);
          expect(mine.map(({ at }) => at)).toEqual(times);
          expect(mine.map((row) => row.values[i])).toEqual(values);
        }
      }),
    );
  });

  it('quote what must be quoted, and a spreadsheet runs nothing', () => {
    expect(csvCell('a,"b"\n')).toBe('"a,""b""\n"');
    expect(csvCell('=1+1')).toBe('=1+1');
    expect(['=1+1', '+1', '@x', '-x', '-1.5', 'dry', '=a,b'].map(sheetCell)).toEqual([
      "'=1+1",
      "'+1",
      "'@x",
      "'-x",
      '-1.5',
      'dry',
      '"\'=a,b"',
    ]);
    fc.assert(
      fc.property(fc.string({ unit: fc.constantFrom("'", '=', '+', '-', '@', '1', 'a', ' ') }), (text) => {
        const cell = sheetCell(text);
        expect(cell).not.toMatch(/^[=+@]/);
        expect(fromSheetCell(cell)).toBe(text);
      }),
    );
    fc.assert(
      fc.property(
        fc.array(
          fc.string({ minLength: 1 }).filter((text) => text.trim() === text && text !== ''),
          { minLength: 1, maxLength: 5 },
        ),
        (cells) => {
          const table = parseTable(
            `${cells.map((_, i) => `c${i}`).join(',')}\n${cells.map(csvCell).join(',')}`,
          );
          if (typeof table !== 'string') expect(table.rows[0]).toEqual(cells);
        },
      ),
      { numRuns: 200 },
    );
  });

  it('show date and time of the zone', () => {
    expect(sheetTime(Date.UTC(2026, 6, 1, 23, 30), 'Europe/Dublin')).toEqual([
      '2026-07-02',
      '00:30:00.000',
      '+01:00',
    ]);
  });
});

describe('the calendar of every time zone', () => {
  type Part = 'day' | 'month' | 'minute';
  /** The local date and time at a moment, by the runtime's own tables. */
  const partsIn = (zone: string): ((at: number) => Record<Part, string>) => {
    const format = new Intl.DateTimeFormat('en-GB', {
      timeZone: zone,
      hourCycle: 'h23',
      ...({ year: 'numeric', month: '2-digit', day: '2-digit', hour: '2-digit', minute: '2-digit' } as const),
    });
    return (at) => {
      const of = Object.fromEntries(format.formatToParts(at).map(({ type, value }) => [type, value]));
      const month = `${of.year}-${of.month}`;
      return { month, day: `${month}-${of.day}`, minute: `${month}-${of.day}T${of.hour}:${of.minute}` };
    };
  };
  const MINUTE = 60_000;
  const DAY = 24 * HOUR;
  const YEAR = Date.UTC(2026, 0, 1);
  /** One zone of those that keep the same time all year. */
  const zones = (): string[] => {
    const ways = new Map<string, string>();
    for (const zone of [...Intl.supportedValuesOf('timeZone'), 'UTC']) {
      const parts = partsIn(zone);
      ways.set(Array.from({ length: 26 }, (_, n) => parts(YEAR + n * 14 * DAY).minute).join(), zone);
    }
    return [...ways.values()];
  };

  it.each(['day', 'month'] as const)(
    'changes %s exactly where the local date does, all over a year',
    (step) => {
      for (const zone of zones()) {
        const parts = partsIn(zone);
        const bounds = calendarBounds(YEAR, YEAR + 366 * DAY, step, zone, 400);
        // On both sides of each bound another date, and as many bounds as there are dates.
        for (const bound of bounds)
          expect([zone, parts(bound - 1)[step]]).not.toEqual([zone, parts(bound)[step]]);
        const dates = new Set<string>();
        for (let at = bounds[0]!; at < bounds.at(-1)!; at += 12 * HOUR) dates.add(parts(at)[step]);
        expect([zone, dates.size]).toEqual([zone, bounds.length - 1]);
      }
    },
  );

  it('has hours on the hour around every change of a clock, without a hole and without an overlap', () => {
    let changes = 0;
    for (const zone of zones()) {
      const parts = partsIn(zone);
      const offset = (at: number): number =>
        Date.parse(`${parts(at).minute}Z`) - Math.floor(at / MINUTE) * MINUTE;
      for (let day = YEAR; day < YEAR + 365 * DAY; day += DAY) {
        if (offset(day) === offset(day + DAY)) continue;
        changes++;
        const bounds = calendarBounds(day, day + DAY, 'hour', zone, 60);
        expect([zone, bounds[0]! <= day, bounds.at(-1)! >= day + DAY]).toEqual([zone, true, true]);
        for (const [i, bound] of bounds.entries()) {
          // Half an hour is left where a clock jumps by half an hour.
          const jumps = offset(bound - MINUTE) !== offset(bound);
          expect([zone, jumps || parts(bound).minute.endsWith(':00')]).toEqual([zone, true]);
          const length = bound - (bounds[i - 1] ?? bound - HOUR);
          expect([zone, length > 0 && length <= 2 * HOUR]).toEqual([zone, true]);
        }
      }
    }
    expect(changes).toBeGreaterThan(20);
  });
});
