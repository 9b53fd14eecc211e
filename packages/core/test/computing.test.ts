import fc from 'fast-check';
import {
  checkComputation,
  compileFormula,
  compute,
  computingsOf,
  isComputationError,
  isFormulaError,
  lookBackMs,
  mergeColumns,
  orderColumns,
  reachOf,
  sliceColumns,
  type Columns,
  type Computation,
  type Computing,
  type Datastream,
  type Formula,
} from '../src/index';
import { stream } from './samples';

const HOUR = 3_600_000;
const NOON = Date.UTC(2026, 10, 24, 12);
const level = stream({ key: 'level', aliases: ['water'] });
const power = stream({ key: 'power', unit: 'W' });
const pump = stream({ key: 'pump', type: 'boolean' });
const mode = stream({ key: 'mode', type: 'choice', choices: ['by hand', 'by itself'] });
const note = stream({ key: 'note', type: 'text' });
const kind = [level, power, pump, mode, note];

const formula = (text: string): Formula => {
  const made = compileFormula(text, kind);
  if (isFormulaError(made)) throw new Error(`${made.position}: ${made.message}`);
  return made;
};
const wrong = (text: string) => {
  const made = compileFormula(text, kind);
  return isFormulaError(made) ? made : null;
};
const computed = (computation: Computation, type: Datastream['type'] = 'number'): Datastream =>
  stream({ key: 'made', type, computation });
const ready = (computation: Computation, type?: Datastream['type'], more: Datastream[] = []): Computing => {
  const made = computed(computation, type);
  const result = checkComputation(made, [...kind, ...more, made]);
  if (isComputationError(result)) throw new Error(result.reason);
  return result;
};
const error = (computation: Computation, type?: Datastream['type'], more: Datastream[] = []) => {
  const made = computed(computation, type);
  const result = checkComputation(made, [...kind, ...more, made]);
  return isComputationError(result) ? `${result.field}${result.reason}` : null;
};
const columns = (...pairs: [at: number, value: number][]): Columns => ({
  times: pairs.map(([at]) => at),
  values: pairs.map(([, value]) => value),
});
const over = (computation: Computation, input: Columns, type?: Datastream['type']): Columns =>
  compute(ready(computation, type), {
    inputs: new Map([['power', input]]),
    from: -Infinity,
    prior: null,
  });

describe('a formula', () => {
  it('reads keys, aliases, booleans and choices, and takes whole numbers as numbers', () => {
    expect(formula('level * 2 + 1').evaluate({ level: 3.5 })).toBe(8);
    expect(formula('water / 4 - 6 / 4').evaluate({ level: 2 })).toBe(-1);
    expect(formula('pump && mode == "by itself" ? level : 0').evaluate({ level: 7, pump: 1, mode: 1 })).toBe(
      7,
    );
    expect(formula('level > 3').evaluate({ level: 4 })).toBe(1);
    expect(formula('level % 3').evaluate({ level: 7 })).toBe(1);
    expect(
      formula('round(sqrt(pow(level, 2)) + ln(exp(1)) + max(1, power))').evaluate({ level: 3, power: 2 }),
    ).toBe(6);
    expect(formula('level * 2 + power').inputs).toEqual(['level', 'power']);
  });

  it('may read a datastream that is called like a word of CEL itself', () => {
    const odd = ['duration', 'double', 'in', 'type', 'null', 'min'].map((key) => stream({ key }));
    const made = compileFormula('duration + double * in - type / null + min(min, 2)', odd);
    if (isFormulaError(made)) throw new Error(made.message);
    expect(made.evaluate({ duration: 1, double: 2, in: 3, type: 4, null: 2, min: 9 })).toBe(7);
    expect(compileFormula('duration + "duration" + 1', odd)).toMatchObject({
      message: expect.stringMatching(/No such overload/),
    });
  });

  it('has no value where it divides by zero or takes the root of less', () => {
    expect(formula('power / level').evaluate({ power: 1, level: 0 })).toBeNull();
    expect(formula('sqrt(level)').evaluate({ level: -1 })).toBeNull();
  });

  it('is refused with what is wrong and where, counted in what was written', () => {
    expect(wrong('')).toEqual({ message: 'The formula is empty.', position: 1 });
    expect(wrong('12 + levle')).toEqual({
      message: 'No datastream is called "levle". The nearest is "level".',
      position: 6,
    });
    expect(wrong('10 + 20 + xyzzy')?.message).toMatch(/It may read: .*level/);
    expect(wrong('level >')).toMatchObject({
      message: expect.stringMatching(/Unexpected token/),
      position: 8,
    });
    expect(wrong('level + "a"')?.message).toMatch(/no such overload/i);
    expect(wrong('1 + 2')?.message).toMatch(/reads no datastream/);
    expect(wrong('note')?.message).toMatch(/No datastream is called "note"/);
    expect(wrong('mode')?.message).toMatch(/gives string/);
    expect(wrong('level + '.repeat(80))?.message).toMatch(/500 letters/);
    expect(wrong('('.repeat(300) + 'level' + ')'.repeat(190))).not.toBeNull();
  });

  it('never throws, whatever is written', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 60 }), (text) => {
        const made = compileFormula(text, kind);
        if (!isFormulaError(made)) made.evaluate({ level: 1, power: 2, pump: 1, mode: 0 });
      }),
    );
  });

  it('has a value wherever an input has a reading, with the newest of the others, if that is not too old', () => {
    const computing = ready({ form: 'formula', formula: 'level + power', gapS: 60 });
    const inputs = new Map([
      ['level', columns([0, 1], [10_000, 2])],
      ['power', columns([5000, 10], [80_000, 20])],
    ]);
    expect(compute(computing, { inputs, from: 0, prior: null })).toEqual(columns([5000, 11], [10_000, 12]));
    const integer = ready({ form: 'formula', formula: 'level / 4', gapS: 60 }, 'integer');
    expect(compute(integer, { inputs, from: 0, prior: null })).toEqual(columns([0, 0], [10_000, 1]));
  });
});

