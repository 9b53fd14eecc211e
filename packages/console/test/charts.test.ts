import { displayOf, type ChartDraws } from '@peatmoor/core';
import { shifted, zoomed } from '../src/charts/gestures';
import { gapsIn, measure, partOf, runsOf, type ChartColumns } from '../src/charts/lines';
import { boundsOf, calendarPeriods, fixedPeriod, goingLike, periodOf, PERIODS } from '../src/charts/period';
import { chartSvg } from '../src/charts/chartSvg';
import { scaleRange } from '../src/charts/scale';
import { chartCsv } from '../src/charts/saving';
import { pointOf, rightUnit, scalesOf, type ChartLine } from '../src/charts/chartLine';

const HOUR = 3_600_000;
const columns = (values: (number | null)[], stepS = 60): ChartColumns => ({
  times: values.map((_, i) => i * stepS),
  values,
  low: values,
  high: values,
});
const line = (values: (number | null)[], more: Partial<ChartLine> = {}): ChartLine => ({
  label: 'Level',
  unit: 'mm',
  colour: null,
  stepped: false,
  whole: false,
  newest: null,
  columns: columns(values),
  ...more,
});

describe('periods', () => {
  it('are found by what the address says, also ones that stand still; nonsense is none', () => {
    expect(periodOf('7d')).toBe(PERIODS[3]);
    expect(periodOf('1000-61000')).toMatchObject({ ms: 60_000, until: 61_000 });
    for (const text of ['', 'soon', '61000-1000', '5-5', '1-99999999999999999', '-1-5', '1e3-2e3'])
      expect(periodOf(text)).toBeNull();
    expect(boundsOf(fixedPeriod(0, HOUR), 9e12)).toEqual({ from: 0, to: HOUR });
    expect(boundsOf(PERIODS[1], HOUR * 5)).toEqual({ from: HOUR * 4, to: HOUR * 5 });
    expect(goingLike(50 * 60_000).key).toBe('1h');
  });

  it('of the calendar are whole days, weeks and months that meet', () => {
    const [today, yesterday, week, lastWeek, month, lastMonth] = calendarPeriods(
      new Date(2026, 2, 29, 12).getTime(),
    ).map((one) => boundsOf(one, 0));
    expect(yesterday!.to).toBe(today!.from);
    expect(lastWeek!.to).toBe(week!.from);
    expect(lastMonth!.to).toBe(month!.from);
    expect(new Date(week!.from).getDay()).toBe(1);
    expect(new Date(month!.to).getDate()).toBe(1);
  });

  it('are moved and made wider around a place, within what is kept', () => {
    expect(shifted({ from: 0, to: 100 }, 0.5)).toEqual({ from: 50, to: 150 });
    expect(zoomed({ from: 0, to: 100_000 }, 0.5, 0.5)).toEqual({ from: 25_000, to: 75_000 });
    expect(zoomed({ from: 0, to: 2000 }, 0.001, 0)).toEqual({ from: 0, to: 1000 });
    expect(zoomed({ from: 0, to: HOUR }, 1e12, 1).to - zoomed({ from: 0, to: HOUR }, 1e12, 1).from).toBe(
      3650 * 24 * HOUR,
    );
  });
});

it('a scale holds what is seen with air, and of a line that stands at nought nothing below', () => {
  const free = [null, null] as const;
  expect(scaleRange(0, 100, free, 'line')).toEqual([-8, 108]);
  expect(scaleRange(0, 100, free, 'bars')).toEqual([0, 108]);
  expect(scaleRange(0, 0, free, 'line')).toEqual([0, 1]);
  expect(scaleRange(-3, -3, free, 'line')).toEqual([-4, -2]);
  expect(scaleRange(null, null, [null, 5], 'line')).toEqual([-0.08, 5]);
});

