import type { Columns } from '../history/series';
import { firstAtOrAfter } from '../history/series';
import type { Sample } from '../readings/types';
import { periodsOf } from './periods';
import type { Computation, WindowTake } from '../readings/computation';

type Accumulation = Exclude<Computation, { form: 'formula' }>;
/** The output at a reading, from the reading and the output before it. */
type Step = (reading: Sample, before: Sample | null, total: number | null) => number | null;

/**
 * Works out an accumulation for the readings from `from` on. `input` holds those and what lies before as far as it
 * counts (the reading before; for a moving window, the window). `prior` is the output before `from`, null for none.
 */
export function accumulate(
  computation: Accumulation,
  input: Columns,
  from: number,
  prior: Sample | null,
): Columns {
  const start = firstAtOrAfter(input.times, from);
  if (computation.form === 'moving')
    return overWindow(input, start, computation.take, computation.overS * 1000);
  const step = stepOf(computation, prior);
  const result: Columns = { times: [], values: [] };
  let before = start > 0 ? { at: input.times[start - 1]!, value: input.values[start - 1]! } : null;
  let total = prior?.value ?? null;
  for (let i = start; i < input.times.length; i++) {
    const reading = { at: input.times[i]!, value: input.values[i]! };
    const value = step(reading, before, total);
    before = reading;
    if (value === null) continue;
    total = tidy(value);
    result.times.push(reading.at);
    result.values.push(total);
  }
  return result;
}

function stepOf(computation: Exclude<Accumulation, { form: 'moving' }>, prior: Sample | null): Step {
  switch (computation.form) {
    case 'change':
      return ({ value }, before) => (before === null ? null : value - before.value);
    case 'rate':
      return ({ at, value }, before) =>
        before === null ? null : ((value - before.value) / (at - before.at)) * computation.perS * 1000;
    case 'counter': {
      const periodAt = periodsOf(computation.restarts, computation.zone);
      return ({ at, value }, before, total) => {
        if (before === null) return total ?? 0;
        const counted = value >= before.value ? value - before.value : value;
        return (before.at >= periodAt(at).from ? (total ?? 0) : 0) + counted;
      };
    }
    case 'sum': {
      const periodAt = periodsOf(computation.restarts, computation.zone);
      let last = prior?.at ?? null;
      return ({ at, value }, _before, total) => {
        const goesOn = last !== null && last >= periodAt(at).from;
        last = at;
        return (goesOn ? (total ?? 0) : 0) + value;
      };
    }
    case 'integral': {
      const { restarts, zone, gapS, perS } = computation;
      const periodAt = periodsOf(restarts, zone);
      return ({ at, value }, before, total) => {
        if (before === null) return total ?? 0;
        const { from } = periodAt(at);
        const goesOn = before.at >= from;
        const silent = at - before.at > gapS * 1000;
        // What was measured before the hour or day began belongs to the one before: only the part since counts.
        const begin = goesOn ? before.at : from;
        const share = (begin - before.at) / (at - before.at);
        const atBegin = before.value + share * (value - before.value);
        const area = silent ? 0 : ((atBegin + value) / 2) * ((at - begin) / 1000 / perS);
        return (goesOn ? (total ?? 0) : 0) + area;
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
    for (; times[first]! <= times[i]! - width; first++) sum -= values[first]!;
    while (candidates[0]! < first) candidates.shift();
    if (i < start) continue;
    result.times.push(times[i]!);
    result.values.push(take === 'mean' ? tidy(sum / (i - first + 1)) : values[candidates[0]!]!);
  }
  return result;
}

/** Twelve significant digits: enough for any sensor, and 0.1 + 0.2 is 0.3. */
export function tidy(value: number): number {
  return Number(value.toPrecision(12)) + 0;
}
