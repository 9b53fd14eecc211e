import fc from 'fast-check';
import { encode } from 'cborg';
import {
  compileFormula,
  HOUR_MS,
  joinRollups,
  decodeByContent,
  decodeByType,
  indexNames,
  isFormulaError,
  isRefusal,
  MOST_REFUSALS,
  MOST_VALUES,
  packColumns,
  packRollups,
  rollUp,
  takeReport,
  takeValue,
  unpackColumns,
  unpackRollups,
  type DecodedReport,
  type Refusal,
} from '@peatmoor/core';
import { stream } from './samples';

const NOW = Date.UTC(2026, 4, 1);
const bytesOf = (text: string): Uint8Array => new TextEncoder().encode(text);
const kind = (count: number) =>
  indexNames(
    Array.from({ length: count }, (_, i) => stream({ key: `value_${i}`, type: i % 3 ? 'number' : 'text' })),
  );
/** Milliseconds that decoding and matching take in one piece; the best of three, so that a pause of the machine does not count. */
const takes = (work: () => unknown): number =>
  Math.min(
    ...[1, 2, 3].map(() => {
      const start = performance.now();
      work();
      return performance.now() - start;
    }),
  );

describe('a message that is nested very deep', () => {
  const deep = (open: string, close: string, inside = '1'): string =>
    `${open.repeat(5000)}${inside}${close.repeat(5000)}`;

  it.each([
    ['an array of arrays', `{"t":${deep('[', ']')}}`],
    ['an object of objects', `{"t":${deep('{"a":', '}')}}`],
    ['a row of rows', deep('[', ']', '{"t":1}')],
    ['a value of SenML', `[{"n":"t","v":${deep('[', ']')}}]`],
    ['a base field of SenML', `[{"bn":"x","bver":${deep('[', ']')},"n":"t","v":1}]`],
    ['a time', `{"at":${deep('[', ']')},"t":1}`],
  ])('is unreadable: %s', (_what, text) => {
    for (const outcome of [
      decodeByContent(bytesOf(text), NOW),
      decodeByType('application/json', bytesOf(text), NOW, null),
      decodeByType('application/senml+json', bytesOf(text), NOW, null),
      decodeByType('application/x-www-form-urlencoded', bytesOf(text), NOW, null),
    ])
      expect(isRefusal(outcome) && outcome.reason).toBe('unreadable');
  });

  it('is unreadable in CBOR too, whatever stands for the length', () => {
    for (const lead of [0x81, 0x9f]) {
      const value = new Uint8Array(5000).fill(lead);
      const outcome = decodeByType('application/senml+cbor', value, NOW, null);
      expect(isRefusal(outcome) && outcome.reason).toBe('unreadable');
    }
    let nested: unknown = 1;
    for (let i = 0; i < 40; i++) nested = [nested];
    const outcome = decodeByContent(encode([{ n: 't', v: nested }]), NOW);
    expect(isRefusal(outcome) && outcome.reason).toBe('unreadable');
  });

  it('is refused in words where it reaches a value, for every type of datastream', () => {
    let nested: unknown = 1;
    for (let i = 0; i < 20_000; i++) nested = [nested];
    for (const type of [
      'number',
      'integer',
      'boolean',
      'choice',
      'text',
      'colour',
      'location',
      'image',
    ] as const) {
      const taken = takeValue(stream({ key: 't', type, choices: ['a', 'b'] }), nested);
      expect(isRefusal(taken) && taken.reason).toBe('wrong-type');
    }
  });

  it('of up to eight levels is laid flat', () => {
    const outcome = decodeByContent(bytesOf('{"a":{"b":{"c":{"d":{"e":{"f":{"g":1}}}}}}}'), NOW);
    expect((outcome as DecodedReport).rows[0]!.values).toEqual([['a_b_c_d_e_f_g', 1]]);
    const deeper = decodeByContent(bytesOf('{"a":{"b":{"c":{"d":{"e":{"f":{"g":{"h":{"i":1}}}}}}}}}'), NOW);
    expect(isRefusal(deeper) && deeper.reason).toBe('unreadable');
  });
});

