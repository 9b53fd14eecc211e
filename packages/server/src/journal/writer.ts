import { setImmediate as nextTurn, setTimeout as sleep } from 'node:timers/promises';
import { BatchBuilder, packBatch, type Commit, type Fact } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import { bare } from '../bareError';
import { cannotWrite } from '../store/lost';
import { inRawTransaction, type Store } from '../store/store';
import { openWriter } from './writers';
import { writeOpenNumbers, type OpenNumber } from './openNumbers';
import { writeOthers, type OtherReading } from './others';
import { now as clockNow } from '../clock';

/** Readings that may wait ahead of the journal; beyond that nothing more is taken. */
const MOST_QUEUED = 200_000;
/** Bytes of texts and images that may wait. */
const MOST_OTHER_BYTES = 64 * 1024 * 1024;
/** Readings in one commit at the most. */
const MOST_IN_COMMIT = 50_000;
const MOST_OTHER_BYTES_IN_COMMIT = 8 * 1024 * 1024;
const DUPLICATE_KEY = 1062;
const DEADLOCK = 1213;
const MOST_CONFLICTS = 5;

/** The journal takes nothing just now: its queue is full, or the database does not answer. Nothing was stored. */
export class JournalBusyError extends Error {}

/** A committed batch with its place in the journal, and what was committed with it that is no number. */
export interface Committed extends Commit {
  writer: number;
  part: number;
  seq: number;
  others: readonly OtherReading[];
}

/** Called once what was added is durable; `refused` are texts and the like that the database did not take. */
export type Durable = (refused: ReadonlySet<OtherReading>) => void;

export interface JournalWriter {
  readonly id: number;
  /** Parts of the journal; what is of a workspace goes to the part of its number, modulo this. */
  readonly parts: number;
  /** Readings that wait, and whether the database is down, or has no room. */
  status(): { queued: number; down: boolean };
  /** Takes nothing while the disk is full; what waits is still written. */
  refuse(full: boolean): void;
  /** True while readings can be taken. */
  takes(): boolean;
  /** Adds a number to the commit that gathers; only while `takes()`. */
  add(workspaceId: number, series: number, at: number, value: number): void;
  /** Adds a text, location or image to the commit that gathers; only while `takes()`. */
  addOther(workspaceId: number, reading: OtherReading): void;
  /** Adds a fact of a workspace to the commit that gathers, or of all of them; only while `takes()`. */
  addFact(workspaceId: number | 'all', fact: Fact): void;
  /** Notes in the commit that gathers that a message was taken; only after something of it was added. */
  addNumber(number: OpenNumber): void;
  /** Calls back, once, when all that was added up to now is durable. */
  onDurable(done: Durable): void;
  /** Number of the commit that takes what is added now: all with one number are durable at once. */
  commitNumber(): number;
  /** Resolves when readings can be taken again. */
  ready(): Promise<void>;
  stop(): Promise<void>;
}

/** A row of the journal that is to be written. */
interface NumberedRow {
  part: number;
  seq: number;
  body: Buffer;
}

/** What one commit brings to a part of the journal. */
interface PartOfGroup {
  part: number;
  builder: BatchBuilder;
  others: OtherReading[];
  facts: Fact[];
}

/** One commit: it is durable in all its parts, or in none. */
interface Group {
  number: number;
  /** By part; empty where nothing came. */
  parts: (PartOfGroup | undefined)[];
  /** How much room each part is made with. */
  expected: number;
  readings: number;
  otherBytes: number;
  numbers: OpenNumber[];
  waiting: Durable[];
}

interface WriterOptions {
  /** Hears that a commit begins: what is written beside it wakes the disk no second time. */
  onBegin?: () => void;
  parts?: number;
  /**
   * So long after another a commit begins at the earliest, in ms: every commit costs each node of a cluster work, and many small
   * ones cost it many times. One that comes after a pause begins at once.
   */
  apartMs?: () => number;
}

let groups = 0;
const newGroup = (expected = 64): Group => ({
  number: ++groups,
  parts: [],
  expected,
  readings: 0,
  otherBytes: 0,
  numbers: [],
  waiting: [],
});
const isEmpty = (group: Group): boolean => group.parts.length === 0;
const NOTHING: ReadonlySet<OtherReading> = new Set();

