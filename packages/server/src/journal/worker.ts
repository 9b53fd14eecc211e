import { setTimeout as sleep } from 'node:timers/promises';
import type { Connection } from 'mariadb';
import PQueue from 'p-queue';
import type { Logger } from 'pino';
import { failedForNow } from '../store/lost';
import { stoodStill, wentOn } from '../standing';
import { inRawTransaction, type Store } from '../store/store';
import { createLease, LeaseLostError } from './lease';
import type { Share } from './parts';
import {
  keepOffsets,
  lineOf,
  passJournal,
  readJournal,
  type JournalEntry,
  type JournalPlace,
  type Looked,
  type Reader,
  type ReaderPart,
} from './reader';
import { setAside } from './setAside';

/** What a step made of some entries. */
export interface Done {
  /** Called once the transaction is committed. */
  after?: (reached: readonly JournalPlace[]) => void;
  /** True where the same should be done again at once, though the journal is read to its end. */
  again?: boolean;
}

/** One of those who read the journal: what it does with the next entries, in the transaction that keeps its offset. */
export interface JournalStep {
  name: Reader;
  /** Entries in one look, looks in one transaction, and readings after which that is enough. */
  entries: number;
  looks: number;
  readings: number;
  /** How often it looks though nothing was committed here, in ms: for what others commit. */
  everyMs: number;
  /** How long it waits after something was committed, in ms, so that more comes together. */
  gatherMs(): number;
  /** Called before anything else after the work was taken over, and after a failure: what is remembered may be wrong. */
  begin(): Promise<void> | void;
  /** Called before each transaction; true where there is nothing to do but move on. */
  prepare(): Promise<'work' | 'pass'>;
  step(connection: Connection, entries: readonly JournalEntry[], caughtUp: boolean): Promise<Done>;
  /**
   * Looks at entries without writing. Gives what to do where nothing needs to be written for them now: the offset is then kept
   * later, together with what `step` writes next, and until then a crash only has them looked at again. Null for a step.
   */
  look?(entries: readonly JournalEntry[], caughtUp: boolean): (() => void) | null;
}

export interface JournalWorker {
  /** Something was committed: look at it soon. */
  wake(): void;
  /** Looks again at a time (ms from now), whatever is committed. */
  wakeIn(ms: number): void;
  /** Resolves when everything committed up to now has been worked, here or by the service that holds this work. */
  settled(): Promise<void>;
  /** Does something while no step is under way in this process, first whatever waits. */
  alone<T>(work: () => Promise<T>): Promise<T>;
  /** True where this service does the work just now. */
  holds(): boolean;
  stop(): Promise<void>;
}

/** Failures in a row after which what fails is looked for entry by entry. */
const FAILURES = 2;
const LONGEST_REST_MS = 5000;
const FIRST_MS = 300;
const NOT_HELD_MS = 1000;
const CONFLICT = 1213;
/** How long an offset may be kept in memory only, while nothing has to be written: here, and where others may take over. */
const LAZY_MS = { sole: 300_000, shared: 1000 };
/** Entries after which it is kept all the same, so that the journal can be trimmed and little is looked at again. */
const LAZY_ENTRIES = 200;
/** How long work that should be another's is done on, so that nodes that come and go do not pass it around, in ms. */
const HAND_OVER_MS = 10_000;
/** How long what was handed over is left to the other, in ms, as long as there is another that should do it. */
const LEFT_MS = 8000;
/** What the readers do, as people read of it. */
const WORDS: Record<string, string> = {
  rules: 'Watching by event rules',
  folding: 'Moving readings into history',
  computing: 'Computing datastreams',
};
/** How long `settled` waits for another service to do the work. */
const OTHERS_MS = 20_000;

interface Parts {
  store: Store;
  log: Logger;
  share: Share;
}

