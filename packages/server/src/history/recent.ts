import { orderColumns, type Columns, type Value } from '@peatmoor/core';
import { factsOf } from '../journal/others';
import { lineOf, type JournalPlace } from '../journal/reader';
import type { Committed } from '../journal/writer';
import { latestPossible, now as clockNow } from '../clock';

interface Unfolded extends Columns {
  seqs: number[];
}

/** What is in the journal but not yet in chunks, and the newest reading of each series. In memory. */
export interface Recent {
  add(committed: Committed): void;
  /** Forgets what has been folded: everything of a writer and part up to `seq`. */
  drop(place: JournalPlace): void;
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
  const unfolded = new Map<string, Map<number, Unfolded>>();
  const newest = new Map<number, { at: number; value: Value }>();
  let readings = 0;
  let oldest: number | null = null;
  const note = (seriesId: number, at: number, value: Value): void => {
    const known = newest.get(seriesId);
    if (known === undefined) newest.set(seriesId, { at, value });
    // What only a wrong clock can have given makes place.
    else if (at >= known.at || known.at > latestPossible()) {
      known.at = at;
      known.value = value;
    }
  };
  return {
    add({ writer, part, seq, batch, others }) {
      for (const { series, at, value } of others) note(series, at, factsOf(value));
      if (batch.series.length === 0) return;
      oldest ??= clockNow();
      readings += batch.series.length;
      const place = lineOf({ writer, part });
      let lines = unfolded.get(place);
      if (lines === undefined) unfolded.set(place, (lines = new Map()));
      for (let i = 0; i < batch.series.length; i++) {
        const series = batch.series[i]!;
        let line = lines.get(series);
        if (line === undefined) lines.set(series, (line = { times: [], values: [], seqs: [] }));
        line.times.push(batch.times[i]!);
        line.values.push(batch.values[i]!);
        line.seqs.push(seq);
        note(series, batch.times[i]!, batch.values[i]!);
      }
    },
    drop(place) {
      const { seq } = place;
      const lines = unfolded.get(lineOf(place));
      for (const [series, line] of lines ?? []) {
        const keep = line.seqs.findIndex((one) => one > seq);
        readings -= keep < 0 ? line.times.length : keep;
        if (keep < 0) lines!.delete(series);
        else
          lines!.set(series, {
            times: line.times.slice(keep),
            values: line.values.slice(keep),
            seqs: line.seqs.slice(keep),
          });
      }
      oldest = readings === 0 ? null : clockNow();
    },
    of(seriesId) {
      const result: Columns = { times: [], values: [] };
      for (const lines of unfolded.values()) {
        const line = lines.get(seriesId);
        if (line === undefined) continue;
        result.times = result.times.concat(line.times);
        result.values = result.values.concat(line.values);
      }
      return orderColumns(result);
    },
    newest: (seriesId) => newest.get(seriesId),
    noteNewest: note,
    forgetNewest: (seriesId) => void newest.delete(seriesId),
    status: (now) => ({ readings, ageMs: oldest === null ? 0 : now - oldest }),
  };
}
