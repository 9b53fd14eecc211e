import type { Columns } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import { offsetsOf, trimJournal, type JournalEntry } from '../journal/reader';
import { aloneInAll, together, type AllParts, type Share } from '../journal/parts';
import { startJournalWorker, type JournalWorker } from '../journal/worker';
import type { Store } from '../store/store';
import { closeDays, mergeIntoChunks } from './chunks';
import type { Recent } from './recent';
import { now as clockNow } from '../clock';

/** Commits that are read in one look, and readings after which that is enough for one transaction. */
const ENTRIES_AT_ONCE = 500;
const READINGS_AT_ONCE = 500_000;
/** Looks of one transaction at the most: one rewriting of a chunk for many commits costs as much as for one. */
const LOOKS_AT_ONCE = 60;
/**
 * Readings wait this long in the journal, so that a chunk is not written again for every single one. The longer the
 * last folding took, the longer the next one waits, so that it takes a part of the time only; up to so many readings.
 */
const REST_MS = 5000;
const REST_TIMES = 4;
const MOST_READINGS = 3_000_000;
/** While little comes, a disk is spared: what waits is in the journal, and in memory for whoever asks. */
const CALM_MS = 300_000;
const CALM_READINGS = 50_000;
const CALM_COMMITS = 10_000;
/** How often it is looked what another service has folded. */
const OTHERS_MS = 5000;
/** So long what is folded stays in the journal for other nodes, in ms. */
const FOLLOWED_MS = 15_000;

export interface Folding extends AllParts {
  /** Does something when all is folded and nothing is being folded. */
  alone<T>(work: () => Promise<T>): Promise<T>;
}

type JournalReader = Pick<JournalWorker, 'wake' | 'settled' | 'alone' | 'holds' | 'stop'>;

interface Parts {
  store: Store;
  recent: Recent;
  log: Logger;
  share: Share;
}

/** The reader that takes the journal into chunks and rollups, on all its parts. */
export function startFolding({
  shares,
  ...parts
}: Omit<Parts, 'share'> & { shares: readonly Share[] }): Folding {
  const readers = shares.map((share) => startFoldingPart({ ...parts, share }));
  return { ...together(readers), alone: (work) => aloneInAll(readers, work) };
}

function startFoldingPart({ store, recent, log, share }: Parts): JournalReader {
  const { sole, part } = share;
  let tookMs = 0;
  let commits = 0;
  const drop = async (): Promise<void> => {
    for (const place of await store.withConnection((connection) => offsetsOf(connection, 'folding')))
      if (place.part === part) recent.drop(place);
  };
  const worker: JournalWorker = startJournalWorker(
    { store, log, share },
    {
      name: 'folding',
      entries: ENTRIES_AT_ONCE,
      looks: LOOKS_AT_ONCE,
      readings: READINGS_AT_ONCE,
      everyMs: sole ? CALM_MS : OTHERS_MS,
      gatherMs() {
        const { readings } = recent.status(clockNow());
        if (readings > MOST_READINGS) return 0;
        const busy = readings > CALM_READINGS || commits > CALM_COMMITS;
        return Math.max(busy ? REST_MS : CALM_MS, REST_TIMES * tookMs);
      },
      begin: drop,
      prepare: () => Promise.resolve('work'),
      async step(connection: Connection, entries: readonly JournalEntry[], caughtUp: boolean) {
        const start = performance.now();
        const bySeries = gather(entries);
        if (bySeries.size > 0) {
          await mergeIntoChunks(connection, bySeries, { log });
          await closeDays(connection, [...bySeries.keys()], clockNow(), log);
        }
        commits = 0;
        if (caughtUp) await trimJournal(connection, part, sole ? null : clockNow() - FOLLOWED_MS);
        return {
          after(reached) {
            tookMs = performance.now() - start;
            for (const place of reached) recent.drop(place);
          },
        };
      },
    },
  );
  const others = setInterval(() => {
    if (!worker.holds()) void drop().catch(() => undefined);
  }, OTHERS_MS);
  return {
    settled: worker.settled,
    holds: worker.holds,
    async alone(work) {
      await worker.settled();
      return worker.alone(work);
    },
    wake() {
      commits++;
      worker.wake();
    },
    async stop() {
      clearInterval(others);
      await worker
        .settled()
        .catch((error: Error) => log.warn({ err: error }, 'the last folding waits for the next start'));
      await worker.stop();
    },
  };
}

/** Readings of journal entries by series. */
function gather(entries: readonly JournalEntry[]): Map<number, Columns> {
  const bySeries = new Map<number, Columns>();
  for (const { batch } of entries)
    for (let i = 0; i < batch.series.length; i++) {
      let line = bySeries.get(batch.series[i]!);
      if (line === undefined) bySeries.set(batch.series[i]!, (line = { times: [], values: [] }));
      line.times.push(batch.times[i]!);
      line.values.push(batch.values[i]!);
    }
  return bySeries;
}
