import {
  compute,
  EMPTY_COLUMNS,
  lookBackMs,
  mergeColumns,
  reachOf,
  sliceColumns,
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
  /** Its newest output. */
  prior: Sample | null;
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
  const outputs = compute(target.computing, { inputs, from: earliest(fresh), prior: tail.prior });
  return { outputs, tail: tailOf(target, inputs, newestOf(outputs) ?? tail.prior), tooMuch: false };
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
  const inputs = await inputsOver(history, target, from, to, MOST_AT_ONCE);
  if (inputs === null) return { outputs: EMPTY_COLUMNS, tail: null, tooMuch: true, from };
  for (const [key, columns] of fresh) inputs.set(key, mergeColumns(inputs.get(key)!, columns));
  const prior = await history.nearest({ ...stream, calibrations: [] }, from, 'before');
  const outputs = compute(computing, { inputs, from, prior });
  return {
    outputs,
    tail: newest ? tailOf(target, inputs, newestOf(outputs) ?? prior) : null,
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
  return { inputs: kept, prior, newestAt };
}

export function newestOf({ times, values }: Columns): Sample | null {
  return times.length === 0 ? null : { at: times.at(-1)!, value: values.at(-1)! };
}

function earliest(fresh: ReadonlyMap<string, Columns>): number {
  return Math.min(...[...fresh.values()].map(({ times }) => times[0] ?? Infinity));
}