describe('values of one message', () => {
  const many = MOST_VALUES + 1;
  it.each([
    ['a form', 'application/x-www-form-urlencoded', 'a=1&'.repeat(many)],
    ['a form of nothing', 'application/x-www-form-urlencoded', '&'.repeat(900_000)],
    ['JSON', 'application/json', `[${'{"a":1},'.repeat(many)}{"a":1}]`],
    ['JSON rows of nothing', 'application/json', `[${'{},'.repeat(300_000)}{"a":1}]`],
    ['one JSON list', 'application/json', `{"a":[${'1,'.repeat(400_000)}1]}`],
    ['SenML', 'application/senml+json', `[${'{"n":"a","v":1},'.repeat(many)}{"n":"a","v":1}]`],
    ['CSV', 'text/csv', `a\n${'1\n'.repeat(many)}`],
    ['CSV cells of nothing', 'text/csv', `a${',b'.repeat(999)}\n${`${','.repeat(999)}\n`.repeat(900)}`],
  ])('are bounded: %s', (_what, type, text) => {
    const outcome = decodeByType(type, bytesOf(text), NOW, null);
    expect(isRefusal(outcome)).toBe(true);
    expect(['too-large', 'unreadable']).toContain((outcome as Refusal).reason);
  });

  it('are bounded in CBOR before they are decoded', () => {
    const list = new Uint8Array(1_000_000).fill(0x01);
    list.set([0x9a, 0x00, 0x0f, 0x42, 0x3b]);
    const outcome = decodeByContent(list, NOW);
    expect(isRefusal(outcome) && outcome.reason).toBe('too-large');
  });

  it('that are refused are counted, and the first of them told', () => {
    const text = JSON.stringify(
      Object.fromEntries(Array.from({ length: 9000 }, (_, i) => [`valeu_${i}`, i])),
    );
    const taken = takeReport(kind(200), decodeByContent(bytesOf(text), NOW) as DecodedReport, NOW);
    expect(taken.refused).toHaveLength(MOST_REFUSALS);
    expect(taken.refusedCount).toBe(9000);
    expect(taken.refused[0]!.hint).toContain('nearest');
    expect(JSON.stringify(taken.refused).length).toBeLessThan(20_000);
  });

  it('whose row has a wrong time are all counted', () => {
    const text = JSON.stringify({
      at: 'never',
      ...Object.fromEntries(Array.from({ length: 999 }, (_, i) => [`v${i}`, i])),
    });
    const taken = takeReport(kind(2), decodeByContent(bytesOf(text), NOW) as DecodedReport, NOW);
    expect(taken.refusedCount).toBe(1000);
    expect(taken.refused).toHaveLength(MOST_REFUSALS);
  });
});

describe('work on one message within the bounds', () => {
  const names = (count: number, name: (i: number) => string): string =>
    JSON.stringify(Object.fromEntries(Array.from({ length: count }, (_, i) => [name(i), i])));
  const choices = Array.from({ length: 200 }, (_, i) => `choice number ${i}`);
  const chosen = indexNames([stream({ key: 'c', type: 'choice', choices })]);
  const index = kind(200);
  const row = (i: number): string => `{"at":${NOW - i},"c":"no such choice"}`;

  it.each([
    ['ten thousand unknown names', 'application/json', names(10_000, (i) => `valeu_${i}`), index],
    ['ten thousand known values', 'application/json', names(10_000, (i) => `value_${i % 200}`), index],
    [
      'ten thousand choices that are none',
      'application/json',
      `[${Array.from({ length: 10_000 }, (_, i) => row(i)).join()}]`,
      chosen,
    ],
    [
      'a megabyte of digits that end in a letter',
      'application/json',
      `{"value_1":"${'1'.repeat(1_000_000)}x"}`,
      index,
    ],
    [
      'a long base name',
      'application/senml+json',
      `[{"bn":"${'b'.repeat(700_000)}","n":"a","v":1}${',{"n":"a","v":1}'.repeat(9000)}]`,
      index,
    ],
    ['a million letters of CSV', 'text/csv', `value_1\n${'"a,b",'.repeat(160_000)}\n`, index],
    ['names of a hundred letters', 'application/json', names(8000, (i) => `${'x'.repeat(100)}${i}`), index],
  ])('is little: %s', (_what, type, text, known) => {
    const bytes = bytesOf(text);
    const ms = takes(() => {
      const decoded = decodeByType(type, bytes, NOW, null);
      if (!isRefusal(decoded)) takeReport(known, decoded, NOW);
    });
    // Twenty times what it takes; before, these took seconds to minutes.
    expect(ms).toBeLessThan(700);
  });

  it('one long text over MQTT is little, for every type', () => {
    const text = `${'1'.repeat(1_000_000)}x`;
    for (const type of ['number', 'integer', 'boolean', 'choice', 'colour', 'location', 'image'] as const)
      expect(takes(() => takeValue(stream({ key: 't', type, choices }), text))).toBeLessThan(700);
  });
});

