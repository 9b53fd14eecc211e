import {
  computeOn,
  exactFrom,
  EMPTY_COLUMNS,
  lookBackMs,
  mergeColumns,
  reachOf,
  sliceColumns,
  type Carry,
  type Columns,
  type Sample,
} from '@peatmoor/core';
import type { HistoryReader } from '../history/read';
import type { Target } from './targets';

/** Readings that one look at history may take; beyond that it is a recomputation, done in steps. */
const MOST_AT_ONCE = 50_000;

/** What must be remembered of a target to go on with newer readings. */
export interface Tail {
  /** The readings of each input that still count, by key. */
  inputs: Map<string, Columns>;
  /** Its newest output, and the exact total behind it. */
  prior: Sample | null;
  carry: Carry | null;
  /** Time of the newest reading of any input. */
  newestAt: number;
}

/** What came of new readings: outputs and what to remember, or that too much of history is touched. */
export type Worked =
  | { outputs: Columns; tail: Tail | null; tooMuch: false }
  | { outputs: Columns; tail: null; tooMuch: true; from: number };

/** Goes on from a tail with readings that are all newer. */
export function goOn(target: Target, tail: Tail, fresh: ReadonlyMap<string, Columns>): Worked {
  const inputs = new Map(
    target.computing.inputs.map((key) => [
      key,
      mergeColumns(tail.inputs.get(key) ?? EMPTY_COLUMNS, fresh.get(key) ?? EMPTY_COLUMNS),
    ]),
  );
  const { prior, carry } = tail;
  const made = computeOn(target.computing, { inputs, from: earliest(fresh), prior, carry });
  return {
    outputs: made.outputs,
    tail: tailOf(target, inputs, newestOf(made.outputs) ?? prior, made.carry),
    tooMuch: false,
  };
}

/** Works out everything that readings reach, late ones too, from history. `fresh` may not be in history yet. */
export async function workOut(
  history: HistoryReader,
  target: Target,
  fresh: ReadonlyMap<string, Columns>,
): Promise<Worked> {
  const { computing, stream } = target;
  const from = earliest(fresh);
  let to = -Infinity;
  let newest = true;
  for (const input of target.inputs) {
    const last = fresh.get(input.key)?.times.at(-1);
    if (last === undefined) continue;
    const next = (await history.nearest(input, last, 'after'))?.at ?? Infinity;
    to = Math.max(to, reachOf(computing.computation, last, next));
    newest &&= next === Infinity;
  }
  // A total is worked out from the beginning of its hour or day: outputs are rounded, and what was rounded off counts.
  const begin = exactFrom(computing.computation, from);
  const inputs = await inputsOver(history, target, begin, to, MOST_AT_ONCE);
  if (inputs === null) return { outputs: EMPTY_COLUMNS, tail: null, tooMuch: true, from };
  for (const [key, columns] of fresh) inputs.set(key, mergeColumns(inputs.get(key)!, columns));
  const own = { ...stream, calibrations: [] };
  const prior = await history.nearest(own, begin, 'before');
  const made = computeOn(computing, { inputs, from: begin, prior });
  const outputs = sliceColumns(made.outputs, from, Infinity);
  // What was worked out before and has no inputs any more must go: that is a recomputation, which replaces.
  const times = new Set(outputs.times);
  for await (const [part] of history.parts([own], from, Math.min(to, lastOf(inputs)) + 1))
    if (part!.times.some((at) => !times.has(at)))
      return { outputs: EMPTY_COLUMNS, tail: null, tooMuch: true, from };
  return {
    outputs,
    tail: newest ? tailOf(target, inputs, newestOf(made.outputs) ?? prior, made.carry) : null,
    tooMuch: false,
  };
}

/** True readings of a target's inputs that count from a time on, up to another; null where there are more than `most`. */
export async function inputsOver(
  history: HistoryReader,
  { computing, inputs }: Target,
  from: number,
  to: number,
  most: number,
): Promise<Map<string, Columns> | null> {
  const result = new Map<string, Columns>();
  let count = 0;
  for (const input of inputs) {
    const before = await history.nearest(input, from, 'before');
    let columns: Columns = before === null ? EMPTY_COLUMNS : { times: [before.at], values: [before.value] };
    const start = from - lookBackMs(computing.computation);
    for await (const [part] of history.parts([input], start, to + 1)) {
      columns = mergeColumns(columns, part!);
      count += part!.times.length;
      if (count > most) return null;
    }
    result.set(input.key, columns);
  }
  return result;
}

/** What to remember after outputs were made up to the newest reading. */
export function tailOf(
  { computing }: Target,
  inputs: ReadonlyMap<string, Columns>,
  prior: Sample | null,
  carry: Carry | null,
): Tail {
  const kept = new Map<string, Columns>();
  let newestAt = -Infinity;
  for (const [key, columns] of inputs) {
    const last = columns.times.at(-1);
    if (last === undefined) continue;
    newestAt = Math.max(newestAt, last);
    const start = Math.min(last, last - lookBackMs(computing.computation));
    kept.set(key, sliceColumns(columns, start, Infinity));
  }
  return { inputs: kept, prior, carry, newestAt };
}

export function newestOf({ times, values }: Columns): Sample | null {
  return times.length === 0 ? null : { at: times.at(-1)!, value: values.at(-1)! };
}

/** The newest reading of any input. */
function lastOf(inputs: ReadonlyMap<string, Columns>): number {
  return Math.max(...[...inputs.values()].map(({ times }) => times.at(-1) ?? -Infinity));
}

function earliest(fresh: ReadonlyMap<string, Columns>): number {
  return Math.min(...[...fresh.values()].map(({ times }) => times[0] ?? Infinity));
}
