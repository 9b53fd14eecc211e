import fc from 'fast-check';
import {
  addWidgets,
  COLUMNS,
  findPlace,
  fitPlace,
  fitRange,
  graduations,
  overlaps,
  phoneRows,
  starterWidgets,
  checkOptions,
  readWidget,
  storeWidget,
  WIDGET_TYPES,
  WIDGETS,
  type Widget,
  widgetsFor,
  type Place,
} from '@peatmoor/core';
import { stream } from './samples';

const streams = [
  stream(),
  stream({ key: 'peat_temperature', unit: 'Cel', min: -10, max: 30 }),
  stream({ key: 'battery', unit: 'V', min: null, max: null }),
  stream({ key: 'gate', type: 'boolean', direction: 'control', unit: null, min: null, max: null }),
  stream({ key: 'motor', type: 'boolean', unit: null, min: null, max: null }),
];
const apart = (places: readonly Place[]): boolean =>
  places.every((a, i) => places.every((b, j) => i >= j || !overlaps(a, b)) && a.x + a.w <= COLUMNS);

it('makes a starter dashboard that shows every datastream without overlaps', () => {
  const widgets = starterWidgets(streams, 'dipwell-north');
  const shown = new Set(widgets.flatMap((widget) => widget.sources.map((source) => source.stream)));
  expect(shown).toEqual(new Set(streams.map(({ key }) => key)));
  expect(apart(widgets)).toBe(true);
  expect(new Set(widgets.map(({ id }) => id)).size).toBe(widgets.length);
});

it('finds a free place for anything, whatever is there', () => {
  const place = fc.record({
    x: fc.integer({ min: 0, max: 8 }),
    y: fc.integer({ min: 0, max: 9 }),
    w: fc.integer({ min: 1, max: 4 }),
    h: fc.integer({ min: 1, max: 5 }),
  });
  fc.assert(
    fc.property(
      fc.array(place, { maxLength: 12 }),
      fc.integer({ min: 1, max: 12 }),
      fc.integer({ min: 1, max: 6 }),
      (taken, w, h) => {
        const found = findPlace(taken, { w, h });
        expect(taken.some((other) => overlaps(found, other))).toBe(false);
        expect(found.x + found.w).toBeLessThanOrEqual(COLUMNS);
      },
    ),
  );
});

it('puts every widget on the phone once, charts over the full width', () => {
  const widgets = starterWidgets(streams, null);
  const rows = phoneRows(widgets);
  expect(
    rows
      .flat()
      .map(({ id }) => id)
      .sort(),
  ).toEqual(widgets.map(({ id }) => id).sort());
  for (const row of rows) if (row.some(({ type }) => type === 'chart')) expect(row).toHaveLength(1);
});

it('makes a widget each from several datastreams', () => {
  let id = 0;
  const sources = streams.slice(0, 2).map(({ key }) => [{ device: null, stream: key }]);
  const widgets = addWidgets([], 'gauge', sources, () => `n${++id}`);
  expect(widgets.map(({ id: one, sources: [source] }) => [one, source!.stream])).toEqual([
    ['n1', 'level'],
    ['n2', 'peat_temperature'],
  ]);
  expect(apart(widgets)).toBe(true);
});

it('brings a widget back within the columns and above its least size', () => {
  const [widget] = addWidgets([], 'chart', [[{ device: null, stream: 'level' }]], () => 'a');
  expect(fitPlace({ ...widget!, x: 99, w: 1, h: 1, y: -4 })).toMatchObject({
    w: WIDGETS.chart.least.w,
    h: WIDGETS.chart.least.h,
    y: 0,
    x: COLUMNS - 3,
  });
});

it('offers switches only for what can be steered', () => {
  expect(widgetsFor(streams[3]!)[0]).toBe('switch');
  expect(widgetsFor(streams[4]!)).not.toContain('switch');
  expect(widgetsFor(streams[0]!)[0]).toBe('gauge');
  const lasting = streams[3]!;
  const momentary = { ...lasting, holds: 'momentary' } as const;
  expect([widgetsFor(lasting).includes('button'), widgetsFor(momentary).includes('switch')]).toEqual([
    false,
    false,
  ]);
  expect(widgetsFor(momentary)[0]).toBe('button');
  const wanted = stream({ key: 'opening', direction: 'control', unit: '%', min: 0, max: 100 });
  expect(widgetsFor(wanted)[0]).toBe('slider');
  expect(widgetsFor({ ...wanted, min: null })[0]).not.toBe('slider');
  expect(widgetsFor(stream({ key: 'place', type: 'location', unit: null, min: null, max: null }))[0]).toBe(
    'track',
  );
});

it('fits a scale around what was seen, on round bounds, with graduations inside', () => {
  expect(fitRange(3.2, 17.9)).toEqual({ min: 2, max: 18 });
  expect(fitRange(5, 5).min).toBeLessThan(5);
  const bounds = fc.integer({ min: -1e8, max: 1e8 }).map((hundredths) => hundredths / 100);
  fc.assert(
    fc.property(bounds, bounds, (a, b) => {
      const { min, max } = fitRange(Math.min(a, b), Math.max(a, b));
      expect(min).toBeLessThanOrEqual(Math.min(a, b));
      expect(max).toBeGreaterThanOrEqual(Math.max(a, b));
      const marks = graduations(min, max, 8);
      expect(marks.length).toBeGreaterThan(1);
      expect(marks.length).toBeLessThan(20);
    }),
  );
});

describe('a stored widget', () => {
  const place = { x: 0, y: 0, w: 3, h: 5 };
  const base = { id: 'w1', title: '', sources: [{ device: null, stream: 'level' }], ...place };

  it('is read as it was kept, for every sort there is', () => {
    for (const type of WIDGET_TYPES) {
      const options = Object.fromEntries(
        Object.entries(WIDGETS[type].options).map(([name, { usual }]) => [name, usual]),
      );
      const widget: Widget = { ...base, type, options };
      expect(readWidget(JSON.parse(JSON.stringify(storeWidget(widget))))).toEqual(widget);
    }
  });

  it('of an earlier version is brought up to date, and one of a later sort is left out', () => {
    expect(readWidget({ ...base, type: 'gauge', min: 2, max: null })).toEqual({
      ...base,
      type: 'gauge',
      options: { min: 2 },
    });
    expect(readWidget({ ...base, type: 'lamp', min: 2, max: 5 })).toEqual({
      ...base,
      type: 'lamp',
      options: {},
    });
    expect(readWidget({ ...base, version: 7, type: 'hologram', options: {} })).toBeNull();
    expect(readWidget({ ...base, type: 'constructor' })).toBeNull();
  });

  it.each([
    ['gauge', {}, null],
    ['gauge', { min: 1, max: 2 }, null],
    ['gauge', { min: null }, null],
    ['gauge', { min: 2, max: 2 }, 'max'],
    ['gauge', { min: 'low' }, 'min'],
    ['gauge', { min: Infinity }, 'min'],
    ['lamp', { min: 1 }, 'min'],
    ['chart', { constructor: 1 }, 'constructor'],
  ] as const)('of type %s with options %j is wrong at %s', (type, options, wrong) => {
    expect(checkOptions(type, options)?.option ?? null).toBe(wrong);
  });
});
