import type { Store } from '../store/store';
import { readJournal } from './reader';
import type { Committed } from './writer';

/** Commits that are read into memory at the most; what lies beyond is found once it is folded. */
const MOST = 20_000;

/** What is in the journal and not folded yet when a service starts. */
export interface Tail {
  entries: Committed[];
  /** No time after this one was given to a message that named none, epoch ms. */
  lastAt: number;
}

/** How far ahead of the clock a time may be given. */
const AHEAD_MS = 1000;

/** So long without a sign of life of any service, nobody was there, in seconds: more than the time between two signs. */
const AWAY_S = 60;

/** Since when no service was there, epoch ms; null where one is, or where there has never been one before. */
export async function readAway(store: Store): Promise<number | null> {
  return store.withConnection(async (connection) => {
    const [row] = (await connection.query(
      `SELECT GREATEST(COALESCE((SELECT MAX(committedAt) FROM journal), 0), COALESCE(MAX(clockAt), 0)) AS at,
        MAX(IF(heartbeatAt > NOW(3) + INTERVAL 1 MINUTE, NULL, heartbeatAt)) > NOW(3) - INTERVAL ? SECOND AS alive FROM journalWriters
        WHERE startedAt < (SELECT MAX(startedAt) FROM journalWriters)`,
      [AWAY_S],
    )) as { at: number | null; alive: number | null }[];
    return row === undefined || row.alive === null || Number(row.alive) === 1 || !row.at
      ? null
      : Number(row.at);
  });
}

export async function readTail(store: Store): Promise<Tail> {
  return store.withConnection(async (connection) => {
    const { entries } = await readJournal(connection, { reader: 'folding', part: 'all' }, MOST);
    const [row] = (await connection.query('SELECT COALESCE(MAX(committedAt), 0) AS at FROM journal')) as {
      at: number;
    }[];
    return {
      entries: entries.map((entry) => ({ ...entry, others: [] })),
      lastAt: Number(row!.at) + AHEAD_MS,
    };
  });
}
