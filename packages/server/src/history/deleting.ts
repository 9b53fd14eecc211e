import { setTimeout as sleep } from 'node:timers/promises';
import type { Connection } from 'mariadb';
import type { Transaction } from 'sequelize';
import type { Logger } from 'pino';
import type { Store } from '../store/store';
import { clearOrphans } from './orphans';
import { now as clockNow } from '../clock';
import { stoodStill, wentOn } from '../standing';

/** Rows that go at once, so that nobody waits long for a lock or the disk. Chunks are large. */
const ROWS_AT_ONCE = { chunks: 20, texts: 500, locations: 500, images: 20, others: 500 };
const REST_MS = 10;
const EVERY_MS = 60_000;
/** Rows without an owner are looked for some time after the start, and once a day. */
const FIRST_ORPHANS_MS = 600_000;
const ORPHANS_EVERY_MS = 86_400_000;

/** Tables of the readings of a series. */
const OF_SERIES = ['chunks', 'texts', 'locations', 'images'] as const;
/** Tables of what happened with a device. */
const OF_DEVICE = [
  'arrivals',
  'commands',
  'recomputations',
  'corrections',
  'ruleStates',
  'overrides',
  'runs',
  'boardHas',
] as const;

/**
 * Takes series away, in the caller's transaction: nobody finds them any more. Their readings are marked, and go in slices.
 */
export async function deleteSeries(
  store: Store,
  ids: readonly number[],
  transaction: Transaction,
): Promise<void> {
  if (ids.length === 0) return;
  // First of all: whoever folds them waits here, or is waited for, and then finds them gone.
  await store.models.series.destroy({ where: { id: [...ids] }, transaction });
  await mark(store, 'series', ids, transaction);
}

/**
 * Takes devices away with all that belongs to them, in the caller's transaction; what is much is marked, and goes in slices. It is the last
 * that is done in a transaction that does much: until it is committed, commits of readings of these devices wait.
 */
export async function deleteDevices(
  store: Store,
  rowIds: readonly number[],
  transaction: Transaction,
): Promise<void> {
  if (rowIds.length === 0) return;
  const series = (await store.models.series.findAll({
    where: { deviceRowId: [...rowIds] },
    attributes: ['id'],
    raw: true,
    transaction,
  })) as unknown as { id: number }[];
  const ids = series.map(({ id }) => id);
  await mark(store, 'device', rowIds, transaction);
  await deleteSeries(store, ids, transaction);
  await store.models.devices.destroy({ where: { rowId: [...rowIds] }, transaction });
}

/** Devices that are to be taken away at the end of one transaction that does more. */
export interface PutOff {
  add(rowId: number): void;
  has(rowId: number): boolean;
  /** Takes away what was added. */
  settle(): Promise<void>;
}

export function createPutOff(store: Store): PutOff {
  const all = new Set<number>();
  let waiting: number[] = [];
  return {
    add(rowId) {
      all.add(rowId);
      waiting.push(rowId);
    },
    has: (rowId) => all.has(rowId),
    async settle() {
      const now = waiting;
      waiting = [];
      if (now.length > 0) await store.transaction((transaction) => deleteDevices(store, now, transaction));
    },
  };
}

/** Tries of alerts say where they went, down to the phone of a person: they go with their alerts. */
const TRIES_OF_EVENTS =
  'DELETE tries FROM alertTries tries JOIN alerts ON alerts.id = tries.alertId WHERE alerts.eventId IN (?)';

/** Takes events away with all that was sent about them. */
export async function deleteEvents(connection: Connection, ids: readonly number[]): Promise<void> {
  if (ids.length === 0) return;
  await connection.query(TRIES_OF_EVENTS, [ids]);
  await connection.query('DELETE FROM alerts WHERE eventId IN (?)', [ids]);
  await connection.query('DELETE FROM eventComments WHERE eventId IN (?)', [ids]);
  await connection.query('DELETE FROM events WHERE id IN (?)', [ids]);
}