/** Drives one reader of a part of the journal: waking, batches, offset and work in one transaction under a lease, back-off, stopping. */
export function startJournalWorker({ store, log, share }: Parts, work: JournalStep): JournalWorker {
  const { sole, part: myPart } = share;
  const lazyMs = LAZY_MS[sole ? 'sole' : 'shared'];
  const isMine = (): boolean => share.isMine(work.name);
  const lease = createLease(store, {
    name: work.name,
    part: myPart,
    holder: share.holder,
    alone: sole,
    isMine,
  });
  const reading: ReaderPart = { reader: work.name, part: myPart };
  const queue = new PQueue({ concurrency: 1 });
  let held = false;
  let begun = false;
  let failures = 0;
  let stopped = false;
  let timer: NodeJS.Timeout | null = null;
  let timerAt = Infinity;
  /** Places looked at whose offset is not kept yet, and since when. */
  const ahead = new Map<string, JournalPlace>();
  let aheadSince = 0;
  let aheadEntries = 0;
  let notMineSince = Infinity;
  let leftUntil = -Infinity;

  const gather = async (connection: Connection, most: number, looks: number): Promise<Looked> => {
    const all: Looked = { entries: [], damaged: [], more: true };
    const reached = new Map([...ahead].map(([line, { seq }]) => [line, seq]));
    let readings = 0;
    for (let look = 0; look < looks && all.more && readings < work.readings; look++) {
      const { entries, damaged, more } = await readJournal(connection, reading, most, reached);
      for (const one of [...entries, ...damaged]) {
        const line = lineOf(one);
        reached.set(line, Math.max(one.seq, reached.get(line) ?? 0));
      }
      for (const { batch } of entries) readings += batch.series.length;
      all.entries.push(...entries);
      all.damaged.push(...damaged);
      all.more = more;
    }
    return all;
  };

  const once = async (kind: 'work' | 'pass', most: number, looks: number): Promise<boolean> => {
    const { done, reached, more } = await inRawTransaction(store, async (connection) => {
      await lease.fence(connection);
      if (kind === 'pass') {
        await passJournal(connection, reading);
        return { done: {} as Done, reached: [], more: false };
      }
      const looked = await gather(connection, most, looks);
      for (const { writer, part, seq, reason, body } of looked.damaged) {
        log.error({ writer, part, seq, reason }, 'a journal row is damaged and was set aside');
        await setAside(connection, {
          what: 'journal',
          place: `${work.name} ${writer}/${part}/${seq}`,
          reason,
          body,
        });
      }
      const done = await work.step(connection, looked.entries, !looked.more);
      const reached = await keepOffsets(connection, work.name, [
        ...ahead.values(),
        ...looked.entries,
        ...looked.damaged,
      ]);
      return { done, reached, more: looked.more };
    });
    ahead.clear();
    done.after?.(reached);
    return more || done.again === true;
  };

  /** Looks at what comes next without writing; null where a step is needed, else whether there is more. */
  const glance = async (): Promise<boolean | null> => {
    if (work.look === undefined || failures > 0) return null;
    if (ahead.size > 0 && (performance.now() - aheadSince > lazyMs || aheadEntries > LAZY_ENTRIES))
      return null;
    const { entries, damaged, more } = await store.withConnection((connection) =>
      gather(connection, work.entries, work.looks),
    );
    if (damaged.length > 0) return null;
    const keep = work.look(entries, !more);
    if (keep === null) return null;
    keep();
    if (ahead.size === 0) {
      aheadSince = performance.now();
      aheadEntries = 0;
    }
    aheadEntries += entries.length;
    for (const { writer, part, seq } of entries) ahead.set(lineOf({ writer, part }), { writer, part, seq });
    if (ahead.size > 0) at(lazyMs + 100);
    return more;
  };

  /** The next entry alone; where it still fails, it is set aside with its bytes, and the rest goes on. */
  const onlyNext = async (): Promise<boolean> => {
    const kind = await work.prepare();
    try {
      return await once(kind, 1, 1);
    } catch (error) {
      if (isPassing(error)) throw error;
      ahead.clear();
      await work.begin();
      await inRawTransaction(store, async (connection) => {
        await lease.fence(connection);
        const { entries } = await readJournal(connection, reading, 1);
        const [entry] = entries;
        if (entry === undefined) throw error;
        const { writer, part, seq } = entry;
        log.error({ err: error, writer, part, seq }, 'a journal row cannot be handled and was set aside');
        const [row] = (await connection.execute(
          'SELECT body FROM journal WHERE writer = ? AND part = ? AND seq = ?',
          [writer, part, seq],
        )) as { body: Buffer }[];
        await setAside(connection, {
          what: 'journal',
          place: `${work.name} ${writer}/${part}/${seq}`,
          reason: (error as Error).message,
          body: row?.body ?? null,
        });
        await keepOffsets(connection, work.name, [entry]);
      });
      return true;
    }
  };

  const next = async (kind: 'work' | 'pass'): Promise<boolean> =>
    (kind === 'work' ? await glance() : null) ?? once(kind, work.entries, work.looks);

  /** Works until the journal is read to its end; false where another service does it. */
  const pass = async (): Promise<boolean> => {
    for (;;) {
      if (!held && performance.now() < leftUntil && !isMine()) return false;
      const state = await lease.hold();
      held = state !== null;
      if (state === null) {
        begun = false;
        return false;
      }
      if (state === 'taken' || !begun) {
        ahead.clear();
        await work.begin();
      }
      begun = true;
      const more = failures >= FAILURES ? await onlyNext() : await next(await work.prepare());
      // After a failure a while entry by entry, until the one that fails is behind.
      if (failures < FAILURES || !more) failures = 0;
      if (stopped) return true;
      if (!more) {
        await handOver();
        return true;
      }
    }
  };
  /** Lets go what another service should do, once that has been so for a while and all is read. */
  const handOver = async (): Promise<void> => {
    if (sole || isMine()) return void (notMineSince = Infinity);
    const now = performance.now();
    notMineSince = Math.min(notMineSince, now);
    if (now - notMineSince < HAND_OVER_MS) return;
    await letGo();
    notMineSince = Infinity;
    leftUntil = performance.now() + LEFT_MS;
  };
  /** What was looked at is kept, so that whoever goes on need not look again. */
  const letGo = async (): Promise<void> => {
    if (ahead.size > 0 && held) await once('work', work.entries, work.looks);
    held = false;
    begun = false;
    await lease.release();
  };

  const inWords = WORDS[work.name] ?? work.name;
  const run = (): Promise<boolean> =>
    (queue.add(pass) as Promise<boolean>)
      .then((done) => (wentOn(inWords), done))
      .catch((error: unknown) => {
        begun = false;
        if (error instanceof LeaseLostError) held = false;
        else {
          stoodStill(inWords, error);
          if (!isPassing(error)) failures++;
          // Several nodes of a database cluster that write one row at once: one of them comes again.
          const level = (error as { errno?: number }).errno === CONFLICT ? 'debug' : 'warn';
          log[level]({ err: error, reader: work.name }, 'a reader of the journal waits');
        }
        throw error;
      });

  const at = (ms: number): void => {
    const due = performance.now() + ms;
    if (stopped || due >= timerAt) return;
    if (timer !== null) clearTimeout(timer);
    timerAt = due;
    timer = setTimeout(() => {
      timer = null;
      timerAt = Infinity;
      run().then(
        // What should be done here is taken soon after another lets it go.
        () => at(held || !isMine() ? work.everyMs : Math.min(NOT_HELD_MS, work.everyMs)),
        () => at(Math.min(LONGEST_REST_MS, 100 * 2 ** Math.min(failures, 6))),
      );
    }, ms);
  };
  // What is left from before is looked at soon.
  at(Math.min(work.everyMs, FIRST_MS));

  const othersSettled = async (): Promise<void> => {
    const heads = (await store.withConnection((connection) =>
      connection.query(
        'SELECT writer, part, MAX(seq) AS seq FROM journal GROUP BY writer, part HAVING part = ?',
        [myPart],
      ),
    )) as JournalPlace[];
    const end = performance.now() + OTHERS_MS;
    for (;;) {
      const left = await store.withConnection(async (connection) => {
        const [row] = (await connection.query(
          `SELECT COUNT(*) AS count FROM (${heads.map(() => 'SELECT ? AS writer, ? AS part, ? AS seq').join(' UNION ALL ') || 'SELECT 0 AS writer, 0 AS part, 0 AS seq FROM DUAL WHERE FALSE'}) h
            LEFT JOIN journalOffsets o ON o.reader = ? AND o.writer = h.writer AND o.part = h.part WHERE COALESCE(o.seq, 0) < h.seq`,
          [...heads.flatMap(({ writer, part, seq }) => [writer, part, seq]), work.name],
        )) as { count: number }[];
        return Number(row!.count);
      });
      if (left === 0) return;
      if (performance.now() > end) throw new Error(`another service holds ${work.name} and does not go on`);
      await sleep(200);
      if (await run().catch(() => false)) return;
    }
  };

  return {
    // Where another service does it, it is looked now and then whether it still does.
    wake: () => at(held || sole ? work.gatherMs() : Math.max(NOT_HELD_MS, work.gatherMs())),
    wakeIn: at,
    async settled() {
      if (!(await run())) await othersSettled();
    },
    alone: (task) => queue.add(task) as Promise<never>,
    holds: () => held,
    async stop() {
      if (stopped) return;
      stopped = true;
      if (timer !== null) clearTimeout(timer);
      await queue.onIdle();
      await queue.add(letGo).catch(() => lease.release());
    },
  };
}

/** True for what the entry at hand has no part in: a lost connection or lease, a conflict, a table that is missing. */
function isPassing(error: unknown): boolean {
  return error instanceof LeaseLostError || failedForNow(error as Error);
}