describe('an accumulation', () => {
  it('integrates power to energy, over silences not', () => {
    const energy: Computation = {
      form: 'integral',
      of: 'power',
      perS: 3600,
      gapS: 7200,
      restarts: 'never',
      zone: 'UTC',
    };
    const input = columns([NOON, 100], [NOON + HOUR, 200], [NOON + 4 * HOUR, 200], [NOON + 5 * HOUR, 0]);
    expect(over(energy, input).values).toEqual([0, 150, 150, 250]);
  });

  it('starts an integral anew with the day of its zone, and gives each day its part', () => {
    const midnight = Date.UTC(2026, 10, 24, 23); // in Paris
    const energy: Computation = {
      form: 'integral',
      of: 'power',
      perS: 3600,
      gapS: 7200,
      restarts: 'day',
      zone: 'Europe/Paris',
    };
    const input = columns([midnight - HOUR, 60], [midnight - HOUR / 2, 60], [midnight + HOUR / 2, 60]);
    expect(over(energy, input).values).toEqual([0, 30, 30]);
  });

  it('tells change and rate', () => {
    const input = columns([0, 5], [2000, 9], [3000, 8]);
    expect(over({ form: 'change', of: 'power' }, input)).toEqual(columns([2000, 4], [3000, -1]));
    expect(over({ form: 'rate', of: 'power', perS: 60 }, input)).toEqual(columns([2000, 120], [3000, -60]));
  });

  it('counts on where a counter began again at zero', () => {
    const counter: Computation = { form: 'counter', of: 'power', restarts: 'never', zone: 'UTC' };
    expect(over(counter, columns([0, 100], [1, 130], [2, 5], [3, 6])).values).toEqual([0, 30, 35, 36]);
  });

  it('sums by hour', () => {
    const sum: Computation = { form: 'sum', of: 'power', restarts: 'hour', zone: 'UTC' };
    const input = columns([NOON, 1], [NOON + 60_000, 2], [NOON + HOUR, 4], [NOON + 3 * HOUR, 8]);
    expect(over(sum, input).values).toEqual([1, 3, 4, 8]);
  });

  it('moves a window along', () => {
    const input = columns([0, 4], [1000, 2], [2000, 6], [9000, 1]);
    const moving = (take: 'mean' | 'min' | 'max') =>
      over({ form: 'moving', of: 'power', take, overS: 2 }, input).values;
    expect(moving('mean')).toEqual([4, 3, 4, 1]);
    expect(moving('min')).toEqual([4, 2, 2, 1]);
    expect(moving('max')).toEqual([4, 4, 6, 1]);
  });
});

