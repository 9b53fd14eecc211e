import { setTimeout as sleep } from 'node:timers/promises';
import { packBatch, type Batch } from '@peatmoor/core';
import type { Logger } from 'pino';
import type { Store } from '../store/store';

/** Readings that may wait ahead of the journal; beyond that nothing more is taken. */
const MOST_QUEUED = 200_000;
/** Readings in one commit at the most. */
const MOST_IN_COMMIT = 50_000;
const DUPLICATE_KEY = 1062;

/** The journal takes nothing just now: its queue is full, or the database does not answer. Nothing was stored. */
export class JournalBusyError extends Error {}

/** A committed batch with its place in the journal. */
export interface Committed {
  writer: number;
  seq: number;
  batch: Batch;
}

export interface JournalWriter {
  readonly id: number;
  /** Readings that wait, and whether the database is down. */
  status(): { queued: number; down: boolean };
  /** Resolves once all these readings are durable. Rejects with JournalBusyError if they were not taken at all. */
  append(batch: Batch): Promise<void>;
  /** Resolves when readings can be taken again. */
  ready(): Promise<void>;
  stop(): Promise<void>;
}

interface Group {
  batch: Batch;
  waiting: (() => void)[];
}

const newGroup = (): Group => ({ batch: { series: [], times: [], values: [] }, waiting: [] });

/**
 * The one writer of this process. While one commit is under way the next gathers. Its sequence has no gaps; a
 * commit whose outcome a broken connection hides is written again under the same number, so it is there once.
 */
export async function startJournalWriter(
  store: Store,
  log: Logger,
  onCommit: (committed: Committed) => void,
): Promise<JournalWriter> {
  const id = await store.withConnection(async (connection) => {
    const made = await connection.query('INSERT INTO journalWriters (startedAt) VALUES (?)', [Date.now()]);
    return Number((made as { insertId: number }).insertId);
  });
  let seq = 0;
  let gathering = newGroup();
  const full: Group[] = [];
  let queued = 0;
  let busy = false;
  let down = false;
  let stopped = false;
  let readyWaiters: (() => void)[] = [];

  const takes = (): boolean => !down && queued < MOST_QUEUED && !stopped;
  const announceReady = (): void => {
    if (!takes() || readyWaiters.length === 0) return;
    const waiters = readyWaiters;
    readyWaiters = [];
    for (const waiter of waiters) waiter();
  };

  const write = async (body: Buffer, number: number): Promise<void> => {
    for (let attempt = 0; ; attempt++) {
      try {
        await store.withConnection((connection) =>
          connection.execute('INSERT INTO journal (writer, seq, committedAt, body) VALUES (?, ?, ?, ?)', [
            id,
            number,
            Date.now(),
            body,
          ]),
        );
        break;
      } catch (error) {
        if ((error as { errno?: number }).errno === DUPLICATE_KEY) break;
        if (!down)
          log.error(
            { error: (error as Error).message },
            'the journal cannot be written; refusing new readings until it can',
          );
        down = true;
        await sleep(Math.min(1000, 50 * 2 ** attempt));
      }
    }
    if (down) log.info('the journal can be written again');
    down = false;
  };

  const pump = async (): Promise<void> => {
    while (full.length > 0 || gathering.batch.series.length > 0) {
      const group = full.shift() ?? gathering;
      if (group === gathering) gathering = newGroup();
      const number = ++seq;
      const bytes = packBatch(group.batch);
      await write(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength), number);
      queued -= group.batch.series.length;
      onCommit({ writer: id, seq: number, batch: group.batch });
      for (const done of group.waiting) done();
      announceReady();
    }
    busy = false;
  };

  return {
    id,
    status: () => ({ queued, down }),
    append(batch) {
      if (!takes()) return Promise.reject(new JournalBusyError(down ? 'database down' : 'queue full'));
      const { series, times, values } = gathering.batch;
      for (let i = 0; i < batch.series.length; i++) {
        series.push(batch.series[i]!);
        times.push(batch.times[i]!);
        values.push(batch.values[i]!);
      }
      queued += batch.series.length;
      const done = new Promise<void>((resolve) => gathering.waiting.push(resolve));
      if (series.length >= MOST_IN_COMMIT) {
        full.push(gathering);
        gathering = newGroup();
      }
      if (!busy) {
        busy = true;
        setImmediate(() => void pump());
      }
      return done;
    },
    ready: () => (takes() ? Promise.resolve() : new Promise((resolve) => readyWaiters.push(resolve))),
    async stop() {
      stopped = true;
      for (let waited = 0; busy && waited < 5000; waited += 10) await sleep(10);
    },
  };
}
