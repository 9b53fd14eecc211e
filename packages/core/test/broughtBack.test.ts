import { asTable, exactTime, partOfMs, TableError } from '../src';

const noon = Date.UTC(2026, 4, 1, 12);
const digitsOf = (text: string): string => /\.(\d+)Z$/.exec(text)![1]!;

describe('a time between two milliseconds', () => {
  it('is written with as many digits as it needs', () => {
    expect(exactTime(noon)).toBe('2026-05-01T12:00:00.000Z');
    expect(exactTime(noon + 123)).toBe('2026-05-01T12:00:00.123Z');
    expect(exactTime(noon + 123.5)).toBe('2026-05-01T12:00:00.1235Z');
    expect(exactTime(-0.5)).toBe('1969-12-31T23:59:59.9995Z');
  });

  it('comes back as it was: for each part that any node gives', () => {
    for (const from of [0.25, 0.5])
      for (let part = 0; part < 256; part++) {
        const at = noon + 999 + from + part / 1024;
        expect(noon + 999 + partOfMs(digitsOf(exactTime(at)))).toBe(at);
      }
  });

  it('is not made of times that others measured finer', () => {
    for (const digits of ['', '123', '1239', '123456', '1231', '123999999', '123750000'])
      expect([digits, partOfMs(digits)]).toEqual([digits, 0]);
  });
});

describe('a file to bring in', () => {
  it('is left as it is where it is a table', () => {
    expect(asTable('at,level\n2026-05-01,1')).toBe('at,level\n2026-05-01,1');
  });

  it('may be JSON: texts, places, and names that not every row has', () => {
    expect(
      asTable(
        JSON.stringify([
          { at: '2026-05-01T12:00:00.1235Z', level: -121, n: 7 },
          { at: '2026-05-01T12:00:01Z', note: '=1+1, "so"', gate: true, level: null },
          { at: noon, place: { lat: 53.5, lon: -7.25, alt: 80 } },
        ]),
      ).split('\n'),
    ).toEqual([
      'at,level,note,gate,place',
      '2026-05-01T12:00:00.1235Z,-121,,,',
      `2026-05-01T12:00:01Z,,"'=1+1, ""so""",true,`,
      `${noon},,,,"53.5,-7.25,80"`,
    ]);
  });

  it('may be SenML: values of one time beside each other, units in the heading, base values', () => {
    const t = noon / 1000;
    expect(
      asTable(
        JSON.stringify([
          { bn: 'own/', n: 'level', u: 'mm', t: t + 0.1235, v: -121 },
          { n: 'gate', t: t + 0.1235, vb: false },
          { n: 'level', u: 'mm', t: t + 0.1235, v: -122 },
          { bt: t, bu: 'Cel', bv: 10, n: 'warmth', t: 2, v: 0.5 },
          { n: 'state', t: 2, vs: 'dry' },
        ]),
      ).split('\n'),
    ).toEqual([
      'at,level (mm),gate,warmth (Cel),state',
      '2026-05-01T12:00:00.1235Z,-121,false,,',
      '2026-05-01T12:00:00.1235Z,-122,,,',
      '2026-05-01T12:00:02.000Z,,,10.5,dry',
    ]);
  });

  it.each([
    ['[{"at": 1', /not whole JSON/],
    ['[1, 2]', /array of objects/],
    ['[{"bn":"a/","n":"x","t":1.7e9,"v":1},{"bn":"b/","n":"x","t":1.7e9,"v":1}]', /several devices: a, b/],
    ['[{"n":"x","t":-5,"v":1}]', /count from when it was sent/],
    ['[{"n":"x","t":1e300,"v":1}]', /count from when it was sent/],
  ])('%s is refused with a sentence', (text, words) => {
    expect(() => asTable(text)).toThrow(words);
    expect(() => asTable(text)).toThrow(TableError);
  });
});
