import { DAY_MS } from '@peatmoor/core';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Logger } from 'pino';
import type { Store } from '../store/store';
import { clockMayTidy, now as clockNow } from '../clock';

const EVERY_MS = 3_600_000;
/** How long it is kept who changed what. */
const CHANGES_MS = 400 * DAY_MS;
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
          'SELECT s.id, s.newestAt, d.keepDays FROM series s JOIN streams d ON d.id = s.streamId WHERE d.keepDays IS NOT NULL AND s.newestAt IS NOT NULL',
        )) as { id: number; newestAt: number; keepDays: number }[],
    );
    // Sessions that ended speak for nobody; they go too.
    await store.withConnection((connection) =>
      connection.query('DELETE FROM sessions WHERE endsAt < ? LIMIT 10000', [now]),
    );
    await store.withConnection((connection) =>
      connection.query('DELETE FROM changes WHERE at < ? LIMIT 10000', [now - CHANGES_MS]),
    );
    let gone = 0;
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