/**
 * The one writer of this process. While one commit is under way the next gathers. Its sequence has no gaps; a
 * commit whose outcome a broken connection hides is written again under the same number, so it is there once. Only lost
 * connections (and full disks) are waited for: a text that the database does not take is refused, and all else is kept.
 * Each of the journal's `parts` has commits numbered by itself.
 */
export async function startJournalWriter(
  store: Store,
  log: Logger,
  onCommit: (committed: Committed, tookMs: number) => void,
  { onBegin = () => undefined, parts = 1, apartMs = () => 0 }: WriterOptions = {},
): Promise<JournalWriter> {
  const id = await openWriter(store);
  /** Commits of each part so far. */
  const seqs = new Array<number>(parts).fill(0);
  let gathering = newGroup();
  let underWay: Group | null = null;
  const full: Group[] = [];
  let queued = 0;
  let otherBytes = 0;
  let busy = false;
  let down = false;
  let stopped = false;
  let noRoom = false;
  let readyWaiters: (() => void)[] = [];

  const takes = (): boolean =>
    !down && !noRoom && queued < MOST_QUEUED && otherBytes < MOST_OTHER_BYTES && !stopped;
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

  /** Does something again and again until the database can be written; throws only what is wrong with it itself. */
  const persist = async (work: () => Promise<unknown>): Promise<void> => {
    for (let attempt = 0; ; attempt++) {
      try {
        await work();
        break;
      } catch (error) {
        if ((error as { errno?: number }).errno === DUPLICATE_KEY) break;
        await dropOwn();
        // On a cluster another node may have committed something beside it: it is tried again.
        if ((error as { errno?: number }).errno === DEADLOCK && attempt < MOST_CONFLICTS) continue;
        if (!cannotWrite(error as Error)) throw error;
        if (!down)
          log.error(
            { err: bare(error) },
            'the journal cannot be written; refusing new readings until it can',
          );
        down = true;
        await sleep(Math.min(1000, 50 * 2 ** attempt));
      }
    }
    if (down) log.info('the journal can be written again');
    down = false;
  };

  /** One statement: its rows are all there or none is, whatever becomes of the connection. */
  const insert = (connection: Connection, rows: readonly NumberedRow[]): Promise<unknown> => {
    const now = clockNow();
    return connection.execute(
      `INSERT INTO journal (writer, part, seq, committedAt, body) VALUES ${rows.map(() => '(?, ?, ?, ?, ?)').join(', ')}`,
      rows.flatMap(({ part, seq, body }) => [id, part, seq, now, body]),
    );
  };

  /** Writes a group; gives what of its texts and the like was refused. */
  const write = async (
    gathered: readonly PartOfGroup[],
    numbered: readonly number[],
    open: readonly OpenNumber[],
  ): Promise<ReadonlySet<OtherReading>> => {
    const rows = gathered.map(({ part, builder, facts }, i): NumberedRow => {
      const bytes = packBatch(builder.batch(), facts);
      const body = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
      return { part, seq: numbered[i]!, body };
    });
    const all = gathered.flatMap(({ others }) => others);
    const numbersOnly = (): Promise<void> => persistAlways(async () => insert(await ownConnection(), rows));
    if (all.length === 0 && open.length === 0) {
      await numbersOnly();
      return NOTHING;
    }
    try {
      await persist(() =>
        inRawTransaction(store, async (connection) => {
          await insert(connection, rows);
          if (all.length > 0) await writeOthers(connection, all);
          if (open.length > 0) await writeOpenNumbers(connection, open);
        }),
      );
      return NOTHING;
    } catch (error) {
      log.warn({ err: bare(error) }, 'a commit is divided: something in it cannot be stored');
    }
    await numbersOnly();
    const refused = new Set<OtherReading>();
    await writeDivided(all, refused);
    if (open.length > 0)
      await persistAlways(() => inRawTransaction(store, (connection) => writeOpenNumbers(connection, open)));
    return refused;
  };
  /** The same for what cannot be wrong in itself. */
  const persistAlways = async (work: () => Promise<unknown>): Promise<void> => {
    for (;;)
      try {
        return await persist(work);
      } catch (error) {
        if (!down)
          log.error(
            { err: bare(error) },
            'the journal cannot be written; refusing new readings until it can',
          );
        down = true;
        await sleep(500);
      }
  };
  /** Halves what cannot be written until the bad one stands alone. */
  const writeDivided = async (others: readonly OtherReading[], refused: Set<OtherReading>): Promise<void> => {
    try {
      await persist(() => inRawTransaction(store, (connection) => writeOthers(connection, others)));
    } catch (error) {
      if (others.length === 1) {
        log.error(
          { err: bare(error), series: others[0]!.series },
          'a reading cannot be stored and was refused',
        );
        refused.add(others[0]!);
        return;
      }
      const half = others.length >> 1;
      await writeDivided(others.slice(0, half), refused);
      await writeDivided(others.slice(half), refused);
    }
  };

  const pump = async (): Promise<void> => {
    while (full.length > 0 || !isEmpty(gathering)) {
      const group = full.shift() ?? gathering;
      underWay = group;
      const gathered = group.parts.filter((one) => one !== undefined);
      if (group === gathering) gathering = newGroup(Math.ceil((group.readings * 1.2) / gathered.length));
      const numbered = gathered.map(({ part }) => ++seqs[part]!);
      const since = performance.now();
      onBegin();
      const refused = await write(gathered, numbered, group.numbers);
      const tookMs = performance.now() - since;
      queued -= group.readings;
      otherBytes -= group.otherBytes;
      // What hears of a commit cannot stop the next one.
      const tell = (work: () => void): void => {
        try {
          work();
        } catch (error) {
          log.error({ err: error }, 'something failed after a commit');
        }
      };
      for (const [i, { part, builder, facts, others: all }] of gathered.entries()) {
        const others = refused.size === 0 ? all : all.filter((one) => !refused.has(one));
        const batch = builder.batch();
        tell(() => onCommit({ writer: id, part, seq: numbered[i]!, batch, facts, others }, tookMs));
      }
      underWay = null;
      for (const done of group.waiting) tell(() => done(refused));
      announceReady();
      // What the answers bring in on the next turn joins the next commit, instead of many small ones.
      await nextTurn();
      const rest = apartMs() - (performance.now() - since);
      if (rest >= 1 && full.length === 0) await sleep(rest);
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
  const inPart = (part: number): PartOfGroup =>
    (gathering.parts[part] ??= {
      part,
      builder: new BatchBuilder(gathering.expected),
      others: [],
      facts: [],
    });

  return {
    id,
    status: () => ({ queued, down: down || noRoom }),
    refuse(full) {
      noRoom = full;
      announceReady();
    },
    takes,
    parts,
    add(workspaceId, series, at, value) {
      if (gathering.readings >= MOST_IN_COMMIT) turnOver();
      inPart(workspaceId % parts).builder.add(series, at, value);
      gathering.readings++;
      queued++;
      start();
    },
    addOther(workspaceId, reading) {
      if (gathering.otherBytes >= MOST_OTHER_BYTES_IN_COMMIT) turnOver();
      const { others, facts } = inPart(workspaceId % parts);
      others.push(reading);
      const { series, at, value } = reading;
      // Rules read the journal alone.
      if (typeof value === 'string' || 'lat' in value) facts.push({ kind: 'told', series, at, value });
      gathering.otherBytes += reading.bytes;
      otherBytes += reading.bytes;
      start();
    },
    addFact(workspaceId, fact) {
      if (workspaceId === 'all') for (let part = 0; part < parts; part++) inPart(part).facts.push(fact);
      else inPart(workspaceId % parts).facts.push(fact);
      start();
    },
    addNumber: (number) => void gathering.numbers.push(number),
    onDurable(done) {
      // What is gathered last is committed last.
      const group = isEmpty(gathering) ? (full.at(-1) ?? underWay) : gathering;
      if (group === null) done(NOTHING);
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
