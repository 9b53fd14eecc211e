import { DAY_MS } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Logger } from 'pino';
import type { Store } from '../store/store';
import { deleteEvents } from './deleting';
import { clockMayTidy, latestPossible, now as clockNow } from '../clock';

const EVERY_MS = 3_600_000;
/** How long it is kept who changed what. */
const CHANGES_MS = 400 * DAY_MS;
/** How long events, alerts and commands are kept where a workspace does not say. */
export const RECORD_DAYS = 5 * 365;
/** Rows deleted by one statement at the most, so that nothing waits long for a lock. */
const ROWS_AT_ONCE = 1000;

/** Deletes what is older than its datastream wants it kept. */
export interface Keeping {
  /** Looks at everything now; returns how many rows went. */
  tidy(now: number): Promise<number>;
  stop(): void;
}

export function startKeeping(store: Store, log: Logger): Keeping {
  const tidy = async (now: number): Promise<number> => {
    // A clock that jumped far does not say what is old: nothing goes until it has been looked at for a day.
    if (!clockMayTidy()) return 0;
    const bounded = await store.withConnection(
      async (connection) =>
        (await connection.query(
          'SELECT s.id, s.newestAt, d.keepDays FROM series s JOIN streams d ON d.id = s.streamId WHERE d.keepDays IS NOT NULL AND s.newestAt <= ?',
          // One that is of a time that was never says nothing of what is older.
          [latestPossible()],
        )) as { id: number; newestAt: number; keepDays: number }[],
    );
    // Sessions that ended speak for nobody; they go too.
    await store.withConnection((connection) =>
      connection.query('DELETE FROM sessions WHERE endsAt < ? LIMIT 10000', [now]),
    );
    await store.withConnection((connection) =>
      connection.query('DELETE FROM changes WHERE at < ? LIMIT 10000', [now - CHANGES_MS]),
    );
    let gone = await tidyRecords(store, now);
    for (const { id, newestAt, keepDays } of bounded) {
      // For only the newest: everything before it. A day's chunk goes when its last moment is old enough.
      const oldest = keepDays === 0 ? newestAt : now - keepDays * DAY_MS;
      for (const [table, column, bound] of [
        ['chunks', 'day', Math.floor(oldest / DAY_MS)],
        ['texts', 'at', oldest],
        ['locations', 'at', oldest],
        ['images', 'at', oldest],
      ] as const)
        for (;;) {
          const { affectedRows } = await store.withConnection(
            async (connection) =>
              (await connection.query(
                `DELETE FROM ${table} WHERE seriesId = ? AND ${column} < ? LIMIT ${ROWS_AT_ONCE}`,
                [id, bound],
              )) as { affectedRows: number },
          );
          gone += affectedRows;
          if (affectedRows < ROWS_AT_ONCE) break;
          await sleep(20);
        }
    }
    return gone;
  };
  const run = (): void =>
    void tidy(clockNow()).then(
      (gone) => gone > 0 && log.info({ gone }, 'old readings went, as their datastreams say'),
      (error: Error) => log.warn({ err: error }, 'old readings wait to be deleted'),
    );
  const first = setTimeout(run, 20_000);
  const timer = setInterval(run, EVERY_MS);
  return {
    tidy,
    stop() {
      clearTimeout(first);
      clearInterval(timer);
    },
  };
}

/** Deletes events that were closed long ago with their alerts, and commands, as each workspace says; returns how many rows went. */
async function tidyRecords(store: Store, now: number): Promise<number> {
  const workspaces = await store.withConnection(
    async (connection) =>
      (await connection.query('SELECT id, recordDays FROM workspaces')) as {
        id: number;
        recordDays: number | null;
      }[],
  );
  let gone = 0;
  for (const { id, recordDays } of workspaces) {
    const oldest = now - (recordDays ?? RECORD_DAYS) * DAY_MS;
    gone += await slices(store, (connection) => tidyEvents(connection, id, oldest));
    let after = 0;
    gone += await slices(store, async (connection) => {
      const looked = await tidyCommands(connection, id, oldest, after);
      after = looked.after;
      return looked;
    });
  }
  return gone;
}

interface Slice {
  gone: number;
  more: boolean;
}

async function slices(store: Store, work: (connection: Connection) => Promise<Slice>): Promise<number> {
  let all = 0;
  for (;;) {
    const { gone, more } = await store.withConnection(work);
    all += gone;
    if (!more) return all;
    await sleep(20);
  }
}

async function tidyEvents(connection: Connection, workspaceId: number, oldest: number): Promise<Slice> {
  const rows = (await connection.query(
    'SELECT id FROM events WHERE workspaceId = ? AND closedAt < ? LIMIT ?',
    [workspaceId, oldest, ROWS_AT_ONCE],
  )) as { id: number }[];
  await deleteEvents(
    connection,
    rows.map(({ id }) => id),
  );
  return { gone: rows.length, more: rows.length === ROWS_AT_ONCE };
}

/** Commands in the order in which they were made, up to the first that is not old. The newest of each control holds, however old. */
async function tidyCommands(
  connection: Connection,
  workspaceId: number,
  oldest: number,
  after: number,
): Promise<Slice & { after: number }> {
  const rows = (await connection.query(
    'SELECT id, deviceRowId, streamId, createdAt FROM commands WHERE workspaceId = ? AND id > ? ORDER BY id LIMIT ?',
    [workspaceId, after, ROWS_AT_ONCE],
  )) as { id: number; createdAt: number }[];
  const old = rows.filter(({ createdAt }) => createdAt < oldest).map(({ id }) => id);
  if (old.length === 0) return { gone: 0, more: false, after };
  const { affectedRows } = (await connection.query(
    `DELETE old FROM commands old JOIN commands newer
      ON newer.deviceRowId = old.deviceRowId AND newer.streamId = old.streamId AND newer.id > old.id WHERE old.id IN (?)`,
    [old],
  )) as { affectedRows: number };
  return { gone: affectedRows, more: old.length === ROWS_AT_ONCE, after: old.at(-1)! };
}
