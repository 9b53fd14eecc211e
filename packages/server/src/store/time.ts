import {
  beginClock,
  beginEra,
  followDatabase,
  latestPossible,
  notBefore,
  now as clockNow,
  onClockBack,
} from '../clock';
import type { Store } from './store';

/** Rows of the table `sharedTime`: the newest time that any service has shown, and how often a shown time was never. */
const TIME = 1;
const ERA = 2;

const read = (store: Store, id: number): Promise<number | null> =>
  store.withConnection(async (connection) => {
    const [row] = (await connection.query('SELECT at FROM sharedTime WHERE id = ?', [id])) as {
      at: number;
    }[];
    return row === undefined ? null : Number(row.at);
  });

const countEra = (store: Store): Promise<unknown> =>
  store.withConnection((connection) =>
    connection.query('INSERT INTO sharedTime (id, at) VALUES (?, 1) ON DUPLICATE KEY UPDATE at = at + 1', [
      ERA,
    ]),
  );

/** The newest time that a service before has seen on this machine, epoch ms; null for none. */
const readMark = (store: Store): Promise<number | null> =>
  store.withConnection(async (connection) => {
    const [row] = (await connection.query(
      'SELECT GREATEST(COALESCE((SELECT MAX(clockAt) FROM journalWriters), 0), COALESCE((SELECT MAX(committedAt) FROM journal), 0)) AS at',
    )) as { at: number }[];
    return Number(row!.at) || null;
  });

/** The time of the database, epoch ms: the same for all nodes, by which it is told what was wanted later. It never goes back, whichever database answers. */
export async function databaseTime(store: Store): Promise<number> {
  const [row] = (await store.withConnection((connection) =>
    connection.query(
      // A row that lies far ahead is of a clock that was wrong.
      `SELECT ROUND(UNIX_TIMESTAMP(NOW(3)) * 1000) AS now, (SELECT at FROM sharedTime WHERE id = ${TIME}) AS written`,
    ),
  )) as { now: number; written: number | null }[];
  const now = Number(row!.now);
  const written = Number(row!.written ?? 0);
  return written > now && written <= now + FAILOVER_MS ? written : now;
}

/** How far the clocks of a cluster's databases may be apart, in ms. */
const FAILOVER_MS = 60_000;

/** Asks for the time, and follows it: it was that somewhere between question and answer. */
async function follow(ask: () => Promise<number>): Promise<void> {
  const asked = performance.now();
  const at = await ask();
  const answered = performance.now();
  followDatabase(at, (asked + answered) / 2, (answered - asked) / 2);
}

/**
 * Compares the database's time with the one that is shown, and writes down how far that has come, so that a database whose clock is
 * behind shows no time twice. To be called again and again where services share a database.
 */
export async function keepTime(store: Store): Promise<void> {
  await store.withConnection(async (connection) => {
    await follow(async () => {
      const [row] = (await connection.query('SELECT ROUND(UNIX_TIMESTAMP(NOW(3)) * 1000) AS now')) as {
        now: number;
      }[];
      return Number(row!.now);
    });
    const latest = latestPossible();
    await connection.query(
      `INSERT INTO sharedTime (id, at) VALUES (${TIME}, ?) ON DUPLICATE KEY UPDATE at = IF(at > ?, VALUES(at), GREATEST(at, VALUES(at)))`,
      [clockNow(), latest],
    );
    const [written] = (await connection.query(`SELECT at FROM sharedTime WHERE id = ${TIME}`)) as {
      at: number;
    }[];
    if (written !== undefined && Number(written.at) <= latest) notBefore(Number(written.at));
  });
}

/**
 * Begins with the time: of the database where services share it, of this machine where it is its own. `stop` ends listening for a time
 * that was never.
 */
export async function beginTime(store: Store, isShared: boolean): Promise<{ stop(): void }> {
  let mark: number | null;
  if (isShared) {
    mark = await read(store, TIME);
    await follow(() => databaseTime(store));
  } else mark = await readMark(store);
  beginClock(mark);
  beginEra((await read(store, ERA)) ?? 0);
  const count = (): void => void countEra(store).catch(() => undefined);
  // Ended while its clock was wrong, begun with one that is right.
  if (mark !== null && mark > latestPossible()) {
    await countEra(store);
    beginEra((await read(store, ERA)) ?? 0);
  }
  return { stop: onClockBack(count) };
}
