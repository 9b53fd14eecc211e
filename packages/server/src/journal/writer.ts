import { setImmediate as nextTurn, setTimeout as sleep } from 'node:timers/promises';
import { BatchBuilder, packBatch, type Commit, type Fact } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import { bare } from '../bareError';
import { cannotWrite } from '../store/lost';
import { inRawTransaction, type Store } from '../store/store';
import { openWriter } from './writers';
import { leaveOut, placesOf, type NumberedMessage, type PartOfGroup } from './messages';
import { isThere, SupersededError, takeNumbers, type OpenNumber, type Outcome } from './openNumbers';
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
  /**
   * Adds a message that must be taken once: all that `add` adds is stored with its number, or not at all. `isOut` of what it is given is
   * true once it turned out that nothing of it was stored. `done` resolves once what came of it is durable, and rejects with
   * SupersededError where the session goes on elsewhere. `values`: how many readings it has at the most.
   */
  addMessage<T>(
    number: OpenNumber,
    values: number,
    add: (fate: { isOut: boolean }) => T,
  ): { result: T; done: Promise<void> };
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

/** One commit: it is durable in all its parts, or in none. */
interface Group {
  number: number;
  /** By part; empty where nothing came. */
  parts: (PartOfGroup | undefined)[];
  /** How much room each part is made with. */
  expected: number;
  readings: number;
  otherBytes: number;
  messages: NumberedMessage[];
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

/** Some messages of a commit are not to be taken: it is written without them. */
class LeaveOutError extends Error {}
const isDuplicate = (error: unknown): boolean => (error as { errno?: number }).errno === DUPLICATE_KEY;

let groups = 0;
const newGroup = (expected = 64): Group => ({
  number: ++groups,
  parts: [],
  expected,
  readings: 0,
  otherBytes: 0,
  messages: [],
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
  /** A message is being added that must not be divided. */
  let isAdding = false;
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
        if (isDuplicate(error)) break;
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

  interface Written {
    /** What of its texts and the like the database did not take. */
    refused: ReadonlySet<OtherReading>;
    /** What is stored of it: without messages that were there already. */
    kept: readonly PartOfGroup[];
    /** What became of messages that were not taken. */
    outcomes: ReadonlyMap<NumberedMessage, Outcome>;
  }
  /** Writes a group. */
  const write = async (
    gathered: readonly PartOfGroup[],
    numbered: readonly number[],
    messages: readonly NumberedMessage[],
  ): Promise<Written> => {
    const rowsOf = (parts: readonly PartOfGroup[]): NumberedRow[] =>
      parts.map(({ part, builder, facts }, i) => {
        const bytes = packBatch(builder.batch(), facts);
        const body = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
        return { part, seq: numbered[i]!, body };
      });
    const rows = rowsOf(gathered);
    const outcomes = new Map<NumberedMessage, Outcome>();
    let kept: readonly PartOfGroup[] = gathered;
    /** In one transaction; the sessions of messages come last, so that nobody waits for them longer than for the commit itself. */
    const insertAll = async (connection: Connection, withOthers: boolean): Promise<void> => {
      const out = [...outcomes.keys()];
      const parts = out.length === 0 ? gathered : leaveOut(gathered, out);
      await insert(connection, out.length === 0 ? rows : rowsOf(parts));
      const others = withOthers ? parts.flatMap(({ others }) => others) : [];
      if (others.length > 0) await writeOthers(connection, others);
      const left = messages.filter((one) => !outcomes.has(one));
      const taken = await takeNumbers(
        connection,
        left.map(({ number }) => number),
      ).catch((error: unknown) => {
        // Another was a moment faster: it is seen what is there now. It says nothing of this commit.
        throw isDuplicate(error) ? Object.assign(new Error('taken meanwhile'), { errno: DEADLOCK }) : error;
      });
      kept = parts;
      if (taken.every((outcome) => outcome === 'taken')) return;
      await connection.rollback();
      for (const [i, one] of left.entries()) {
        if (taken[i] === 'superseded') outcomes.set(one, 'superseded');
        if (taken[i] === 'known' && (await isThere(connection, one.number))) outcomes.set(one, 'known');
      }
      throw new LeaveOutError();
    };
    const inTransaction = async (withOthers: boolean): Promise<void> => {
      for (;;)
        try {
          return await inRawTransaction(store, (connection) => insertAll(connection, withOthers));
        } catch (error) {
          if (!(error instanceof LeaveOutError)) throw error;
        }
    };
    const written = (refused: ReadonlySet<OtherReading>): Written => ({ refused, kept, outcomes });
    const all = gathered.flatMap(({ others }) => others);
    const numbersOnly = (): Promise<void> =>
      persistAlways(async () =>
        messages.length === 0 ? insert(await ownConnection(), rows) : inTransaction(false),
      );
    if (all.length === 0) {
      await numbersOnly();
      return written(NOTHING);
    }
    try {
      await persist(() => inTransaction(true));
      return written(NOTHING);
    } catch (error) {
      log.warn({ err: bare(error) }, 'a commit is divided: something in it cannot be stored');
    }
    await numbersOnly();
    const refused = new Set<OtherReading>();
    await writeDivided(
      kept.flatMap(({ others }) => others),
      refused,
    );
    return written(refused);
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
      const { refused, kept, outcomes } = await write(gathered, numbered, group.messages);
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
      for (const [i, { part, builder, facts, others: all }] of kept.entries()) {
        const others = refused.size === 0 ? all : all.filter((one) => !refused.has(one));
        const batch = builder.batch();
        tell(() => onCommit({ writer: id, part, seq: numbered[i]!, batch, facts, others }, tookMs));
      }
      underWay = null;
      for (const one of group.messages) one.settle(outcomes.get(one) ?? 'taken');
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
      if (gathering.readings >= MOST_IN_COMMIT && !isAdding) turnOver();
      inPart(workspaceId % parts).builder.add(series, at, value);
      gathering.readings++;
      queued++;
      start();
    },
    addOther(workspaceId, reading) {
      if (gathering.otherBytes >= MOST_OTHER_BYTES_IN_COMMIT && !isAdding) turnOver();
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
    addMessage(number, values, add) {
      // It stands in one commit as a whole.
      if (gathering.readings > 0 && gathering.readings + values > MOST_IN_COMMIT) turnOver();
      const group = gathering;
      const fate = { isOut: false };
      const from = placesOf(group.parts);
      isAdding = true;
      let result;
      try {
        result = add(fate);
      } finally {
        isAdding = false;
      }
      if (isEmpty(group)) return { result, done: Promise.resolve() };
      const done = new Promise<void>((resolve, reject) =>
        group.messages.push({
          number,
          from,
          to: placesOf(group.parts),
          settle(outcome) {
            fate.isOut = outcome !== 'taken';
            if (outcome === 'superseded') reject(new SupersededError('the session goes on elsewhere'));
            else resolve();
          },
        }),
      );
      done.catch(() => undefined);
      return { result, done };
    },
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
