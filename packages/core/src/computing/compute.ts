import { firstAtOrAfter, type Columns } from '../history/series';
import type { Sample, ValueType } from '../readings/types';
import { accumulate, tidy, type Accumulated, type Carry } from './accumulate';
import type { Formula } from './formula';
import { periodsOf } from './periods';
import type { Computation } from '../readings/computation';

/** A computation that was checked: what it reads, and how it is worked out. */
export interface Computing {
  computation: Computation;
  /** Type of the values it gives. */
  type: ValueType;
  /** Keys of its inputs. */
  inputs: string[];
  /** The checked formula, where it has one. */
  formula: Formula | null;
}

/** What a computation over a period needs. */
export interface Material {
  /** True values of the inputs by key, in order of time: from `from` on, and before as `lookBackMs` says. */
  inputs: ReadonlyMap<string, Columns>;
  /** Outputs are made for readings from this time on, epoch ms. */
  from: number;
  /** Its own newest output before `from`; null for none. */
  prior: Sample | null;
  /** The exact total behind it, where it is known. */
  carry?: Carry | null;
}

/** Works a computation out. Pure: late, repeated or ordered otherwise, the same readings give the same outputs. */
export function compute(computing: Computing, material: Material): Columns {
  return computeOn(computing, material).outputs;
}

/** The same, with what the next readings go on from. */
export function computeOn(computing: Computing, { inputs, from, prior, carry }: Material): Accumulated {
  const { computation, formula, type } = computing;
  const { outputs: made, carry: next } =
    computation.form === 'formula'
      ? { outputs: overInputs(formula!, inputs, from, computation.gapS * 1000), carry: null }
      : accumulate(
          computation,
          inputs.get(computing.inputs[0]!) ?? { times: [], values: [] },
          from,
          prior,
          carry,
        );
  if (type === 'integer') made.values = made.values.map((value) => Math.round(value) + 0);
  if (type === 'boolean') made.values = made.values.map((value) => (value === 0 ? 0 : 1));
  return { outputs: made, carry: next };
}

/**
 * From when a total must be worked out so that it is exact from `from` on, though only rounded outputs are known before: from
 * the beginning of its hour or day. A total that never restarts goes on from its last output.
 */
export function exactFrom(computation: Computation, from: number): number {
  if (computation.form !== 'counter' && computation.form !== 'sum' && computation.form !== 'integral')
    return from;
  if (computation.restarts === 'never' || !Number.isFinite(from)) return from;
  return periodsOf(computation.restarts, computation.zone)(from).from;
}

/** How far before `from` inputs count, beside the newest reading before it, in ms. */
export function lookBackMs(computation: Computation): number {
  return computation.form === 'moving' ? computation.overS * 1000 : 0;
}

/**
 * How far a reading at `at` reaches: outputs up to this time (epoch ms, inclusive) may change by it; Infinity for a total that
 * never restarts. `next` is the time of the reading after it, Infinity where it is the newest.
 */
export function reachOf(computation: Computation, at: number, next: number): number {
  switch (computation.form) {
    case 'formula':
    case 'change':
    case 'rate':
      return next;
    case 'moving':
      return at + computation.overS * 1000;
    case 'sum':
      return periodsOf(computation.restarts, computation.zone)(at).to;
    case 'counter':
    case 'integral': {
      // The reading after it measures from it, and carries that into its own hour or day.
      if (computation.restarts === 'never' || next === Infinity) return Infinity;
      return periodsOf(computation.restarts, computation.zone)(next).to;
    }
  }
}

/** A formula has a value wherever an input has a reading, with the newest of each of the others. */
function overInputs(
  formula: Formula,
  inputs: ReadonlyMap<string, Columns>,
  from: number,
  oldestMs: number,
): Columns {
  const lines = formula.inputs.map((key) => {
    const columns = inputs.get(key) ?? { times: [], values: [] };
    return { key, columns, next: firstAtOrAfter(columns.times, from) };
  });
  const result: Columns = { times: [], values: [] };
  const values: Record<string, number> = {};
  for (;;) {
    let at = Infinity;
    for (const { columns, next } of lines) at = Math.min(at, columns.times[next] ?? Infinity);
    if (at === Infinity) return result;
    let known = true;
    for (const line of lines) {
      if (line.columns.times[line.next] === at) line.next++;
      const newest = line.next - 1;
      if (newest < 0 || at - line.columns.times[newest]! > oldestMs) known = false;
      else values[line.key] = line.columns.values[newest]!;
    }
    const value = known ? formula.evaluate(values) : null;
    if (value === null) continue;
    result.times.push(at);
    result.values.push(tidy(value));
  }
}
