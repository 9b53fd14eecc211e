import { encode } from 'cborg';
import fc from 'fast-check';
import {
  decodeByContent,
  decodeByType,
  decodeCsvReport,
  type DecodedReport,
  decodeJsonReport,
  decodeSenmlCbor,
  decodeSenmlJson,
  indexNames,
  isOwnName,
  isRefusal,
  joinPlaces,
  looksLikeSenml,
  type Refusal,
  takeReport,
} from '@peatmoor/core';
import { stream } from './samples';

const NOW = Date.UTC(2026, 4, 1, 12);
const plain = { min: null, max: null, unit: null };
const index = indexNames([
  stream({ min: null, max: null }),
  stream({ key: 'temperature', ...plain, unit: 'Cel' }),
  stream({ key: 'level_sum', ...plain }),
  stream({ key: 'state', type: 'text', ...plain }),
  stream({ key: 'open', type: 'boolean', ...plain }),
]);

/** Values as [name, seconds from now, value], and refusals as [name, reason]. */
function taken(report: DecodedReport | Refusal) {
  if (isRefusal(report)) return { refused: [[report.name, report.reason]] };
  const { accepted, refused } = takeReport(index, report, NOW);
  return {
    accepted: accepted.map(({ stream: { key }, at, value }) => [key, (at - NOW) / 1000, value]),
    refused: refused.map(({ name, reason }) => [name, reason]),
  };
}
const senml = (pack: unknown) => taken(decodeSenmlJson(JSON.stringify(pack), NOW));

