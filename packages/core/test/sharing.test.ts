import fs from 'node:fs';
import path from 'node:path';
import * as fc from 'fast-check';
import {
  ACTIONS,
  arcShapes,
  chosenAmong,
  isForVisitors,
  LIGHT_INKS,
  lineShapes,
  mayCarry,
  mayDo,
  namesOf,
  nearestWord,
  pictureShapes,
  planChanges,
  ROLES,
  sayShown,
  sayStep,
  showField,
  shownStreams,
  staffShapes,
  tankShapes,
  toSvg,
  WIDGET_TYPES,
  type Action,
  type GaugeFacts,
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
      (['change', 'people', 'steer', 'look', 'self'] as const).some((action) => mayCarry('operator', action)),
    ).toBe(false);
  });

  it('stands in the documentation as it is (npm run reference makes it anew)', () => {
    const callers = [...ROLES, 'grant to look', 'grant to steer', 'share link'];
    const rows = (Object.keys(ACTIONS) as Action[]).map((action) => {
      const cells = [
        ...ROLES.map((role) => (mayDo(role, action) ? 'yes' : '')),
        ...(['viewer', 'operator', 'link'] as const).map((by) =>
          mayCarry(by, action) ? 'what it carries' : '',
        ),
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

  it('bridge no gap, and put a spike where it is', () => {
    const times = [0, 60, 120, 900, 960].map((s) => s * 1000);
    const shapes = lineShapes({
      lines: [{ title: 'a', times, values: [1, 1, 9, 1, 1], spanMs: 60_000, steps: false }],
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
