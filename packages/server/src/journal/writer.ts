import { setImmediate as nextTurn, setTimeout as sleep } from 'node:timers/promises';
import { BatchBuilder, packBatch, type Batch } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import { inRawTransaction, type Store } from '../store/store';
import { writeOthers, type OtherReading } from './others';

/** Readings that may wait ahead of the journal; beyond that nothing more is taken. */
const MOST_QUEUED = 200_000;
/** Bytes of texts and images that may wait. */
const MOST_OTHER_BYTES = 64 * 1024 * 1024;
/** Readings in one commit at the most. */
const MOST_IN_COMMIT = 50_000;
const MOST_OTHER_BYTES_IN_COMMIT = 8 * 1024 * 1024;
const DUPLICATE_KEY = 1062;

/** The journal takes nothing just now: its queue is full, or the database does not answer. Nothing was stored. */
export class JournalBusyError extends Error {}

/** A committed batch with its place in the journal, and what was committed with it that is no number. */
export interface Committed {
  writer: number;
  seq: number;
  batch: Batch;
  others: readonly OtherReading[];
}

export interface JournalWriter {
  readonly id: number;
  /** Readings that wait, and whether the database is down. */
  status(): { queued: number; down: boolean };
  /** True while readings can be taken. */
  takes(): boolean;
  /** Adds a number to the commit that gathers; only while `takes()`. */
  add(series: number, at: number, value: number): void;
  /** Adds a text, location or image to the commit that gathers; only while `takes()`. */
  addOther(reading: OtherReading): void;
  /** Calls back, once, when all that was added up to now is durable. */
  onDurable(done: () => void): void;
  /** Number of the commit that takes what is added now: all with one number are durable at once. */
  commitNumber(): number;
  /** Resolves when readings can be taken again. */
  ready(): Promise<void>;
  stop(): Promise<void>;
}

interface Group {
  number: number;
  builder: BatchBuilder;
  others: OtherReading[];
  otherBytes: number;
  waiting: (() => void)[];
}

let groups = 0;
const newGroup = (expected = 64): Group => ({
  number: ++groups,
  builder: new BatchBuilder(expected),
  others: [],
  otherBytes: 0,
  waiting: [],
});
const isEmpty = (group: Group): boolean => group.builder.length === 0 && group.others.length === 0;

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
  let otherBytes = 0;
  let busy = false;
  let down = false;
  let stopped = false;
  let readyWaiters: (() => void)[] = [];

  const takes = (): boolean => !down && queued < MOST_QUEUED && otherBytes < MOST_OTHER_BYTES && !stopped;
  const announceReady = (): void => {
    if (!takes() || readyWaiters.length === 0) return;
    const waiters = readyWaiters;
    readyWaiters = [];
    for (const waiter of waiters) waiter();
  };

  // A connection of its own, kept while it works: borrowing one for each commit costs as much as a small commit.
  let own: Connection | null = null;
  const ownConnection = async (): Promise<Connection> => (own ??= await store.borrow());
  const dropOwn = async (): Promise<void> => {
    const dropped = own;
    own = null;
    if (dropped !== null) await store.discard(dropped);
  };

  const write = async (group: Group, number: number): Promise<void> => {
    const bytes = packBatch(group.builder.batch());
    const body = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    const insert = (connection: Connection): Promise<unknown> =>
      connection.execute('INSERT INTO journal (writer, seq, committedAt, body) VALUES (?, ?, ?, ?)', [
        id,
        number,
        Date.now(),
        body,
      ]);
    for (let attempt = 0; ; attempt++) {
      try {
        if (group.others.length === 0) await insert(await ownConnection());
        else
          await inRawTransaction(store, async (connection) => {
            await insert(connection);
            await writeOthers(connection, group.others);
          });
        break;
      } catch (error) {
        if ((error as { errno?: number }).errno === DUPLICATE_KEY) break;
        await dropOwn();
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
    while (full.length > 0 || !isEmpty(gathering)) {
      const group = full.shift() ?? gathering;
      if (group === gathering) gathering = newGroup(Math.ceil(group.builder.length * 1.2));
      const number = ++seq;
      await write(group, number);
      queued -= group.builder.length;
      otherBytes -= group.otherBytes;
      onCommit({ writer: id, seq: number, batch: group.builder.batch(), others: group.others });
      for (const done of group.waiting) done();
      announceReady();
      // What the answers bring in on the next turn joins the next commit, instead of many small ones.
      await nextTurn();
    }
    busy = false;
  };
  const start = (): void => {
    if (busy) return;
    busy = true;
    setImmediate(() => void pump());
  };
  const turnOver = (): void => {
    full.push(gathering);
    gathering = newGroup();
  };

  return {
    id,
    status: () => ({ queued, down }),
    takes,
    add(series, at, value) {
      if (gathering.builder.length >= MOST_IN_COMMIT) turnOver();
      gathering.builder.add(series, at, value);
      queued++;
      start();
    },
    addOther(reading) {
      if (gathering.otherBytes >= MOST_OTHER_BYTES_IN_COMMIT) turnOver();
      gathering.others.push(reading);
      gathering.otherBytes += reading.bytes;
      otherBytes += reading.bytes;
      start();
    },
    onDurable(done) {
      // What is gathered last is committed last.
      const group = isEmpty(gathering) ? full.at(-1) : gathering;
      if (group === undefined) done();
      else group.waiting.push(done);
    },
    commitNumber: () => gathering.number,
    ready: () => (takes() ? Promise.resolve() : new Promise((resolve) => readyWaiters.push(resolve))),
    async stop() {
      stopped = true;
      for (let waited = 0; busy && waited < 5000; waited += 10) await sleep(10);
      await dropOwn();
    },
  };
}
