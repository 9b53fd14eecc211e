import fs from 'node:fs';
import path from 'node:path';
import * as fc from 'fast-check';
import {
  ACTIONS,
  arcShapes,
  chosenAmong,
  gaugeFacts,
  isForVisitors,
  LIGHT_INKS,
  lineShapes,
  mayCarry,
  isOfService,
  mayByKey,
  mayDo,
  namesOf,
  nearestWord,
  pictureShapes,
  planChanges,
  wrongNames,
  planLines,
  ROLES,
  sayShown,
  sayStep,
  showField,
  shownStreams,
  staffShapes,
  tankShapes,
  timeMarks,
  toSvg,
  WIDGET_TYPES,
  type Action,
  type GaugeFacts,
  type GaugeReadings,
  type Shape,
  type Widget,
} from '../src';

const device = (id: string, kindId: number, keys: string[], labels: string[] = []) => ({
  id,
  kindId,
  labels,
  streams: keys.map((key) => ({ key, aliases: [`old_${key}`] })),
});
const widget = (type: string, ...sources: [string | null, string][]): Widget => ({
  id: `${type} ${sources.join()}`,
  type: type as 'gauge',
  title: '',
  sources: sources.map(([one, stream]) => ({ device: one, stream })),
  options: {},
  x: 0,
  y: 0,
  w: 1,
  h: 1,
});
const DEVICES = [
  device('north', 1, ['level', 'pump'], ['bog']),
  device('south', 1, ['level']),
  device('mill', 2, ['level'], ['bog']),
];

describe('what a visitor is shown', () => {
  it('is each datastream once, by its key, without what steers and what is the inside of the workspace', () => {
    const board = {
      kindId: null,
      widgets: [
        widget('gauge', ['north', 'level']),
        widget('chart', ['north', 'old_level'], ['south', 'level']),
        widget('switch', ['north', 'pump']),
        widget('timetable', ['north', 'pump']),
        widget('value', ['gone', 'level']),
        widget('value', ['north', 'gone']),
      ],
    };
    expect(shownStreams(board, DEVICES)).toEqual([
      { device: 'north', stream: 'level' },
      { device: 'south', stream: 'level' },
    ]);
    expect(WIDGET_TYPES.filter((type) => !isForVisitors({ type }))).toEqual([
      'switch',
      'button',
      'slider',
      'entry',
      'timetable',
      'events',
    ]);
  });

  it('is that of every device that can be chosen, or of the one that is', () => {
    const board = { kindId: 1, widgets: [widget('gauge', [null, 'level'])] };
    expect(shownStreams(board, DEVICES).map((one) => one.device)).toEqual(['north', 'south']);
    expect(shownStreams(board, DEVICES, { only: 'south' }).map((one) => one.device)).toEqual(['south']);
    expect(shownStreams(board, DEVICES, { only: 'mill' })).toEqual([]);
    expect(chosenAmong({ kindId: 1, forLabel: 'bog' }, DEVICES).map(({ id }) => id)).toEqual([
      'north',
      'mill',
    ]);
    expect(chosenAmong({ kindId: null }, DEVICES)).toEqual([]);
  });

  it('is said in a sentence', () => {
    const shown = shownStreams({ kindId: 1, widgets: [widget('gauge', [null, 'level'])] }, DEVICES);
    expect(
      [null, 3_600_000, 24 * 3_600_000, 7 * 86_400_000].map((back) => sayShown(shown, back).split('; ')[0]),
    ).toEqual([
      '2 datastreams of 2 devices, as far back as there are readings',
      '2 datastreams of 2 devices, 1 hour back',
      '2 datastreams of 2 devices, 24 hours back',
      '2 datastreams of 2 devices, 7 days back',
    ]);
  });
});

