import type { Columns } from '../history/series';
import { firstAtOrAfter } from '../history/series';
import type { Sample } from '../readings/types';
import { periodsOf } from './periods';
import type { Computation, WindowTake } from '../readings/computation';

type Accumulation = Exclude<Computation, { form: 'formula' }>;
/** What a total goes on from: exact (value + rest), where what is given out is rounded. */
export interface Carry {
  at: number;
  value: number;
  rest: number;
}

/** Outputs, and for a total what the next readings go on from. */
export interface Accumulated {
  outputs: Columns;
  carry: Carry | null;
}

/** What a reading makes: a value of its own, or an addition to the total, which goes on or begins anew; null for nothing. */
type Made = { value: number } | { add: number; goesOn: boolean } | null;
type Step = (reading: Sample, before: Sample | null) => Made;

/**
 * Works out an accumulation for the readings from `from` on. `input` holds those and what lies before as far as it
 * counts (the reading before; for a moving window, the window). `prior` is the output before `from`, null for none; `carry`
 * the exact total behind it, where it is known. Totals are summed with compensation (Neumaier 1974), so that neither a great
 * total nor many small additions lose anything.
 */
export function accumulate(
  computation: Accumulation,
  input: Columns,
  from: number,
  prior: Sample | null,
  carry: Carry | null = null,
): Accumulated {
  const start = firstAtOrAfter(input.times, from);
  if (computation.form === 'moving')
    return { outputs: overWindow(input, start, computation.take, computation.overS * 1000), carry: null };
  const step = stepOf(computation, prior);
  const outputs: Columns = { times: [], values: [] };
  let before = start > 0 ? { at: input.times[start - 1]!, value: input.values[start - 1]! } : null;
  let total: Carry =
    carry !== null && carry.at === prior?.at
      ? carry
      : { at: prior?.at ?? 0, value: prior?.value ?? 0, rest: 0 };
  let isTotal = false;
  for (let i = start; i < input.times.length; i++) {
    const reading = { at: input.times[i]!, value: input.values[i]! };
    const made = step(reading, before);
    before = reading;
    if (made === null) continue;
    outputs.times.push(reading.at);
    if ('value' in made) {
      outputs.values.push(tidy(made.value));
      continue;
    }
    isTotal = true;
    total = plus(made.goesOn ? total : { at: 0, value: 0, rest: 0 }, made.add, reading.at);
    outputs.values.push(Number((total.value + total.rest).toPrecision(15)) + 0);
  }
  return { outputs, carry: isTotal ? total : carry };
}

function plus({ value, rest }: Carry, add: number, at: number): Carry {
  const sum = value + add;
  const lost = Math.abs(value) >= Math.abs(add) ? value - sum + add : add - sum + value;
  return { at, value: sum, rest: rest + lost };
}

function stepOf(computation: Exclude<Accumulation, { form: 'moving' }>, prior: Sample | null): Step {
  switch (computation.form) {
    case 'change':
      return ({ value }, before) => (before === null ? null : { value: value - before.value });
    case 'rate':
      return ({ at, value }, before) =>
        before === null
          ? null
          : { value: ((value - before.value) / (at - before.at)) * computation.perS * 1000 };
    case 'counter': {
      const periodAt = periodsOf(computation.restarts, computation.zone);
      return ({ at, value }, before) => {
        if (before === null) return { add: 0, goesOn: true };
        const counted = value >= before.value ? value - before.value : value;
        return { add: counted, goesOn: before.at >= periodAt(at).from };
      };
    }
    case 'sum': {
      const periodAt = periodsOf(computation.restarts, computation.zone);
      let last = prior?.at ?? null;
      return ({ at, value }) => {
        const goesOn = last !== null && last >= periodAt(at).from;
        last = at;
        return { add: value, goesOn };
      };
    }
    case 'integral': {
      const { restarts, zone, gapS, perS } = computation;
      const periodAt = periodsOf(restarts, zone);
      return ({ at, value }, before) => {
        if (before === null) return { add: 0, goesOn: true };
        const { from } = periodAt(at);
        const goesOn = before.at >= from;
        const silent = at - before.at > gapS * 1000;
        // What was measured before the hour or day began belongs to the one before: only the part since counts.
        const begin = goesOn ? before.at : from;
        const share = (begin - before.at) / (at - before.at);
        const atBegin = before.value + share * (value - before.value);
        const area = silent ? 0 : ((atBegin + value) / 2) * ((at - begin) / 1000 / perS);
        return { add: area, goesOn };
      };
    }
  }
}

/** Mean, least or greatest of the readings with at − width < time ≤ at, for each reading from `start` on. */
function overWindow({ times, values }: Columns, start: number, take: WindowTake, width: number): Columns {
  const result: Columns = { times: [], values: [] };
  let first = start < times.length ? firstAtOrAfter(times, times[start]! - width + 1) : 0;
  let sum = 0;
  // Places of values that may still become the extreme, the present one first.
  const candidates: number[] = [];
  const better = (a: number, b: number): boolean => (take === 'max' ? a >= b : a <= b);
  for (let i = first; i < times.length; i++) {
    sum += values[i]!;
    while (candidates.length > 0 && better(values[i]!, values[candidates.at(-1)!]!)) candidates.pop();
    candidates.push(i);
    let large = false;
    for (; times[first]! <= times[i]! - width; first++) {
      sum -= values[first]!;
      large ||= Math.abs(values[first]!) > LARGE * Math.abs(sum);
    }
    // What a large value left behind in the last digits goes with it.
    if (large || !Number.isFinite(sum)) sum = sumOf(values, first, i);
    while (candidates[0]! < first) candidates.shift();
    if (i < start) continue;
    result.times.push(times[i]!);
    result.values.push(take === 'mean' ? tidy(sum / (i - first + 1)) : values[candidates[0]!]!);
  }
  return result;
}

/** A value that is as many times the rest of a sum takes digits from it. */
const LARGE = 1e3;

function sumOf(values: readonly number[], first: number, last: number): number {
  let total: Carry = { at: 0, value: 0, rest: 0 };
  for (let i = first; i <= last; i++) total = plus(total, values[i]!, 0);
  return total.value + total.rest;
}

/** Fourteen significant digits: more than any sensor has, and 0.1 + 0.2 is 0.3. */
export function tidy(value: number): number {
  return Number(value.toPrecision(14)) + 0;
}
