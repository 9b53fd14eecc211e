import {
  decodeFile,
  indexNames,
  readSheet,
  sheetForm,
  sheetParts,
  takeTimes,
  type SheetRow,
} from '@peatmoor/core';
import { stream } from './samples';

const streams = [
  stream({ key: 'water_level', title: 'Water level' }),
  stream({ key: 'battery', title: 'Battery', unit: 'V', min: 0, max: 5, decimals: 2 }),
  stream({ key: 'rain_day', title: 'Rain today', computation: { form: 'change', of: 'battery' } }),
];
const index = indexNames(streams);
const LONDON = 'Europe/London';

function read(text: string, zone = LONDON) {
  const sheet = readSheet(text, index, streams, { zone });
  if (typeof sheet === 'string') throw new Error(sheet);
  const rows = [...sheet.rows];
  return { rows, notes: sheet.notes(), form: sheet.form };
}
const atOf = (row: SheetRow | undefined): string =>
  row !== undefined && 'at' in row
    ? new Date(row.at as number).toISOString()
    : `refused: ${row && 'refused' in row ? row.refused.hint : ''}`;
const timeIn = (text: string, zone = LONDON): string =>
  atOf(read(`at,water_level\n"${text}",1\n`, zone).rows[0]);

describe('a table of readings', () => {
  it.each(['at', 'AT', 'time', 'Time', 'timestamp', 'TIMESTAMP', 'date', 'Date'])(
    'has its times in a column called %s',
    (name) => {
      const { rows } = read(`${name},water_level\n2026-05-01T12:00:00Z,-121\n`);
      expect(rows).toEqual([{ line: 2, at: Date.UTC(2026, 4, 1, 12), values: [['water_level', '-121']] }]);
    },
  );

  it('reads times as people and spreadsheets write them', () => {
    for (const [text, at] of [
      ['2026-05-01T12:00:00Z', '2026-05-01T12:00:00.000Z'],
      ['2026-05-01T12:00:00+02:00', '2026-05-01T10:00:00.000Z'],
      ['2026-05-01 12:00', '2026-05-01T11:00:00.000Z'],
      ['2026/5/1 12:00', '2026-05-01T11:00:00.000Z'],
      ['1.5.2026 12:00', '2026-05-01T11:00:00.000Z'],
      ['01/05/2026 12:00:30', '2026-05-01T11:00:30.000Z'],
      ['1/5/2026 9:05 PM', '2026-05-01T20:05:00.000Z'],
      ['1/5/2026 12:05 am', '2026-04-30T23:05:00.000Z'],
      ['1777636800', '2026-05-01T12:00:00.000Z'],
      ['1777636800123', '2026-05-01T12:00:00.123Z'],
      // Days since 30 December 1899: 12:00 on that day, by a clock in London.
      ['46143.5', '2026-05-01T11:00:00.000Z'],
      ["'2026-05-01 12:00:00,5", '2026-05-01T11:00:00.500Z'],
      ['2026-05-01', '2026-04-30T23:00:00.000Z'],
    ])
      expect([text, timeIn(text!)]).toEqual([text, at]);
    for (const wrong of [
      'yesterday',
      '2026-02-30',
      '32.1.2026',
      '2026-05-01 25:00',
      '12:00',
      'x'.repeat(100),
    ])
      expect([wrong, timeIn(wrong)]).toEqual([wrong, expect.stringContaining('refused')]);
  });

  it('says in which zone clocks without one were read, and which part of a date is the day', () => {
    expect(read('date,water_level\n2026-05-01 12:00,1\n').notes).toEqual([
      `Times without a zone were read in ${LONDON}.`,
    ]);
    expect(read('date,water_level\n03/04/2026,1\n').notes).toContain('Dates were read with the day first.');
    // One date that cannot be otherwise says it for all.
    const american = read('date,water_level\n03/04/2026,1\n03/24/2026,2\n');
    expect(american.rows.map(atOf)).toEqual(['2026-03-04T00:00:00.000Z', '2026-03-24T00:00:00.000Z']);
    expect(american.notes).toHaveLength(1);
    expect(read('date,water_level\n2026-05-01T12:00Z,1\n').notes).toEqual([]);
  });

  it('reads date and time in columns of their own, and the offset beside them', () => {
    const doubled =
      'date,time,offset,water_level\n2026-10-25,01:30:00,+01:00,1\n2026-10-25,01:30:00,+00:00,2\n';
    expect(read(doubled).rows.map(atOf)).toEqual(['2026-10-25T00:30:00.000Z', '2026-10-25T01:30:00.000Z']);
  });

  it('takes a decimal comma, any separator, and what a spreadsheet says of it', () => {
    for (const text of [
      'date;battery;water_level\n2026-05-01;3,91;-1.200,5\n',
      'sep=;\ndate;battery;water_level\n2026-05-01;3,91;-1.200,5\n',
      'date\tbattery\twater_level\n2026-05-01\t3,91\t-1.200,5\n',
    ]) {
      const { rows, notes } = read(text);
      expect(rows[0]).toMatchObject({
        values: [
          ['battery', '3.91'],
          ['water_level', '-1200.5'],
        ],
      });
      expect(notes).toContain('Numbers were read with a comma before their decimals.');
    }
    // Where the comma separates, it separates.
    expect(read('at,battery,water_level\n2026-05-01,3,91\n').rows[0]).toMatchObject({
      values: [
        ['battery', '3'],
        ['water_level', '91'],
      ],
    });
  });

  it('knows datastreams by title and unit, as an exported sheet has them, and passes computed ones over', () => {
    const { rows, notes } = read(
      'date,time,offset,Water level (mm),Battery (mV),Rain today (mm)\n2026-05-01,12:00:00.000,+01:00,-12,3900,4\n',
    );
    expect(rows[0]).toMatchObject({
      at: Date.UTC(2026, 4, 1, 11),
      values: [
        ['water_level', '-12', 'mm'],
        ['battery', '3900', 'mV'],
      ],
    });
    expect(notes).toEqual(['Computed, so passed over: rain_day.']);
  });

  it('refuses a ragged row alone, and a table that is none in a sentence', () => {
    const { rows } = read('at,water_level\n2026-05-01,1\n2026-05-02,1,2,3\n2026-05-03\n2026-05-04,4\n');
    expect(rows.map((row) => ('refused' in row ? row.refused.reason : 'taken'))).toEqual([
      'taken',
      'unreadable',
      'unreadable',
      'taken',
    ]);
    for (const [text, why] of [
      ['', 'header row'],
      ['at,water_level\n', 'header row'],
      ['level,battery\n1,2\n', 'No column says when'],
      ['at,\n1,2\n', 'has no name'],
      ['at (values made right),water_level\n2026-05-01,1\n', 'corrected twice'],
      ['date (values made right),time,offset,Water level (mm)\n2026-05-01,12:00,Z,1\n', 'corrected twice'],
      ['at,water_level\n"2026-05-01,1\n', 'Row'],
    ])
      expect([text, readSheet(text!, index, streams, { zone: 'UTC' })]).toEqual([
        text,
        expect.stringContaining(why!),
      ]);
  });

  it('reads the letters of a file whatever wrote it', () => {
    const text = 'at;Pegel °C\n1;2\n';
    const utf16 = Buffer.from(`\uFEFF${text}`, 'utf16le');
    expect(decodeFile(utf16)).toBe(text);
    expect(decodeFile(utf16.swap16())).toBe(text);
    expect(decodeFile(Buffer.from(text))).toBe(text);
    expect(decodeFile(Buffer.from(`\uFEFF${text}`))).toBe(text);
    expect(decodeFile(Buffer.from(text, 'latin1'))).toBe(text);
    expect(decodeFile(new Uint8Array())).toBe('');
  });

  it('is cut into parts by lines, cells and letters, at the ends of rows only', () => {
    const rows = Array.from({ length: 3000 }, (_, i) => `2026-05-01,${i},2,3,4,"a\nb"`);
    const text = `at,a,b,c,d,e\r\n${rows.join('\r\n')}\r\n`;
    const parts = [...sheetParts(text, sheetForm(text), 2000, 9000, 1e6)];
    expect(parts.map(({ lines, firstRow }) => [lines.length, firstRow])).toEqual([
      [1500, 2],
      [1500, 1502],
    ]);
    expect(parts.at(-1)!.share).toBe(1);
    expect(parts.flatMap(({ lines }) => lines)).toHaveLength(3000);
    expect([...sheetParts('at,a\n', sheetForm('at,a\n'), 2000, 9000, 1e6)]).toHaveLength(1);
  });
});

it('a report names its time as it likes, unless a datastream is called so', () => {
  const taken = (values: [string, unknown][], of = streams) => {
    const row = { at: undefined as unknown, values };
    takeTimes([row], indexNames(of));
    return row;
  };
  expect(
    taken([
      ['Time', '2026-05-01T12:00:00Z'],
      ['water_level', 1],
    ]),
  ).toEqual({ at: '2026-05-01T12:00:00Z', values: [['water_level', 1]] });
  expect(
    taken([
      ['timestamp', 1777636800],
      ['water_level', 1],
    ]).at,
  ).toBe(1777636800);
  expect(
    taken([
      ['date', '2026-05-01'],
      ['time', '12:00:00'],
      ['water_level', 1],
    ]).at,
  ).toBe('2026-05-01T12:00:00');
  // Alone it is a value; called so, a datastream.
  expect(taken([['time', 5]]).at).toBeUndefined();
  expect(
    taken(
      [
        ['time', 5],
        ['water_level', 1],
      ],
      [...streams, stream({ key: 'time' })],
    ).at,
  ).toBeUndefined();
});
