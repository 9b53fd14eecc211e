import { orderColumns, type Columns, type Value } from '@peatmoor/core';
import { factsOf } from '../journal/others';
import type { Committed } from '../journal/writer';

interface Unfolded extends Columns {
  seqs: number[];
}

/** What is in the journal but not yet in chunks, and the newest reading of each series. In memory. */
export interface Recent {
  add(committed: Committed): void;
  /** Forgets what has been folded: everything up to `seq`. */
  drop(seq: number): void;
  /** Not yet folded readings of a series, in order of time. */
  of(seriesId: number): Columns;
  newest(seriesId: number): { at: number; value: Value } | undefined;
  noteNewest(seriesId: number, at: number, value: Value): void;
  /** Forgets the newest reading of a series: it may have been deleted. */
  forgetNewest(seriesId: number): void;
  /** Readings held, and how long the oldest has been here (ms). */
  status(now: number): { readings: number; ageMs: number };
}

export function createRecent(): Recent {
  const unfolded = new Map<number, Unfolded>();
  const newest = new Map<number, { at: number; value: Value }>();
  let readings = 0;
  let oldest: number | null = null;
  const note = (seriesId: number, at: number, value: Value): void => {
    const known = newest.get(seriesId);
    if (known === undefined) newest.set(seriesId, { at, value });
    else if (at >= known.at) {
      known.at = at;
      known.value = value;
    }
  };
  return {
    add({ seq, batch, others }) {
      for (const { series, at, value } of others) note(series, at, factsOf(value));
      if (batch.series.length === 0) return;
      oldest ??= Date.now();
      readings += batch.series.length;
      for (let i = 0; i < batch.series.length; i++) {
        const series = batch.series[i]!;
        let line = unfolded.get(series);
        if (line === undefined) unfolded.set(series, (line = { times: [], values: [], seqs: [] }));
        line.times.push(batch.times[i]!);
        line.values.push(batch.values[i]!);
        line.seqs.push(seq);
        note(series, batch.times[i]!, batch.values[i]!);
      }
    },
    drop(seq) {
      readings = 0;
      for (const [series, line] of unfolded) {
        const keep = line.seqs.findIndex((one) => one > seq);
        if (keep < 0) unfolded.delete(series);
        else {
          unfolded.set(series, {
            times: line.times.slice(keep),
            values: line.values.slice(keep),
            seqs: line.seqs.slice(keep),
          });
          readings += line.times.length - keep;
        }
      }
      oldest = readings === 0 ? null : Date.now();
    },
    of(seriesId) {
      const line = unfolded.get(seriesId);
      return line === undefined
        ? { times: [], values: [] }
        : orderColumns({ times: line.times.slice(), values: line.values.slice() });
    },
    newest: (seriesId) => newest.get(seriesId),
    noteNewest: note,
    forgetNewest: (seriesId) => void newest.delete(seriesId),
    status: (now) => ({ readings, ageMs: oldest === null ? 0 : now - oldest }),
  };
}
