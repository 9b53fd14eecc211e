import type { Columns } from '@peatmoor/core';
import type { Logger } from 'pino';
import { keepOffsets, readJournal, trimJournal, type JournalEntry } from '../journal/reader';
import { inRawTransaction, type Store } from '../store/store';
import { mergeIntoChunks } from './chunks';
import type { Recent } from './recent';

/** Commits that are read in one look, and readings after which that is enough for one transaction. */
const ENTRIES_AT_ONCE = 500;
const READINGS_AT_ONCE = 500_000;
/** Looks of one transaction at the most. */
const LOOKS_AT_ONCE = 60;
/**
 * Readings wait this long in the journal, so that a chunk is not written again for every single one. The longer the
 * last folding took, the longer the next one waits, so that it takes a part of the time only; up to so many readings.
 */
const REST_MS = 5000;
const REST_TIMES = 4;
const MOST_READINGS = 3_000_000;

export interface Folding {
  /** Folds everything that is in the journal now. */
  foldAll(): Promise<void>;
  /** Does something when all is folded and nothing is being folded. */
  alone<T>(work: () => Promise<T>): Promise<T>;
  stop(): Promise<void>;
}

/** The worker that takes the journal into chunks and rollups, offset and work in one transaction. `writers` are those of this process. */
export function startFolding(store: Store, recent: Recent, writers: readonly number[], log: Logger): Folding {
  let running: Promise<void> = Promise.resolve();
  let stopped = false;

  const foldOnce = (): Promise<boolean> =>
    inRawTransaction(store, async (connection) => {
      const bySeries = new Map<number, Columns>();
      const reached = new Map<number, number>();
      let readings = 0;
      let more = true;
      // One rewriting of a chunk for many commits: it costs as much as for one.
      for (let look = 0; look < LOOKS_AT_ONCE && more && readings < READINGS_AT_ONCE; look++) {
        const entries = await readJournal(connection, 'folding', ENTRIES_AT_ONCE, reached);
        more = entries.length === ENTRIES_AT_ONCE;
        readings += gather(entries, bySeries);
        for (const { writer, seq } of entries) reached.set(writer, seq);
      }
      if (bySeries.size > 0) await mergeIntoChunks(connection, bySeries);
      await keepOffsets(
        connection,
        'folding',
        [...reached].map(([writer, seq]) => ({ writer, seq })),
      );
      return { more, reached };
    }).then(({ more, reached }) => {
      for (const [writer, seq] of reached) recent.drop(writer, seq);
      return more;
    });
  const foldAll = (): Promise<void> => {
    const work = async (): Promise<void> => {
      while (await foldOnce());
      await inRawTransaction(store, (connection) => trimJournal(connection, writers));
    };
    running = running.catch(() => undefined).then(work);
    return running;
  };
  let tookMs = 0;
  let busy = false;
  const timer = setInterval(() => {
    const { readings, ageMs } = recent.status(Date.now());
    if (busy || (readings < MOST_READINGS && ageMs < Math.max(REST_MS, REST_TIMES * tookMs))) return;
    busy = true;
    const start = performance.now();
    foldAll()
      .finally(() => {
        tookMs = performance.now() - start;
        busy = false;
      })
      .catch((error: Error) => log.warn({ error: error.message }, 'folding waits'));
  }, 500);
  return {
    foldAll,
    async alone(work) {
      const folded = foldAll();
      const result = folded.then(work);
      running = result.then(
        () => undefined,
        () => undefined,
      );
      return result;
    },
    async stop() {
      if (stopped) return;
      stopped = true;
      clearInterval(timer);
      await running.catch(() => undefined);
      await foldAll().catch((error: Error) =>
        log.warn({ error: error.message }, 'the last folding waits for the next start'),
      );
    },
  };
}

/** Gathers the readings of journal entries by series; returns how many there were. */
function gather(entries: readonly JournalEntry[], bySeries: Map<number, Columns>): number {
  let readings = 0;
  for (const { batch } of entries) {
    readings += batch.series.length;
    for (let i = 0; i < batch.series.length; i++) {
      let line = bySeries.get(batch.series[i]!);
      if (line === undefined) bySeries.set(batch.series[i]!, (line = { times: [], values: [] }));
      line.times.push(batch.times[i]!);
      line.values.push(batch.values[i]!);
    }
  }
  return readings;
}
