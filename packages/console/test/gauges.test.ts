import { isIn, letterSize, marksOf, placeOn, shownZones } from '@peatmoor/core';
import { bucketValue } from '../src/dashboards/widgets/buckets';
import { fromLocal, toLocal } from '../src/parts/localTime';
import { spanWords } from '../src/charts/period';

describe('the scale of a gauge', () => {
  it.each<[string, number, number, number | null, number[]]>([
    ['round ones where nothing is said', 0, 100, null, [0, 20, 40, 60, 80, 100]],
    ['each so much', 0, 100, 25, [0, 25, 50, 75, 100]],
    ['only those within', -10, 32, 20, [0, 20]],
    ['without what rounding leaves', 0, 0.3, 0.1, [0, 0.1, 0.2, 0.3]],
    ['round ones where there would be very many', 0, 100, 0.001, [0, 20, 40, 60, 80, 100]],
    ['round ones for a step that is none', 0, 100, -5, [0, 20, 40, 60, 80, 100]],
  ])('has %s', (_name, min, max, step, marks) => {
    expect(marksOf(min, max, step, 5)).toEqual(marks);
  });

  it('a value beyond it stands at its end, and one without a length breaks nothing', () => {
    const scale = { min: 0, max: 200 };
    expect([-5, 0, 50, 200, 900].map((value) => placeOn(scale, value))).toEqual([0, 0, 0.25, 1, 1]);
    expect(placeOn({ min: 3, max: 3 }, 3)).toBe(0);
  });

  it('zones are shown in the units of whoever looks; what cannot be read is none', () => {
    const inInches = (mm: number): number => mm / 25.4;
    expect(shownZones('..254 low: look, 254.. good', inInches)).toEqual([
      { name: 'low', min: null, max: 10, tone: 'look' },
      { name: 'good', min: 10, max: null, tone: 'good' },
    ]);
    expect(shownZones('somewhere', inInches)).toEqual([]);
    expect(shownZones(null, inInches)).toEqual([]);
  });

  it('the zone that the value lies in is the one that is shown', () => {
    expect([isIn(5, null, 10), isIn(10, null, 10), isIn(10, 10, null), isIn(undefined, null, null)]).toEqual([
      true,
      false,
      true,
      false,
    ]);
  });

  it('letters are never too small to be read, nor larger than twice what is usual', () => {
    const box = { width: 260, height: 112 };
    expect(letterSize({ width: 520, height: 224 }, box, 12)).toBe(12);
    expect(letterSize({ width: 260, height: 112 }, box, 12)).toBe(12);
    expect(letterSize({ width: 130, height: 300 }, box, 12)).toBe(23);
    expect(letterSize({ width: 30, height: 20 }, box, 12)).toBe(24);
    expect(letterSize({ width: 0, height: 0 }, box, 12)).toBe(12);
  });
});

describe('a step of the calendar', () => {
  const display = { convert: (value: number) => value * 2, total: (sum: number) => sum * 2 } as never;
  const bucket = { from: 0, to: 1, count: 3, min: 1, max: 9, mean: 4, sum: 12, first: 1, last: 2 };

  it.each([
    ['mean', 8],
    ['lowest', 2],
    ['highest', 18],
    ['sum', 24],
    ['last', 4],
    ['count', 3],
  ])('tells its %s in shown units, a count as it is', (shows, value) => {
    expect(bucketValue(bucket, shows, display)).toBe(value);
  });

  it('in which nothing was measured tells nothing, but counts nought', () => {
    const empty = {
      ...bucket,
      count: 0,
      min: null,
      max: null,
      mean: null,
      sum: null,
      first: null,
      last: null,
    };
    expect(bucketValue(empty, 'mean', display)).toBeNull();
    expect(bucketValue(empty, 'sum', display)).toBeNull();
    expect(bucketValue(empty, 'count', display)).toBe(0);
  });
});

describe('times in fields', () => {
  it('are local, to the second, and come back as they went in', () => {
    const at = new Date(2026, 10, 26, 9, 5, 7).getTime();
    expect(toLocal(at)).toBe('2026-11-26T09:05:07');
    expect(fromLocal(toLocal(at))).toBe(at);
    expect(fromLocal('')).toBeNull();
    expect(fromLocal('soon')).toBeNull();
  });

  it('a period is said as shortly as it is clear', () => {
    const at = (day: number, hour: number, minute = 0): number =>
      new Date(2020, 2, day, hour, minute).getTime();
    expect(spanWords(at(3, 14), at(3, 15, 30))).toBe('3 Mar 2020 14:00 to 15:30');
    expect(spanWords(at(3, 22), at(4, 2))).toBe('3 Mar 2020 22:00 to 4 Mar 2020 02:00');
    expect(spanWords(at(3, 0), at(9, 0))).toBe('3 Mar 2020 to 9 Mar 2020');
    expect(spanWords(at(3, 14), at(3, 14, 5))).toBe('3 Mar 2020 14:00:00 to 14:05:00');
  });
});