describe('the table of who may do what', () => {
  const FILE = path.resolve(__dirname, '../../../docs/let-others-look.md');
  const PART = /<!-- roles -->\n[\s\S]*<!-- end of roles -->/;

  it('grows with the role, and carries nothing that a role would not do', () => {
    for (const action of Object.keys(ACTIONS) as Action[]) {
      const allowed = ROLES.map((role) => mayDo(role, action));
      expect(allowed).toEqual([...allowed].sort((a, b) => Number(a) - Number(b)));
      // What a link does a grant does too, and a grant to look one to steer.
      if (mayCarry('link', action)) expect(mayCarry('viewer', action)).toBe(true);
      if (mayCarry('viewer', action)) expect(mayCarry('operator', action)).toBe(true);
    }
    expect(
      (['change', 'people', 'steer', 'look', 'self', 'own', 'signIn', 'service'] as const).some((action) =>
        mayCarry('operator', action),
      ),
    ).toBe(false);
  });

  it('says by which keys, and a key that may not do everything never more than one that may', () => {
    for (const action of Object.keys(ACTIONS) as Action[])
      expect(mayByKey(action, true) && !mayByKey(action, false)).toBe(false);
    expect([mayByKey('self', true), mayByKey('own', true), mayByKey('own', false)]).toEqual([
      true,
      false,
      true,
    ]);
    expect([mayByKey('signIn', true), mayByKey('signIn', false)]).toEqual([false, false]);
    expect((Object.keys(ACTIONS) as Action[]).filter(isOfService)).toEqual(['service']);
  });

  it('stands in the documentation as it is (npm run reference makes it anew)', () => {
    const callers = [...ROLES, 'grant to look', 'grant to steer', 'share link', 'by access key'];
    const keys = { any: 'yes', everything: 'of everything', none: 'no' };
    const rows = (Object.keys(ACTIONS) as Action[]).map((action) => {
      const cells = [
        ...ROLES.map((role) => (mayDo(role, action) ? 'yes' : '')),
        ...(['viewer', 'operator', 'link'] as const).map((by) =>
          mayCarry(by, action) ? 'what it carries' : '',
        ),
        keys[ACTIONS[action].byKey],
      ];
      return `| ${ACTIONS[action].words} | ${cells.join(' | ')} |`;
    });
    const table = [
      `| | ${callers.join(' | ')} |`,
      `|---|${callers.map(() => '---|').join('')}`,
      ...rows,
    ].join('\n');
    const text = fs.readFileSync(FILE, 'utf8');
    expect(text).toMatch(PART);
    const made = text.replace(PART, `<!-- roles -->\n\n${table}\n\n<!-- end of roles -->`);
    if (process.env.MAKE_REFERENCE !== undefined) fs.writeFileSync(FILE, made);
    else expect(text).toBe(made);
  });
});