describe('names that every object has', () => {
  it('mean nothing in CBOR or JSON', () => {
    for (const label of ['constructor', 'toString', 'valueOf']) {
      const cbor = decodeByContent(
        encode([
          new Map<unknown, unknown>([
            [label, 1],
            [0, 'level'],
            [2, 5],
          ]),
        ]),
        NOW,
      );
      expect((cbor as DecodedReport).rows).toEqual([{ at: undefined, values: [['level', 5]] }]);
      const json = decodeByContent(bytesOf(`{"${label}":1}`), NOW) as DecodedReport;
      expect(json.rows[0]!.values).toEqual([[label, 1]]);
      expect(takeReport(kind(1), json, NOW).refused[0]!.reason).toBe('unknown-name');
    }
  });
});

describe('formulas that would take very long', () => {
  const inputs = [stream({ key: 'level' }), stream({ key: 'mode', type: 'choice', choices: ['a', 'b'] })];
  it.each([
    ['a regular expression', '"aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa!".matches("^(a+)+$") && level > 1.0'],
    ['a regular expression called plainly', 'matches(mode, "^(a+)+$")'],
    ['a macro', '[1,2,3].all(x, x > level)'],
    ['nested macros', '[1,2].exists(x, [1,2].map(y, y * level).size() > 0)'],
    ['a filter', '[1,2].filter(x, x > level).size()'],
  ])('are not taken: %s', (_what, formula) => {
    const outcome = compileFormula(formula, inputs);
    expect(isFormulaError(outcome) && outcome.message).toMatch(/cannot be used/);
  });

  it('of more than 200 parts are not taken', () => {
    const outcome = compileFormula(`level${'+level'.repeat(80)}`, inputs);
    expect(isFormulaError(outcome)).toBe(false);
    const longer = compileFormula(`level${'+1'.repeat(240)}`, inputs);
    expect(isFormulaError(longer) && longer.message).toMatch(/200/);
  });
});

describe('sums that cannot be kept', () => {
  it('are kept as what can, and everything beside them is right', () => {
    const [rollup] = rollUp({ times: [1, 2, 3], values: [1e308, 1.7e308, -5] }, 1000);
    expect(rollup!.sum).toBe(Number.MAX_VALUE);
    expect(rollup).toMatchObject({ count: 3, min: -5, max: 1.7e308 });
    const [negative] = rollUp({ times: [1, 2], values: [-1e308, -1.7e308] }, 1000);
    expect(negative!.sum).toBe(-Number.MAX_VALUE);
  });

  it('of any readings are finite, and so is what is packed of them', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ noNaN: true, noDefaultInfinity: true }), { minLength: 1, maxLength: 40 }),
        (values) => {
          const columns = { times: values.map((_, i) => i * 7), values };
          const rollups = rollUp(columns, 50);
          for (const { sum, spread } of rollups) {
            expect(Number.isFinite(sum)).toBe(true);
            expect(spread >= 0 && Number.isFinite(spread)).toBe(true);
          }
          const hours = rollUp(columns, HOUR_MS);
          const back = unpackRollups(packRollups(hours, HOUR_MS), HOUR_MS);
          const kept = (list: typeof hours) => list.map(({ sum, spread }) => [sum + 0, spread + 0]);
          expect(kept(back)).toEqual(kept(hours));
          expect(unpackColumns(packColumns(columns)).times).toEqual(columns.times);
        },
      ),
    );
  });

  it('tell the deviation of joined spans as exactly as of all their readings', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 900, max: 1000, noNaN: true }), { minLength: 3, maxLength: 60 }),
        (values) => {
          const times = values.map((_, i) => i * 1000);
          const parts = rollUp({ times, values }, 7000);
          const whole = rollUp({ times, values }, 1e9)[0]!;
          const joined = parts.reduce(joinRollups);
          expect(joined.spread).toBeCloseTo(whole.spread, 5);
          const mean = values.reduce((sum, one) => sum + one, 0) / values.length;
          expect(whole.spread).toBeCloseTo(
            values.reduce((sum, one) => sum + (one - mean) ** 2, 0),
            5,
          );
        },
      ),
    );
  });
});