describe('a SenML pack (RFC 8428)', () => {
  it('is one record with a name and a value', () => {
    expect(senml([{ n: 'level', v: -121 }])).toEqual({ accepted: [['level', 0, -121]], refused: [] });
  });

  it('resolves base name, time, unit and value into the records that follow', () => {
    const at = NOW / 1000 - 60;
    expect(
      senml([
        { bn: 'dipwell-north/', bt: at, bu: 'Cel', bv: 20, n: 'temperature', v: 1.5 },
        { n: 'temperature', t: 10, v: 2 },
        { n: 'level', u: 'mm', bv: 0, t: 20, v: -121 },
      ]),
    ).toEqual({
      accepted: [
        ['temperature', -60, 21.5],
        ['temperature', -50, 22],
        ['level', -40, -121],
      ],
      refused: [],
    });
  });

  it('takes times below 2^28 seconds as relative to now', () => {
    expect(
      senml([
        { n: 'level', t: -5, v: 1 },
        { n: 'level', v: 2 },
      ]).accepted,
    ).toEqual([
      ['level', -5, 1],
      ['level', 0, 2],
    ]);
  });

  it('converts other units of the same quantity and refuses those of another', () => {
    expect(
      senml([
        { n: 'temperature', u: 'K', v: 294.65 },
        { n: 'level', u: 'm', v: -0.121 },
      ]).accepted,
    ).toEqual([
      ['temperature', 0, 21.5],
      ['level', 0, -121],
    ]);
    expect(senml([{ n: 'temperature', u: 'V', v: 3 }]).refused).toEqual([['temperature', 'wrong-unit']]);
  });

  it('carries texts, booleans and sums', () => {
    expect(
      senml([
        { n: 'state', vs: 'dry' },
        { n: 'open', vb: true },
        { n: 'level', v: 1, s: 40, bs: 2 },
      ]).accepted,
    ).toEqual([
      ['state', 0, 'dry'],
      ['open', 0, 1],
      ['level', 0, 1],
      ['level_sum', 0, 42],
    ]);
  });

  it('tells for whom a record speaks by what stands before the last colon or slash', () => {
    const decoded = decodeSenmlJson(
      JSON.stringify([
        { bn: 'urn:dev:mac:0024befffe804ff1:', n: 'level', v: 1 },
        { bn: '', n: 'well-7/level', v: 2 },
      ]),
      NOW,
    ) as DecodedReport;
    expect(decoded.rows.map(({ device, values }) => [device, values[0]![0]])).toEqual([
      ['urn:dev:mac:0024befffe804ff1', 'level'],
      ['well-7', 'level'],
    ]);
  });

  it('passes over what it need not understand, and keeps the value beside it', () => {
    expect(senml([{ n: 'level', v: 1, ut: 60, flavour: 'salt' }])).toEqual({
      accepted: [['level', 0, 1]],
      refused: [],
    });
  });

  it('refuses a value in the field of another sort, and a number that came as a text', () => {
    for (const wrong of [{ v: '5' }, { vb: 1 }, { vs: 7 }, { vs: '7' }])
      expect([wrong, senml([{ n: 'level', ...wrong }])]).toEqual([
        wrong,
        { accepted: [], refused: [['level', 'wrong-type']] },
      ]);
    expect(senml([{ n: 'state', vs: '7' }]).accepted).toEqual([['state', 0, '7']]);
  });

  it('puts latitude and longitude of one time into the one location there is', () => {
    const place = stream({ key: 'place', type: 'location', unit: null, min: null, max: null });
    const pack = [
      { bn: '', t: 5, n: 'lat', u: 'lat', v: 53.4 },
      { t: 5, n: 'lon', u: 'lon', v: -1.9 },
      { t: 9, n: 'lat', u: 'lat', v: 53.5 },
    ];
    const joined = (streams: ReturnType<typeof stream>[]) => {
      const { rows } = decodeSenmlJson(JSON.stringify(pack), NOW) as DecodedReport;
      joinPlaces(rows, indexNames(streams), streams);
      return rows.map(({ values }) => values[0]);
    };
    expect(joined([place])).toEqual([
      ['place', { lat: 53.4, lon: -1.9 }],
      ['lat', 53.5, 'lat'],
    ]);
    // A kind with datastreams for the numbers has them as numbers; one of two places, nobody knows.
    expect(joined([place, stream({ key: 'lat' })])).toHaveLength(3);
    expect(joined([place, stream({ key: 'home', type: 'location' })])).toHaveLength(3);
  });

  it('knows a device by its ID, its serial or a URN of it', () => {
    const device = { id: 'well-7', serial: '0024BEFFFE804FF1' };
    for (const name of ['well-7', '0024beFFFE804ff1', 'urn:dev:mac:0024befffe804ff1', 'urn:dev:os:well-7'])
      expect([name, isOwnName(name, device)]).toEqual([name, true]);
    for (const name of ['well-8', 'urn:dev:mac:0024', 'urn:dev:'])
      expect([name, isOwnName(name, device)]).toEqual([name, false]);
    expect(isOwnName('null', { id: 'a', serial: null })).toBe(false);
  });

  it.each([
    ['a field that must be understood', [{ n: 'level', v: 1, secret_: 1 }], ['secret_', 'no-meaning']],
    ['a newer version', [{ bver: 11, n: 'level', v: 1 }], ['bver', 'no-meaning']],
    ['a base time that is not a number', [{ bt: 'now', n: 'level', v: 1 }], ['bt', 'wrong-type']],
    ['a base name that is no text', [{ bn: 7, n: 'level', v: 1 }], ['bn', 'wrong-type']],
    ['an empty pack', [], ['', 'unreadable']],
    ['no pack at all', { n: 'level', v: 1 }, ['', 'unreadable']],
    ['a record that is none', [7], ['', 'unreadable']],
    ['only base fields', [{ bn: 'level' }], ['', 'unreadable']],
  ])('refuses %s', (_what, pack, refused) => {
    expect(senml(pack).refused).toEqual([refused]);
  });

  it('refuses two values in one record, but not its neighbours', () => {
    expect(
      senml([
        { n: 'level', v: 1, vs: 'one' },
        { n: 'state', vs: 'dry' },
      ]),
    ).toEqual({ accepted: [['state', 0, 'dry']], refused: [['level', 'repeated-name']] });
  });

  it('says the same in CBOR as in JSON', () => {
    const labels: Record<string, number> = { bn: -2, bt: -3, bu: -4, bv: -5, n: 0, u: 1, v: 2, vs: 3, t: 6 };
    const record = fc.record(
      {
        n: fc.constantFrom('level', 'temperature', 'state', 'nonsense'),
        v: fc.integer({ min: -1000, max: 1000 }),
        t: fc.integer({ min: -100_000, max: 0 }),
        bt: fc.integer({ min: -1000, max: 0 }),
      },
      { requiredKeys: ['n', 'v'] },
    );
    fc.assert(
      fc.property(fc.array(record, { minLength: 1, maxLength: 8 }), (pack) => {
        const cbor = encode(
          pack.map((one) => new Map(Object.entries(one).map(([name, value]) => [labels[name]!, value]))),
        );
        expect(decodeSenmlCbor(cbor, NOW)).toEqual(decodeSenmlJson(JSON.stringify(pack), NOW));
        expect(decodeByContent(cbor, NOW)).toEqual(decodeSenmlCbor(cbor, NOW));
      }),
    );
  });

  it('reads decimal fractions and data in CBOR', () => {
    // [{0: "level", 2: 4([-1, -1215])}], as RFC 8949 §3.4.4 writes -121.5
    const bytes = Uint8Array.from([
      0x81,
      0xa2,
      0x00,
      0x65,
      ...Buffer.from('level'),
      0x02,
      0xc4,
      0x82,
      0x20,
      0x39,
      0x04,
      0xbe,
    ]);
    expect(taken(decodeSenmlCbor(bytes, NOW)).accepted).toEqual([['level', 0, -121.5]]);
    expect(taken(decodeSenmlCbor(bytes.subarray(0, 9), NOW)).refused).toEqual([['', 'unreadable']]);
  });

  it('is told from rows of names and values', () => {
    expect(looksLikeSenml([{ n: 'level', v: 1 }])).toBe(true);
    expect(looksLikeSenml([{ bn: 'x', v: 1 }])).toBe(true);
    expect(looksLikeSenml([{ n: 7, level: 1 }])).toBe(false);
    expect(looksLikeSenml([{ level: 1 }])).toBe(false);
    expect(taken(decodeJsonReport('[{"n":"level","v":3}]', NOW)).accepted).toEqual([['level', 0, 3]]);
  });
});