describe('a plan', () => {
  const kinds = (max: number, ...more: string[]) => [
    {
      name: 'Dipwell',
      intervalS: 60,
      streams: [{ key: 'level', max }, ...more.map((key) => ({ key, max: 1 }))],
    },
  ];
  it('changes what differs and leaves alone what the file does not name', () => {
    const plan = planChanges({ kinds: kinds(200, 'temperature') }, { kinds: kinds(300) }, false);
    expect(plan.steps.map(sayStep)).toEqual([
      'Changes the datastream level of Dipwell: max from 200 to 300.',
    ]);
    expect(plan.stays).toEqual([{ what: 'datastream', name: 'temperature', within: 'Dipwell' }]);
    expect(
      planChanges({ kinds: kinds(1), devices: [{ id: 'north' }] }, { kinds: [] }, true).steps.map(sayStep),
    ).toEqual(['Deletes the kind Dipwell.']);
  });

  it('is none where a name is nobody’s: each is told with its place and the nearest', () => {
    const now = {
      kinds: kinds(1),
      dashboards: [{ name: 'Moss', kind: null, widgets: [{ sources: [{ device: 'long-gone' }] }] }],
    };
    const wanted = {
      devices: [
        { id: 'north', kind: 'Dipwel', gateway: null, dashboard: 'Moss' },
        { id: 'south', kind: 'Dipwell', gateway: 'north', dashboard: null },
      ],
      dashboards: [{ name: 'Two', widgets: [{ sources: [{ device: 'long-gone' }, { device: 'nroth' }] }] }],
      rules: [
        { kind: null, deviceId: 'xyz', people: ['Ranger', 'Rangr'], webhooks: ['pond'], escalateTo: null },
      ],
      grants: [{ person: 'Ranger', sort: 'label', target: 'anything' }],
      links: [{ dashboard: 'Two', deviceId: null }],
    };
    expect(
      wrongNames(now, wanted, ['Ranger']).map(({ field, reason, remedy }) => `${field} ${reason}. ${remedy}`),
    ).toEqual([
      'devices[0].kind "Dipwel" is not a kind of this workspace or of the file. The nearest is "Dipwell".',
      'dashboards[0].widgets[0].sources[1].device "nroth" is not a device of this workspace or of the file. The nearest is "north".',
      'rules[0].deviceId "xyz" is not a device of this workspace or of the file. Correct the name.',
      'rules[0].people[1] "Rangr" is not a person of this workspace. The nearest is "Ranger".',
      'rules[0].webhooks[0] "pond" is not a webhook of this workspace or of the file. Correct the name.',
    ]);
    const many = { devices: Array.from({ length: 50_000 }, (_, i) => ({ id: `d${i}`, kind: `K${i}` })) };
    expect(wrongNames(now, many, [])).toHaveLength(20);
  });

  it('of something new says what it holds, and not once more what it is named by', () => {
    const wanted = {
      kinds: kinds(200),
      devices: [{ id: 'north', name: 'North', notes: '', labels: [] }],
      timetables: [{ device: 'north', title: 'Mornings', active: true }],
      links: [{ name: 'Village', sort: 'device', device: 'north' }],
    };
    expect(planLines(planChanges({}, wanted, false))).toEqual([
      '+ kind Dipwell',
      '    intervalS: 60',
      '    streams: 1 entry',
      '+ device north',
      '    name: North',
      '+ timetable north: Mornings',
      '    active: true',
      '+ link Village',
      '    sort: device',
      '    device: north',
    ]);
  });

  it('of anything against itself is empty, whatever order its fields stand in', () => {
    const value = fc.oneof(
      fc.string(),
      fc.integer(),
      fc.boolean(),
      fc.constant(null),
      fc.array(fc.integer()),
    );
    const entry = fc.dictionary(fc.constantFrom('a', 'b', 'c', 'd'), value);
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.record({ name: fc.string(), more: entry }), { selector: ({ name }) => name }),
        (rules) => {
          const turned = rules.map(({ name, more }) => ({
            more: Object.fromEntries(Object.entries(more).reverse()),
            name,
          }));
          expect(planChanges({ rules }, { rules: turned }, true)).toEqual({ steps: [], stays: [] });
        },
      ),
    );
  });

  it('shows values short, and times and lengths of time in words', () => {
    expect([null, '', [], 'x', 5, true, [1, 2], [{}, {}]].map((one) => showField(one))).toEqual([
      'nothing',
      'nothing',
      'nothing',
      'x',
      '5',
      'true',
      '[1,2]',
      '2 entries',
    ]);
    expect(showField(86_400_000, 'backMs')).toBe('1 d');
    expect(showField(1_795_759_233_967, 'endsAt')).toBe('2026-11-27 06:00');
    expect(showField('x'.repeat(200))).toHaveLength(62);
  });

  it('names things that have one title apart, and finds the nearest word', () => {
    expect(namesOf(['a', 'b', 'a', 'a (2)', 'a'])).toEqual(['a', 'b', 'a (2)', 'a (2) (2)', 'a (3)']);
    expect(nearestWord('temperatur', ['level', 'temperature'])).toBe('temperature');
    expect(nearestWord('zzzzzz', ['level', 'temperature'])).toBeUndefined();
  });
});