describe('a check of a computation', () => {
  const counter = (of: string): Computation => ({ form: 'counter', of, restarts: 'never', zone: 'UTC' });
  it('names what is wrong', () => {
    expect(error(counter('nothing'))).toMatch(/^of: no other datastream of the kind is called "nothing"/);
    expect(error(counter('note'))).toMatch(/^of: "note" is of type text/);
    expect(error(counter('made'))).toMatch(/^of: no other/);
    expect(error(counter('power'), 'text')).toMatch(/^typeis text|^type is text/);
    expect(error({ form: 'sum', of: 'power', restarts: 'never', zone: 'UTC' })).toMatch(/^restarts/);
    expect(error({ form: 'sum', of: 'power', restarts: 'day', zone: 'Moon/Sea' })).toMatch(
      /^zone.*Moon\/Sea/,
    );
    expect(error({ form: 'formula', formula: 'levle', gapS: 60 })).toMatch(
      /^formula at character 1: .*levle/,
    );
    expect(error(counter('water'))).toBeNull();
  });

  it('finds circles, also long ones, and lets chains be', () => {
    const first = stream({ key: 'first', computation: { form: 'formula', formula: 'second + 1', gapS: 60 } });
    const second = stream({ key: 'second', computation: counter('made') });
    expect(error(counter('first'), 'number', [first, second])).toMatch(
      /circle: made ← first ← second ← made/,
    );
    expect(
      error(counter('first'), 'number', [first, { ...second, computation: counter('power') }]),
    ).toBeNull();
    expect(computingsOf([...kind, first, second]).map(({ stream: { key } }) => key)).toEqual(['first']);
  });
});

describe('however readings come in', () => {
  const computations: Computation[] = [
    { form: 'formula', formula: 'power * 2 + level', gapS: 1000 },
    { form: 'integral', of: 'power', perS: 3600, gapS: 4000, restarts: 'never', zone: 'UTC' },
    { form: 'integral', of: 'power', perS: 3600, gapS: 9000, restarts: 'hour', zone: 'UTC' },
    { form: 'change', of: 'power' },
    { form: 'rate', of: 'power', perS: 60 },
    { form: 'counter', of: 'power', restarts: 'never', zone: 'UTC' },
    { form: 'counter', of: 'power', restarts: 'day', zone: 'Europe/Dublin' },
    { form: 'sum', of: 'power', restarts: 'hour', zone: 'UTC' },
    { form: 'sum', of: 'power', restarts: 'day', zone: 'Asia/Kolkata' },
    { form: 'moving', of: 'power', take: 'mean', overS: 3000 },
    { form: 'moving', of: 'power', take: 'max', overS: 3000 },
  ];
  const reading = fc.record({
    key: fc.constantFrom('power', 'level'),
    at: fc.integer({ min: 0, max: 400 }).map((minutes) => NOON + minutes * 600_000),
    value: fc.integer({ min: 0, max: 100 }),
  });

  it.each(computations)('$form gives the same as a rebuild: $of $restarts', (computation) => {
    const computing = ready(computation);
    fc.assert(
      fc.property(fc.array(reading, { minLength: 1, maxLength: 40 }), (readings) => {
        let output: Columns = { times: [], values: [] };
        const stored = new Map<string, Columns>([
          ['power', { times: [], values: [] }],
          ['level', { times: [], values: [] }],
        ]);
        for (const { key, at, value } of readings) {
          stored.set(key, mergeColumns(stored.get(key)!, columns([at, value])));
          if (!computing.inputs.includes(key)) continue;
          const next = stored.get(key)!.times.find((one) => one > at) ?? Infinity;
          const to = reachOf(computation, at, next);
          const inputs = new Map(
            computing.inputs.map((input) => {
              const all = stored.get(input)!;
              const earlier = all.times.filter((one) => one < at).at(-1) ?? at;
              return [input, sliceColumns(all, Math.min(earlier, at - lookBackMs(computation)), to + 1)];
            }),
          );
          const before = output.times.findLastIndex((one) => one < at);
          const prior = before < 0 ? null : { at: output.times[before]!, value: output.values[before]! };
          output = orderColumns(mergeColumns(output, compute(computing, { inputs, from: at, prior })));
        }
        const whole = compute(computing, { inputs: stored, from: -Infinity, prior: null });
        expect(output.times).toEqual(whole.times);
        whole.values.forEach((value, i) => expect(output.values[i]).toBeCloseTo(value, 6));
      }),
      { numRuns: 60 },
    );
  });
});