describe('a CSV report', () => {
  it('has a header row of names, then a row a time; an empty cell is not a value', () => {
    const text = `at,Level,state\n${new Date(NOW - 2000).toISOString()},-121,"dry, so far"\n${NOW - 1000},-122,\n`;
    expect(taken(decodeCsvReport(text))).toEqual({
      accepted: [
        ['level', -2, -121],
        ['state', -2, 'dry, so far'],
        ['level', -1, -122],
      ],
      refused: [],
    });
  });

  it.each(['level;state\n-1;dry', 'level\tstate\n-1\tdry', 'level,state\r\n-1,dry\r\n\r\n'])(
    'takes the separators that programs use: %j',
    (text) => {
      expect(taken(decodeCsvReport(text)).accepted).toEqual([
        ['level', 0, -1],
        ['state', 0, 'dry'],
      ]);
    },
  );

  it.each([
    ['nothing', ''],
    ['only a header', 'level'],
    ['a row of another length', 'level,state\n1'],
    ['a column without a name', 'level,\n1,2'],
    ['a quotation mark that never closes', 'level\n"1'],
    ['no value in any row', 'level,state\n,\n'],
  ])('refuses %s as unreadable', (_what, text) => {
    expect(taken(decodeCsvReport(text)).refused).toEqual([['', 'unreadable']]);
  });
});

describe('a report by its content type', () => {
  const bytes = (text: string) => new TextEncoder().encode(text);
  it('is read as what it says it is', () => {
    const level = [['level', 0, -121]];
    expect(taken(decodeByType('application/json', bytes('{"level":-121}'), NOW, null)).accepted).toEqual(
      level,
    );
    expect(taken(decodeByType('text/csv', bytes('level\n-121'), NOW, null)).accepted).toEqual(level);
    expect(
      taken(decodeByType('application/senml+json', bytes('[{"n":"level","v":-121}]'), NOW, null)).accepted,
    ).toEqual(level);
    expect(
      taken(decodeByType('application/x-www-form-urlencoded', bytes('level=-121'), NOW, null)).accepted,
    ).toEqual(level);
  });

  it('is refused where the type is not known, and an image where no datastream is named', () => {
    expect(taken(decodeByType('application/xml', bytes('<level/>'), NOW, null)).refused).toEqual([
      ['', 'no-meaning'],
    ]);
    expect(taken(decodeByType('image/png', bytes('x'), NOW, null)).refused).toEqual([['name', 'unreadable']]);
  });

  it('never throws, whatever the bytes', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 300 }), (noise) => {
        for (const type of [
          'application/json',
          'application/senml+json',
          'application/senml+cbor',
          'text/csv',
        ])
          expect(decodeByType(type, noise, NOW, null)).toBeDefined();
        expect(decodeByContent(noise, NOW)).toBeDefined();
      }),
      { numRuns: 500 },
    );
  });

  it('never throws, whatever the JSON, and takes or refuses every value', () => {
    fc.assert(
      fc.property(fc.jsonValue({ maxDepth: 4 }), (value) => {
        const decoded = decodeJsonReport(JSON.stringify(value), NOW);
        if (!isRefusal(decoded)) takeReport(index, decoded, NOW);
      }),
      { numRuns: 500 },
    );
  });
});