describe('drawings', () => {
  const facts: GaugeFacts = {
    value: 40,
    wanted: 60,
    target: 50,
    min: 0,
    max: 100,
    day: { min: 20, max: 80 },
    zones: [{ name: 'dry', min: null, max: 30, tone: 'wrong' }],
    marks: [0, 50, 100],
    width: 200,
    height: 224,
    sample: false,
    guessed: false,
  };
  const flat = (shapes: readonly Shape[]): Shape[] =>
    shapes.flatMap((one) => ('shapes' in one ? [one, ...flat(one.shapes)] : [one]));

  it('have what is measured, wanted, aimed at and marked at its height, whatever the shape', () => {
    const staff = staffShapes(facts);
    const y = (share: number): number => 212 - share * 200;
    expect(staff.find((one) => one.is === 'group')).toMatchObject({ dy: y(0.4) });
    expect(staff.filter((one) => one.is === 'text').map((one) => one.y - 4.5)).toEqual([0, 0.5, 1].map(y));
    expect(
      staff.some((one) => one.is === 'path' && one.stroke === 'heather' && one.d.includes(` ${y(0.6)}h`)),
    ).toBe(true);
    for (const shapes of [staff, arcShapes(facts), tankShapes(facts)]) {
      const names = flat(shapes).flatMap((one) =>
        'fill' in one ? [one.fill, one.stroke] : 'stroke' in one ? one.stroke : [],
      );
      expect(names).toEqual(expect.arrayContaining(['pool', 'heather', 'moss', 'soft', 'ink']));
    }
    const bare = staffShapes({
      ...facts,
      value: undefined,
      wanted: undefined,
      target: null,
      day: null,
      zones: [],
    });
    expect(flat(bare).some((one) => 'fill' in one && one.fill === 'pool')).toBe(false);
  });

  it('are of a gauge worked out in the units that are shown, as far as is said or was seen', () => {
    const stream = { min: null, max: null };
    const of = (
      options: Widget['options'],
      readings: Partial<GaugeReadings> = {},
      room = facts,
    ): GaugeFacts =>
      gaugeFacts(
        { ...widget('gauge'), options },
        {
          stream,
          value: 5,
          wanted: undefined,
          day: null,
          convert: (one) => one * 10,
          sample: false,
          ...readings,
        },
        room,
      );
    // Somebody said it, the datastream says it, or it is as far as it went.
    expect(of({ min: -1, max: 9 }, { stream: { min: 0, max: 100 } })).toMatchObject({
      min: -10,
      max: 90,
      guessed: false,
    });
    expect(of({}, { stream: { min: 0, max: 100 } })).toMatchObject({ min: 0, max: 1000, value: 50 });
    const seen = of({}, { day: { min: 2, max: 17 } });
    expect(seen.min).toBeLessThanOrEqual(20);
    expect(seen.max).toBeGreaterThanOrEqual(170);
    expect(seen.day).toEqual({ min: 20, max: 170 });
    // What only fits is marked, but not where values are made up anyway.
    expect([seen.guessed, of({}, { sample: true }).guessed, of({ min: 0, max: 9 }).guessed]).toEqual([
      true,
      false,
      false,
    ]);
    expect(of({ day: false }, { day: { min: 2, max: 17 } }).day).toBeNull();
    const wished = of({ target: 7, zones: 'below 3 dry look' }, { wanted: 6 });
    expect([wished.target, wished.wanted]).toEqual([70, 60]);
    // Nothing came yet: there is a scale all the same.
    const nothing = of({}, { value: undefined });
    expect(nothing.value).toBeUndefined();
    expect([nothing.min, nothing.max].every(Number.isFinite) && nothing.max > nothing.min).toBe(true);
    for (const shape of ['staff', 'arc', 'tank'] as const) {
      const small = of({ shape, min: 0, max: 10 }, {}, { ...facts, width: 60, height: 60 });
      const large = of({ shape, min: 0, max: 10 }, {}, { ...facts, width: 900, height: 900 });
      expect(small.marks.length).toBeGreaterThanOrEqual(2);
      expect(large.marks.length).toBeGreaterThan(small.marks.length);
      expect(large.marks.every((mark) => mark >= 0 && mark <= 100)).toBe(true);
    }
  });

  it('have as many marks in a picture as there is room for, whatever its shape', () => {
    const pictured = (shape: string, height: number): number => {
      const shapes = pictureShapes(
        {
          is: 'gauge',
          widget: { ...widget('gauge'), options: { shape } },
          readings: {
            stream: { min: 0, max: 100 },
            value: 40,
            wanted: undefined,
            day: null,
            convert: (one) => one,
            sample: false,
          },
          figure: '40',
          unit: 'mm',
        },
        { title: 'Level', note: '', width: height, height },
      );
      return flat(shapes).filter((one) => one.is === 'text' && /^\d+$/.test(one.text)).length;
    };
    for (const shape of ['staff', 'arc', 'tank'])
      expect([shape, pictured(shape, 700) > pictured(shape, 130)]).toEqual([shape, true]);
  });

  it('bridge no gap, and put a spike where it is', () => {
    const times = [0, 60, 120, 900, 960].map((s) => s * 1000);
    const shapes = lineShapes({
      lines: [{ title: 'a', times, values: [1, 1, 9, 1, 1], spanMs: 60_000, steps: false, unit: '' }],
      from: 0,
      to: 1_000_000,
      zone: 'UTC',
      width: 400,
      height: 200,
      show: String,
    });
    const [line] = shapes.filter((one) => one.is === 'path');
    expect(line!.d.match(/M/g)).toHaveLength(2);
    expect(line!.d.match(/L/g)).toHaveLength(3);
  });

  it('of two units have a scale each, and only that of the first is written', () => {
    const line = (title: string, unit: string, values: number[]) => ({
      ...{ title, unit, values, times: [0, 500_000, 1_000_000], spanMs: 0, steps: false },
    });
    const shapes = lineShapes({
      lines: [line('Level', 'mm', [-300, -250, -200]), line('Peat', '°C', [8, 9, 10])],
      ...{ from: 0, to: 1_000_000, zone: 'UTC', width: 400, height: 300, show: String },
    });
    const heights = shapes.flatMap((one) =>
      one.is === 'path' ? [[...one.d.matchAll(/[ML]\S+ (\S+?)(?=L|$)/g)].map(([, y]) => Number(y))] : [],
    );
    expect(heights[0]![0]! - heights[0]![2]!).toBeGreaterThan(150);
    expect(heights[1]).toEqual(heights[0]);
    const texts = shapes.flatMap((one) => (one.is === 'text' ? [one.text] : []));
    expect(texts).toEqual(expect.arrayContaining(['Level (mm)', 'Peat (°C), own scale', '-260']));
    expect(texts).not.toContain('9');
  });

  it('show a reading that stands by itself as a dot, and nothing for nothing', () => {
    const drawn = (times: number[], steps = false): Shape[] =>
      lineShapes({
        lines: [{ title: 'a', times, values: times.map(() => 1), spanMs: 60_000, steps, unit: '' }],
        from: 0,
        to: 10_000_000,
        zone: 'UTC',
        width: 400,
        height: 200,
        show: String,
      }).filter((one) => one.is === 'circle');
    expect(drawn([600_000, 5_000_000, 9_000_000])).toHaveLength(3);
    expect(drawn([600_000, 660_000, 720_000, 9_000_000])).toHaveLength(1);
    expect(drawn([600_000], true)).toHaveLength(1);
    expect(drawn([])).toEqual([]);
  });

  it('have round times of the clock of their place, each once, however long they are', () => {
    const zone = 'Europe/Dublin';
    const noon = Date.UTC(2026, 9, 24, 11);
    const labels = (days: number, most: number): string[] =>
      timeMarks(noon, noon + days * 86_400_000, zone, most).map(({ label }) => label);
    expect(labels(1, 5)).toEqual(['12:00', '18:00', '25 Oct', '06:00']);
    // The clock is put back on the 25th: marks go by it, and midnights stay midnights.
    expect(labels(3, 4)).toEqual(['25 Oct', '26 Oct', '27 Oct']);
    expect(labels(400, 6)).toEqual(['Jan 27', 'Apr 27', 'Jul 27', 'Oct 27']);
    expect([labels(4000, 12)[0], labels(4000, 12).at(-1)]).toEqual(['2027', '2037']);
    for (const minutes of [1, 7, 33, 180, 900, 5000, 50_000, 5_000_000]) {
      const to = noon + minutes * 60_000;
      const marks = timeMarks(noon, to, zone, 4);
      expect(marks.length).toBeLessThanOrEqual(minutes > 4_000_000 ? 12 : 5);
      expect(marks.every(({ at }) => at >= noon && at <= to)).toBe(true);
      expect(new Set(marks.map(({ at }) => at)).size).toBe(marks.length);
    }
    expect(timeMarks(5, 5, 'nowhere', 0)).toEqual([]);
  });

  it('are SVG in which nothing a person wrote is markup', () => {
    const title = `<script>"&'`;
    const svg = toSvg(
      pictureShapes(
        { is: 'value', figure: '<b>', unit: '&' },
        { title, note: '</text><script>', width: 300, height: 200 },
      ),
      { width: 300, height: 200, inks: LIGHT_INKS, ground: false, title },
    );
    expect(svg).not.toMatch(/<script|<b>|<\/text><s/);
    expect(svg).not.toContain('<rect');
    expect(svg.match(/<text/g)).toHaveLength(3);
    expect(svg.match(/<\/text>/g)).toHaveLength(3);
  });
});
