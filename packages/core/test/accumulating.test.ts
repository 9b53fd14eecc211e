import fc from 'fast-check';
import { compute, computeOn, type Columns, type Computation, type Computing, type Sample } from '../src';

// Against a plain model: a list of readings and a loop, whatever is great, small, or came in parts.
const HOUR = 3_600_000;
const START = Date.UTC(2026, 2, 28);
const computing = (computation: Computation, type: Computing['type'] = 'number'): Computing => ({
  computation,
  type,
  inputs: ['x'],
  formula: null,
});
const columns = (rows: readonly (readonly [number, number])[]): Columns => ({
  times: rows.map(([at]) => at),
  values: rows.map(([, value]) => value),
});
const whole = (one: Computing, input: Columns): Columns =>
  compute(one, { inputs: new Map([['x', input]]), from: -Infinity, prior: null });
/** The same in parts, each going on from what the one before left. */
function inParts(one: Computing, input: Columns, sizes: readonly number[]): Columns {
  const made: Columns = { times: [], values: [] };
  let prior: Sample | null = null;
  let carry: ReturnType<typeof computeOn>['carry'] = null;
  for (let from = 0, i = 0; from < input.times.length; i++) {
    const to = Math.min(input.times.length, from + (sizes[i % sizes.length] ?? 1));
    const part = { times: input.times.slice(0, to), values: input.values.slice(0, to) };
    const next = computeOn(one, { inputs: new Map([['x', part]]), from: input.times[from]!, prior, carry });
    made.times.push(...next.outputs.times);
    made.values.push(...next.outputs.values);
    const last = next.outputs.times.length - 1;
    if (last >= 0) prior = { at: next.outputs.times[last]!, value: next.outputs.values[last]! };
    ({ carry } = next);
    from = to;
  }
  return made;
}

const sum: Computation = { form: 'sum', of: 'x', restarts: 'never', zone: 'UTC' };
const integral: Computation = {
  form: 'integral',
  of: 'x',
  restarts: 'never',
  zone: 'UTC',
  gapS: 3600,
  perS: 3600,
};
const counter: Computation = { form: 'counter', of: 'x', restarts: 'never', zone: 'UTC' };

describe('a running total', () => {
  it('grows by what is small beside it: a watt for two hours on top of 100 MWh', () => {
    const rows: [number, number][] = [
      [START, 1e8],
      [START + HOUR, 1e8],
    ];
    for (let i = 1; i <= 1440; i++) rows.push([START + 3 * HOUR + i * 5000, 1]);
    const { values } = whole(computing(integral), columns(rows));
    expect(values.at(-1)! - values[2]!).toBeCloseTo(1439 / 720, 6);
  });

  it('counts on from two million millions', () => {
    const rows = Array.from({ length: 41 }, (_, i): [number, number] => [START + i * 1000, 2e12 + i * 100]);
    const { values } = whole(computing(counter), columns([[START - 1000, 0], ...rows]));
    expect(values.at(-1)).toBe(2e12 + 4000);
  });

  it('of whole numbers grows by fractions too, in one go or in parts', () => {
    const rows = Array.from({ length: 100 }, (_, i): [number, number] => [START + i * 1000, 0.25]);
    const integer = computing(sum, 'integer');
    expect(whole(integer, columns(rows)).values.at(-1)).toBe(25);
    expect(inParts(integer, columns(rows), [1]).values.at(-1)).toBe(25);
  });

  it('is the same in one go and in parts, and is what a plain loop gives', () => {
    const value = fc.oneof(
      fc.integer({ min: -1e6, max: 1e6 }).map((one) => one / 100),
      fc.constantFrom(0, 1e12, -1e12, 1e-6),
    );
    fc.assert(
      fc.property(
        fc.array(value, { minLength: 1, maxLength: 80 }),
        fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 1 }),
        (list, sizes) => {
          const rows = list.map((one, i): [number, number] => [START + i * 60_000, one]);
          for (const one of [sum, integral, counter]) {
            const all = whole(computing(one), columns(rows));
            expect(inParts(computing(one), columns(rows), sizes)).toEqual(all);
            if (one.form !== 'sum') continue;
            const plain = list.reduce((total, add) => total + Math.round(add * 1e8), 0) / 1e8;
            expect(all.values.at(-1)).toBeCloseTo(plain, 2);
          }
        },
      ),
    );
  });

  it('restarts with the days of a zone, also when its clock changes', () => {
    const daily: Computation = { ...sum, restarts: 'day', zone: 'Europe/Dublin' };
    // The night of 29 March 2026 has 23 hours there.
    const rows = Array.from({ length: 72 }, (_, i): [number, number] => [START + i * HOUR, 1]);
    const { times, values } = whole(computing(daily), columns(rows));
    const restarts = times.filter((_, i) => values[i] === 1).map((at) => new Date(at).toISOString());
    expect(restarts).toEqual([
      '2026-03-28T00:00:00.000Z',
      '2026-03-29T00:00:00.000Z',
      '2026-03-29T23:00:00.000Z',
      '2026-03-30T23:00:00.000Z',
    ]);
  });
});

it('a moving mean forgets a huge value once it has left', () => {
  const mean: Computation = { form: 'moving', of: 'x', take: 'mean', overS: 10 };
  const rows = Array.from({ length: 60 }, (_, i): [number, number] => [
    START + i * 1000,
    i === 20 ? 1e15 : 0.1,
  ]);
  const { values } = whole(computing(mean), columns(rows));
  expect(values.slice(31)).toEqual(values.slice(31).map(() => 0.1));
  fc.assert(
    fc.property(
      fc.array(fc.oneof(fc.double({ min: -50, max: 50, noNaN: true }), fc.constantFrom(1e15, -1e12)), {
        maxLength: 60,
      }),
      (list) => {
        const input = columns(list.map((one, i): [number, number] => [START + i * 1000, one]));
        whole(computing(mean), input).values.forEach((one, i) => {
          const window = list.slice(Math.max(0, i - 9), i + 1);
          const plain = window.reduce((total, add) => total + add, 0) / window.length;
          const scale = Math.max(1, ...window.map(Math.abs));
          expect(Math.abs(one - plain)).toBeLessThanOrEqual(scale * 1e-9);
        });
      },
    ),
  );
});
