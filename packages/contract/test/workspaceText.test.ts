import * as fc from 'fast-check';
import { VALUE_TYPES } from '@peatmoor/core';
import { workspaceFileSchema, type WorkspaceDocument } from '../src';
import { FileError, placeInText, readWorkspaceText, writeWorkspaceText } from '../src/workspaceText';

const whole = (content: object): WorkspaceDocument =>
  workspaceFileSchema.cast({ peatmoor: 1, ...content }, { assert: false }) as WorkspaceDocument;
const problemsOf = (text: string): string[] => {
  try {
    readWorkspaceText(text);
    return [];
  } catch (error) {
    return (error as FileError).problems.map(({ line, column, message }) => `${line}:${column} ${message}`);
  }
};

const DOCUMENT = whole({
  workspace: { title: 'Quillmere Moss', zone: 'Europe/Dublin', place: null },
  kinds: [
    {
      name: 'Dipwell',
      intervalS: 60,
      notes: 'first line\nsecond: "line" # no remark',
      streams: [
        { key: 'level', title: 'Water level', type: 'number', unit: 'mm', min: -800, max: 200 },
        { key: 'mode', title: 'Mode', type: 'choice', choices: ['off', 'on', 'yes', 'null', '1'] },
      ],
    },
  ],
  dashboards: [
    {
      name: 'Any dipwell',
      kind: 'Dipwell',
      widgets: [
        {
          id: 'w1',
          type: 'gauge',
          title: '',
          sources: [{ device: null, stream: 'level' }],
          options: { target: -200 },
          x: 0,
          y: 0,
          w: 2,
          h: 5,
        },
      ],
    },
  ],
  devices: [{ id: 'dipwell-north', name: 'Dipwell North', kind: 'Dipwell', labels: ['bog'] }],
});

it('writes what is not as usual, in a fixed order, and reads it back as it was', () => {
  const text = writeWorkspaceText(DOCUMENT);
  expect(text).toMatchInlineSnapshot(`
   "# The definitions of a workspace, without readings and without secrets.
   # peatmoor workspace plan FILE says what applying it would do; peatmoor workspace apply FILE does it, all or nothing.
   # A part that is left out is not touched. Nothing is deleted without --delete.
   peatmoor: 1

   workspace:
     title: Quillmere Moss
     zone: Europe/Dublin

   # What devices of one sort have in common. A name may stand once; fields that are as usual are left out.
   kinds:
     - name: Dipwell
       notes: |-
         first line
         second: "line" # no remark
       streams:
         - key: level
           title: Water level
           type: number
           unit: mm
           min: -800
           max: 200
         - key: mode
           title: Mode
           type: choice
           choices:
             - off
             - on
             - yes
             - "null"
             - "1"

   # Tokens are not in the file: a new device gets one, told when the file is applied.
   devices:
     - id: dipwell-north
       name: Dipwell North
       kind: Dipwell
       labels:
         - bog

   # A source without a device shows the device that is chosen.
   dashboards:
     - name: Any dipwell
       kind: Dipwell
       widgets:
         - id: w1
           type: gauge
           title: ""
           sources:
             - device: null
               stream: level
           options:
             target: -200
           x: 0
           y: 0
           w: 2
           h: 5
   "
  `);
  expect(readWorkspaceText(text)).toEqual(DOCUMENT);
  // A change is one line.
  const other = structuredClone(DOCUMENT) as never as { kinds: { streams: { max: number }[] }[] };
  other.kinds[0]!.streams[0]!.max = 300;
  const lines = writeWorkspaceText(other as never).split('\n');
  expect(lines.filter((line, i) => line !== text.split('\n')[i])).toEqual(['        max: 300']);
});

it('reads back whatever it wrote: any text, any number', () => {
  const name = fc.string({ minLength: 1, maxLength: 20, unit: 'grapheme' }).map((text) => `n${text.trim()}`);
  const kind = fc.record({
    name,
    intervalS: fc.integer({ min: 1, max: 1000 }),
    notes: fc.string({ maxLength: 80, unit: 'grapheme' }),
    acceptNew: fc.boolean(),
    streams: fc.uniqueArray(
      fc.record({
        key: fc.stringMatching(/^[a-z][a-z0-9_]{0,10}$/).map((key) => `k_${key}`),
        title: name,
        type: fc.constantFrom(...VALUE_TYPES.filter((type) => type !== 'choice')),
        min: fc.option(
          fc.double({ min: -1e6, max: 0, noNaN: true }).map((value) => value + 0),
          { nil: null },
        ),
        description: fc.string({ maxLength: 40 }).map((text) => text.trim()),
      }),
      { selector: ({ key }) => key, maxLength: 5 },
    ),
  });
  fc.assert(
    fc.property(fc.array(kind, { maxLength: 4 }), (kinds) => {
      const document = whole({ kinds });
      expect(readWorkspaceText(writeWorkspaceText(document))).toEqual(document);
    }),
    { numRuns: 150 },
  );
});

it('says what is wrong at its line and column, with the nearest right word', () => {
  const text = [
    'peatmoor: 1',
    'kinds:',
    '  - name: Dipwell',
    '    intervalls: 60',
    '    streams:',
    '      - key: level',
    '        title: Water level',
    '        type: numbr',
    '      - { key: 1level, title: "", type: number }',
    'device: []',
  ].join('\n');
  expect(problemsOf(text)).toEqual([
    '4:5 "intervalls" is not a field here; perhaps "intervalS".',
    '10:1 "device" is not a field here; perhaps "devices".',
    expect.stringMatching(/^8:15 kinds\[0\]\.streams\[0\]\.type .*perhaps "number"\.$/),
    expect.stringMatching(/^9:16 kinds\[0\]\.streams\[1\]\.key must be a small letter/),
    expect.stringMatching(/^9:31 kinds\[0\]\.streams\[1\]\.title /),
  ]);
  expect(placeInText(text, 'document.kinds[0].streams[1].key')).toEqual({ line: 9, column: 16 });
  expect(placeInText(text, 'kinds[0].streams[0].nothing')).toEqual({ line: 6, column: 9 });
});

it('refuses what is no such file, in words', () => {
  expect(problemsOf('')).toEqual(['1:1 is not a workspace file: it begins with "peatmoor: 1".']);
  expect(problemsOf('peatmoor: 2')[0]).toMatch(/^1:11 peatmoor must be one of: 1/);
  expect(problemsOf('kinds: [')[0]).toMatch(/^1:9 /);
  expect(problemsOf('a: 1\na: 2')[0]).toMatch(/^2:1 Map keys must be unique/);
  const bomb = ['a: &a [x, x, x, x, x, x, x, x, x]'];
  for (let i = 0; i < 8; i++)
    bomb.push(`${'bcdefghi'[i]}: &${'bcdefghi'[i]} [${Array(9).fill(`*${'abcdefgh'[i]}`).join()}]`);
  expect(problemsOf(bomb.join('\n'))[0]).toMatch(/cannot be read: Excessive alias count/);
  expect(problemsOf(`peatmoor: ${'['.repeat(20_000)}`)).toHaveLength(1);
  expect(problemsOf('x'.repeat(1_000_001))[0]).toMatch(/larger than 1 MB/);
});