describe('between two markers', () => {
  it('tells the change, how fast it is and the mean over time, whichever was set first', () => {
    const found = measure(columns([0, 10, 20, 20], 900), 0, 2700, 30);
    expect(found).toMatchObject({ delta: 20, mean: (5 + 15 + 20) / 3 });
    expect(found!.perHour).toBeCloseTo(20 / 0.75);
    expect(measure(columns([0, 10, 20, 20], 900), 2700, 0, 30)).toEqual(found);
  });

  it('tells nothing where there is no reading near, or both are one', () => {
    expect(measure(columns([1, null, 3]), 0, 60, 10)).toBeNull();
    expect(measure(columns([1, 2]), 0, 0, 10)).toBeNull();
    expect(measure(columns([]), 0, 60, 10)).toBeNull();
  });

  it('a gap does not count for the mean', () => {
    const gappy: ChartColumns = {
      times: [0, 10, 10.001, 1000, 1010],
      values: [5, 5, null, 50, 50],
      low: [],
      high: [],
    };
    expect(measure(gappy, 0, 1010, 5)!.mean).toBeCloseTo((5 * 10 + 50 * 10) / 20);
    expect(gapsIn(gappy)).toEqual([[10_000, 1_000_000]]);
    const runs = (values: (number | null)[]): [number, number][] => runsOf({ ...gappy, values });
    expect(runs([1, 2, null, 3])).toEqual([
      [0, 2],
      [3, 4],
    ]);
    expect(runs([null, null, 5, null])).toEqual([[2, 3]]);
    expect([runs([]), runs([null])]).toEqual([[], []]);
  });
});