/** Takes away what was sent about events, in the caller's transaction. */
export async function deleteAlertsOf(
  store: Store,
  eventIds: readonly number[],
  transaction: Transaction,
): Promise<void> {
  if (eventIds.length === 0) return;
  await store.sequelize.query(TRIES_OF_EVENTS, { replacements: [[...eventIds]], transaction });
  await store.models.alerts.destroy({ where: { eventId: [...eventIds] }, transaction });
  await store.models.eventComments.destroy({ where: { eventId: [...eventIds] }, transaction });
}

async function mark(
  store: Store,
  what: 'series' | 'device',
  ids: readonly number[],
  transaction: Transaction,
): Promise<void> {
  const now = clockNow();
  for (let i = 0; i < ids.length; i += 1000)
    await store.sequelize.query('INSERT IGNORE INTO leftovers (what, id, madeAt) VALUES ?', {
      replacements: [ids.slice(i, i + 1000).map((id) => [what, id, now])],
      transaction,
    });
}

/** Removes what is left of things that were deleted. */
export interface Clearing {
  /** Something was deleted: begin soon. */
  wake(): void;
  /** Resolves when nothing is left, or it could not go on. */
  settled(): Promise<void>;
  stop(): Promise<void>;
}

/** Works in slices, with rests; what a stop breaks off is gone on with at the next start. Two at once do no harm. */
export function startClearing(store: Store, log: Logger): Clearing {
  let stopped = false;
  let running: Promise<void> | null = null;
  let again = false;

  const slices = async (statement: string, id: number, rows: number): Promise<void> => {
    for (;;) {
      const { affectedRows } = await store.withConnection(
        async (connection) =>
          (await connection.query(`${statement} LIMIT ${rows}`, [id])) as { affectedRows: number },
      );
      if (affectedRows < rows || stopped) return;
      await sleep(REST_MS);
    }
  };
  /** Events, and what was sent to people about them, with their addresses. */
  const clearEvents = async (deviceRowId: number): Promise<void> => {
    for (let more = true; more && !stopped; await sleep(REST_MS))
      more = await store.withConnection(async (connection) => {
        const rows = (await connection.query('SELECT id FROM events WHERE deviceRowId = ? LIMIT ?', [
          deviceRowId,
          ROWS_AT_ONCE.others,
        ])) as { id: number }[];
        if (rows.length === 0) return false;
        await deleteEvents(
          connection,
          rows.map(({ id }) => id),
        );
        return true;
      });
  };
  const clear = async (what: 'series' | 'device', id: number): Promise<void> => {
    if (what === 'series')
      for (const table of OF_SERIES)
        await slices(`DELETE FROM ${table} WHERE seriesId = ?`, id, ROWS_AT_ONCE[table]);
    else {
      await clearEvents(id);
      for (const table of OF_DEVICE)
        await slices(`DELETE FROM ${table} WHERE deviceRowId = ?`, id, ROWS_AT_ONCE.others);
    }
    if (stopped) return;
    await store.withConnection((connection) =>
      connection.query('DELETE FROM leftovers WHERE what = ? AND id = ?', [what, id]),
    );
  };
  let orphansAt = performance.now() + FIRST_ORPHANS_MS;
  const pass = async (): Promise<void> => {
    if (performance.now() > orphansAt) {
      orphansAt = performance.now() + ORPHANS_EVERY_MS;
      await clearOrphans(store, () => stopped);
    }
    do {
      again = false;
      const rows = await store.withConnection(
        async (connection) =>
          (await connection.query('SELECT what, id FROM leftovers ORDER BY madeAt LIMIT 100')) as {
            what: 'series' | 'device';
            id: number;
          }[],
      );
      for (const { what, id } of rows) {
        if (stopped) return;
        await clear(what, id);
      }
      again ||= rows.length === 100;
    } while (again && !stopped);
  };
  const wake = (): void => {
    again = true;
    if (stopped || running !== null) return;
    running = pass()
      .then(
        () => wentOn('Clearing away what was deleted'),
        (error: Error) => {
          stoodStill('Clearing away what was deleted', error);
          log.warn({ err: error }, 'what is left of deleted things waits');
        },
      )
      .finally(() => (running = null));
  };
  const timer = setInterval(wake, EVERY_MS);
  wake();
  return {
    wake,
    settled: () => running ?? Promise.resolve(),
    async stop() {
      stopped = true;
      clearInterval(timer);
      await running;
    },
  };
}
