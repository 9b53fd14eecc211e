import fc from 'fast-check';
import {
  addWidgets,
  COLUMNS,
  findPlace,
  lampLook,
  readIcons,
  widgetInOtherUnit,
  fitPlace,
  keepApart,
  fitRange,
  graduations,
  overlaps,
  phoneRows,
  starterWidgets,
  checkOptions,
  movePhone,
  readWidget,
  readZones,
  shiftWidget,
  storeWidget,
  WIDGET_TYPES,
  WIDGETS,
  type Widget,
  widgetsFor,
  type Place,
  type Zone,
  zoneOf,
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

it('puts what lies on another widget below it, page by page, and leaves all else where it stands', () => {
  const one = (id: string, place: object): Widget => ({
    ...addWidgets([], 'heat', [[{ device: null, stream: 'level' }]], () => id)[0]!,
    ...place,
  });
  const placed = keepApart([
    one('a', { x: 0, y: 0, w: 1, h: 4 }),
    one('b', { x: 3, y: 0, w: 4, h: 4 }),
    one('c', { x: 3, y: 0, w: 4, h: 4 }),
    one('d', { x: 3, y: 0, w: 4, h: 4, page: 1 }),
    one('e', { x: 8, y: 0, w: 4, h: 4 }),
    one('f', { x: 8, y: 998, w: 4, h: 40 }),
    one('g', { x: 8, y: 998, w: 4, h: 40 }),
  ]);
  // The first is as wide as its sort must be, and so comes to lie on the second.
  expect(placed.map(({ id, x, y, w }) => [id, x, y, w])).toEqual([
    ['a', 0, 0, 4],
    ['b', 3, 4, 4],
    ['c', 3, 8, 4],
    ['d', 3, 0, 4],
    ['e', 8, 0, 4],
    ['f', 8, 998, 4],
    // There is no room below.
    ['g', 8, 998, 4],
  ]);
  expect(keepApart(placed)).toEqual(placed);
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

describe('a lamp', () => {
  const look = (options: object, value: number | undefined, isSilent = false): string => {
    const { state, words, trouble, old } = lampLook(options as never, value, isSilent);
    return `${state} “${words}”${trouble ? ' trouble' : ''}${old ? ' old' : ''}`;
  };

  it.each([
    [{}, 1, 'on “on”'],
    [{}, 0, 'off “off”'],
    [{ above: 20, on: 'hot' }, 20.1, 'on “hot”'],
    [{ above: 20 }, 20, 'off “off”'],
    [{ below: -300 }, 5, 'off “off”'],
    [{ below: -300, alarm: true }, -301, 'on “on” trouble'],
    [{ above: 20, below: 4 }, 3, 'on “on”'],
    [{ above: 20, below: 4 }, 12, 'off “off”'],
    [{ offAlarm: true, off: 'no mains' }, 0, 'off “no mains” trouble'],
  ])('%j is at %d %s', (options, value, words) => {
    expect(look(options, value)).toBe(words);
  });

  it('without a new reading shows what it was, faintly, or says what its maker chose', () => {
    expect(look({}, undefined)).toBe('unknown “–” old');
    expect(look({}, 1, true)).toBe('on “on” old');
    expect(look({ silentAlarm: true }, 0, true)).toBe('off “off” trouble old');
    expect(look({ silent: 'asleep' }, 1, true)).toBe('unknown “asleep” old');
    expect(look({ silent: 'asleep', silentAlarm: true }, undefined)).toBe('unknown “asleep” trouble old');
  });

  it('that would always be on is refused', () => {
    expect(checkOptions('lamp', { above: 1, below: 2 })).toMatchObject({ option: 'below' });
    expect(checkOptions('lamp', { above: 2, below: 2 })).toBeNull();
  });
});

it('whose datastream is shown in another unit has its limits, scale and step in that too', () => {
  const options = { above: 100, below: 0, min: -10, step: 5, on: 'hot' };
  expect(widgetInOtherUnit({ options }, { scale: 1.8, offset: 32 }).options).toEqual({
    above: 212,
    below: 32,
    min: 14,
    step: 9,
    on: 'hot',
  });
});

describe('drawings of choices', () => {
  it('are read in their order, some left out; one that there is not is told', () => {
    expect(readIcons('down, , up')).toEqual(['down', '', 'up']);
    expect(readIcons(' ')).toEqual([]);
    expect(readIcons('down, sideways')).toBe('sideways');
    expect(checkOptions('state', { icons: 'locked,unlocked' })).toBeNull();
    expect(checkOptions('state', { icons: 'locked, toString' })).toMatchObject({ option: 'icons' });
    expect(checkOptions('state', { icons: 'up,'.repeat(400) })).toMatchObject({ option: 'icons' });
  });
});

describe('zones', () => {
  it.each([
    ['..-300 dry: wrong', [{ name: 'dry', min: null, max: -300, tone: 'wrong' }]],
    [
      '-300..-100 good, -100.. very wet: look',
      [
        { name: 'good', min: -300, max: -100, tone: 'good' },
        { name: 'very wet', min: -100, max: null, tone: 'look' },
      ],
    ],
    ['', []],
    ['.. all', '.. all'],
    ['5..1 back', '5..1 back'],
    ['1..2', '1..2'],
    ['1..2 x: bad', '1..2 x: bad'],
  ])('reads %s', (text, zones) => {
    expect(readZones(text)).toEqual(zones);
  });

  it('a value lies in the first that holds it; a widget with one that cannot be read is refused', () => {
    const zones = readZones('0..10 low, 10..20 high') as Zone[];
    expect([-1, 0, 10, 20].map((value) => zoneOf(zones, value)?.name)).toEqual([
      undefined,
      'low',
      'high',
      undefined,
    ]);
    expect(checkOptions('gauge', { zones: 'somewhere' })).toMatchObject({ option: 'zones' });
    expect(checkOptions('chart', { rightMin: 5, rightMax: 5 })).toMatchObject({ option: 'rightMax' });
  });
});

describe('arranging', () => {
  const at = (id: string, x: number, y: number, w = 4, h = 2, more: Partial<Widget> = {}): Widget => ({
    id,
    type: 'value',
    title: '',
    sources: [],
    options: {},
    x,
    y,
    w,
    h,
    ...more,
  });
  const four = [at('a', 0, 0), at('b', 4, 0), at('c', 8, 0), at('d', 0, 2)];
  const placeOf = (widgets: readonly Widget[], id: string): number[] => {
    const { x, y, w, h } = widgets.find((one) => one.id === id)!;
    return [x, y, w, h];
  };

  it('moves and grows by cells, and nothing ever lies on another or floats', () => {
    expect(placeOf(shiftWidget(four, 'a', { y: 2 }), 'a')).toEqual([0, 2, 4, 2]);
    expect(placeOf(shiftWidget(four, 'a', { y: 2 }), 'd')).toEqual([0, 0, 4, 2]);
    expect(placeOf(shiftWidget(four, 'd', { x: 4 }), 'd')).toEqual([4, 2, 4, 2]);
    expect(placeOf(shiftWidget(four, 'a', { w: -99, h: 1 }), 'a')).toEqual([0, 0, 2, 3]);
    const step = fc.record({
      id: fc.constantFrom('a', 'b', 'c', 'd'),
      by: fc.record(
        {
          x: fc.integer({ min: -3, max: 3 }),
          y: fc.integer({ min: -3, max: 3 }),
          w: fc.integer({ min: -2, max: 2 }),
          h: fc.integer({ min: -2, max: 2 }),
        },
        { requiredKeys: [] },
      ),
    });
    fc.assert(
      fc.property(fc.array(step, { maxLength: 12 }), (steps) => {
        const done = steps.reduce<Widget[]>((all, { id, by }) => shiftWidget(all, id, by), four);
        expect(apart(done)).toBe(true);
        expect(done.map(({ id }) => id).sort()).toEqual(['a', 'b', 'c', 'd']);
        for (const one of done)
          expect(
            one.y === 0 || done.some((other) => other !== one && overlaps(other, { ...one, y: one.y - 1 })),
          ).toBe(true);
      }),
    );
  });

  it('what stands on another page is left alone', () => {
    const far = at('far', 0, 0, 4, 2, { page: 1 });
    expect(placeOf(shiftWidget([...four, far], 'a', { y: 2 }), 'far')).toEqual([0, 0, 4, 2]);
  });

  it('on the phone the order, the width and what is hidden are as their maker says; a new one comes last', () => {
    const rows = (widgets: readonly Widget[]): string[] =>
      phoneRows(widgets).map((row) => row.map(({ id }) => id).join(''));
    expect(rows(four)).toEqual(['ab', 'cd']);
    const moved = movePhone(four, 'd', -1);
    expect(rows(moved)).toEqual(['ab', 'dc']);
    expect(rows([...moved, at('new', 0, 0)])).toEqual(['ab', 'dc', 'new']);
    expect(rows(movePhone(four, 'a', -1))).toEqual(['ab', 'cd']);
    const full = four.map((one) => (one.id === 'b' ? { ...one, phone: { width: 'full' as const } } : one));
    expect(rows(full)).toEqual(['a', 'b', 'cd']);
    const hidden = four.map((one) => (one.id === 'b' ? { ...one, phone: { hidden: true } } : one));
    expect(rows(hidden)).toEqual(['ac', 'd']);
    // One that is hidden is passed over.
    expect(rows(movePhone(hidden, 'a', 1))).toEqual(['ca', 'd']);
    const halves = [at('p', 0, 0, 6, 4, { type: 'chart' }), at('q', 6, 0, 6, 4, { type: 'chart' })].map(
      (one) => ({
        ...one,
        phone: { width: 'half' as const },
      }),
    );
    expect(rows(halves)).toEqual(['pq']);
  });
});

describe('a starter dashboard', () => {
  const control = stream({
    key: 'gate_wanted',
    title: 'Gate wanted',
    unit: '%',
    min: 0,
    max: 100,
    direction: 'control',
  });
  const follow = { stream: 'valve', way: 'level' as const, withinS: 30, tolerance: 0, steps: [] };
  const kinds = [
    stream({ key: 'visitors', unit: 'count', type: 'integer', min: 0, max: 500 }),
    { ...control, follow },
    stream({ key: 'valve', type: 'boolean', unit: null, min: null, max: null }),
    stream({
      key: 'mode',
      type: 'choice',
      choices: ['by hand', 'by rain'],
      unit: null,
      min: null,
      max: null,
    }),
    stream({ key: 'picture', type: 'image', unit: null, min: null, max: null }),
    stream({ key: 'place', type: 'location', unit: null, min: null, max: null }),
    stream({ key: 'said', type: 'text', unit: null, min: null, max: null }),
  ];
  const types = (): Record<string, string> =>
    Object.fromEntries(starterWidgets(kinds, null).map(({ type, sources }) => [sources[0]!.stream, type]));

  it('shows each sort as it tells most: counts as figures, choices, pictures, places and texts as such', () => {
    expect(types()).toMatchObject({
      visitors: 'value',
      gate_wanted: 'slider',
      valve: 'lamp',
      mode: 'state',
      picture: 'pictures',
      place: 'track',
      said: 'log',
    });
  });

  it('puts what follows a control beside it', () => {
    const widgets = starterWidgets(kinds, null);
    const at = (key: string): Widget => widgets.find(({ sources }) => sources[0]!.stream === key)!;
    expect(at('valve').y).toBe(at('gate_wanted').y);
    expect(at('valve').x).toBe(at('gate_wanted').x + at('gate_wanted').w);
    expect(apart(widgets)).toBe(true);
  });

  it('has no more gauges than stand beside each other, and no chart of more lines than it takes', () => {
    const many = Array.from({ length: 20 }, (_, i) => stream({ key: `v${i}`, title: `V ${i}` }));
    const widgets = starterWidgets(many, 'mast');
    expect(widgets.filter(({ type }) => type === 'gauge')).toHaveLength(6);
    for (const { type, sources } of widgets)
      expect(sources.length).toBeLessThanOrEqual(WIDGETS[type].mostSources);
    expect(apart(widgets)).toBe(true);
  });
});