describe('what is saved of a chart', () => {
  const chart = {
    title: 'Level <b>',
    draws: 'line' as ChartDraws,
    range: [null, null] as const,
    rightRange: [null, null] as const,
    from: 0,
    to: 120_000,
    lines: [
      line([1, 2, 3, 4]),
      line([10, null, 30], { label: '=cmd, "x"', unit: '%' }),
      line([9, 9, 9], { hidden: true, label: 'Hidden' }),
    ],
  };

  it('is a row a time and a column a line, of what is seen only, and no formula for a spreadsheet', () => {
    expect(chartCsv(chart).split('\r\n')).toEqual([
      `time,Level (mm),"'=cmd, ""x"" (%)"`,
      '1970-01-01T00:00:00.000Z,1,10',
      '1970-01-01T00:01:00.000Z,2,',
      '1970-01-01T00:02:00.000Z,3,30',
      '',
    ]);
    expect(partOf(columns([1, 2, 3, 4]), 60, 120).values).toEqual([2, 3]);
  });

  it('is a drawing that holds no markup of a name, with a scale for each unit', () => {
    const svg = chartSvg(chart);
    expect(svg).toContain('Level &lt;b&gt;');
    expect(svg).not.toContain('Hidden');
    expect(svg.match(/<path /g)).toHaveLength(2);
    expect(svg).not.toMatch(/NaN|Infinity|undefined/);
    expect(chartSvg({ ...chart, lines: [line([])] })).not.toMatch(/NaN|Infinity/);
  });

  it('has the unit above each axis; what is measured in a third one never stands on their scales', () => {
    const units = ['mm', '°C', 'V', 'mm'];
    const lines = units.map((unit, i) => line([10 ** i, 10 ** i + 1], { label: `L${i}`, unit }));
    expect([...scalesOf(lines)]).toEqual([
      ['mm', 'y'],
      ['°C', 'right'],
      ['V', 'own V'],
    ]);
    expect([rightUnit(lines), rightUnit(lines.slice(0, 1))]).toEqual(['°C', null]);
    const svg = chartSvg({ ...chart, lines });
    for (const unit of ['mm', '°C']) expect(svg).toContain(`>${unit}</text>`);
    expect(svg).not.toContain('>V</text>');
    expect(svg).toContain('>L2 (V), own scale</text>');
    expect(svg).toContain('>L1 (°C)</text>');
    // On its own scale it goes from the bottom to the top of the drawing.
    const heights = [...svg.matchAll(/<path d="M\S+ (\S+)L\S+ (\S+)" fill="none"/g)].map(
      ([, start, end]) => Number(start) - Number(end),
    );
    expect(heights).toHaveLength(4);
    expect(heights[2]).toBeGreaterThan(200);
    expect(heights[0]).toBeLessThan(2);
  });

  it('hides no spike: where a point is of several readings, the least and greatest are saved too', () => {
    const spiky = line([20, 60, 20]);
    spiky.columns = { ...spiky.columns, low: [20, 20, 20], high: [20, 1000, 20] };
    const saved = { ...chart, lines: [spiky, line([1, 2, 3], { label: 'Other' })] };
    expect(chartCsv(saved).split('\r\n').slice(0, 3)).toEqual([
      'time,Level (mm),Level (mm) lowest,Level (mm) highest,Other (mm)',
      '1970-01-01T00:00:00.000Z,20,20,20,1',
      '1970-01-01T00:01:00.000Z,60,20,1000,2',
    ]);
    // What came is saved as it came; only a mean is rounded.
    const exact = line([12_345_678.9012, 200 / 3]);
    exact.columns = {
      ...exact.columns,
      low: [12_345_678.9012, 50],
      high: [12_345_678.9012, 80.123_456_789_012],
    };
    expect(
      chartCsv({ ...chart, lines: [exact] })
        .split('\r\n')
        .slice(1, 3),
    ).toEqual([
      '1970-01-01T00:00:00.000Z,12345678.9012,12345678.9012,12345678.9012',
      '1970-01-01T00:01:00.000Z,66.66666667,50,80.123456789012',
    ]);
    const svg = chartSvg(saved);
    expect(svg.match(/<path [^>]*data-spread/g)).toHaveLength(1);
    // It reaches up to the greatest, which the line does not.
    const tops = [...svg.matchAll(/<path d="([^"]+)"/g)].map(([, path]) =>
      Math.min(...[...path!.matchAll(/[ML][\d.]+ ([\d.]+)/g)].map(([, y]) => Number(y))),
    );
    expect(Math.min(...tops)).toBeLessThan(110);
    expect(tops[1]!).toBeGreaterThan(300);
  });

  it('has each line in its own ink, whichever others are hidden, and paler what is of the period before', () => {
    const [first, second] = [line([1, 2]), line([3, 4], { label: 'Second' })];
    const inkOf = (lines: ChartLine[]): string[] =>
      [...chartSvg({ ...chart, lines }).matchAll(/<path [^>]*stroke="(#\w+)"/g)].map(([, one]) => one!);
    const [ink, other] = inkOf([first, second]);
    expect(ink).not.toBe(other);
    expect(inkOf([{ ...first, hidden: true }, second])).toEqual([other]);
    const before = [first, second, { ...first, under: true }, { ...second, under: true }];
    expect(inkOf(before)).toEqual([ink, other, ink, other]);
    expect(chartSvg({ ...chart, lines: before }).match(/stroke-opacity="0.44"/g)).toHaveLength(2);
  });

  it('is drawn as the chart is, with its own limits and round times', () => {
    const shape = (draws: ChartDraws, more = {}): string => chartSvg({ ...chart, draws, ...more });
    expect(shape('bars').match(/<rect /g)!.length).toBeGreaterThan(5);
    expect(shape('points').match(/<circle /g)).toHaveLength(5);
    expect(shape('step')).toMatch(/<path d="M[\d. ]+H[\d.]+V/);
    expect(shape('area')).toMatch(/Z" fill="#/);
    const fixed = shape('line', { range: [0, 1000], rightRange: [null, null] });
    expect(fixed).toContain('>1000<');
    expect(fixed).toMatch(/>00:01</);
  });
});

it('a point says what was measured: a mean is called mean, and of whole numbers and states there is none', () => {
  const of = (values: number[], low: number[], high: number[]) => ({ times: [1, 2], values, low, high });
  const level = displayOf({ type: 'number', unit: 'mm', decimals: 0 }, 'metric');
  const columns = of([-120, -118.4], [-120, -121], [-120, -116]);
  expect(pointOf({ columns, whole: false }, 0, level)).toBe('-120 mm');
  expect(pointOf({ columns, whole: false }, 1, level)).toMatch(/^mean -118(\.4)? mm$/);
  const count = displayOf({ type: 'integer', unit: null, decimals: null }, 'metric');
  expect(pointOf({ columns: of([3, 3.5], [3, 3], [3, 4]), whole: true }, 1, count)).toBe('3 to 4');
  const motor = displayOf({ type: 'boolean', unit: null, decimals: null }, 'metric');
  expect(pointOf({ columns: of([1, 0.5], [1, 0], [1, 1]), whole: true }, 0, motor)).toBe('on');
  expect(pointOf({ columns: of([1, 0.5], [1, 0], [1, 1]), whole: true }, 1, motor)).toBe('off to on');
});
