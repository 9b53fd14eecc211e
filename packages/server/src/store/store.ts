import { setTimeout as sleep } from 'node:timers/promises';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import PQueue from 'p-queue';
import { QueryTypes, Sequelize, Transaction } from 'sequelize';
import { migrate } from './migrate';
import { defineModels, type Models } from './models';
import { ambientTransaction } from './ambient';
import { hearFailure, splitHosts, useHosts } from './hosts';
import { retryConflict, retryingConnection } from './retrying';
import { refuseSettings } from './settings';
import { refuseUnfinished } from './unfinished';
import { guardConnections, inTransaction } from './oneConnection';

/** Connections of a service at the most: the pool, one that asks whether the database is there, and those of a backup. */
const POOL = 12;
export const MOST_CONNECTIONS = POOL + 4;

/** Transactions of calls at once, of a pool of twelve connections. */
const MOST_TRANSACTIONS = 4;

/** How long the nodes of a database cluster may take to find each other, or a database of one's own to answer, in ms. */
const PATIENCE_MS = 30_000;

/** Where the database is: by URL, or by socket. */
export type DatabaseAddress =
  { url: string } | { socketPath: string; user: string; password: string; database: string };

/** The records: models for all that is not on the hot path, and connections of the same pool for what is. */
export interface Store {
  sequelize: Sequelize;
  models: Models;
  /** Runs statements in one transaction of Sequelize; a deadlock is tried again. */
  transaction<T>(work: (transaction: Transaction) => Promise<T>): Promise<T>;
  /** Runs one statement, which is a transaction of its own; a deadlock is tried again. */
  alone<T>(statement: () => Promise<T>): Promise<T>;
  /** Lends a connection of the pool for prepared statements and batches. A connection that failed is not given back. */
  withConnection<T>(work: (connection: Connection) => Promise<T>): Promise<T>;
  /** A connection of the pool to keep; it goes back only by `discard`. */
  borrow(): Promise<Connection>;
  /** Closes a borrowed connection; never rejects. */
  discard(connection: Connection): Promise<void>;
  /** Tables that should be there and were not when the store was opened. */
  missingTables: readonly string[];
  /** True if the database answers just now. */
  answers(): Promise<boolean>;
  close(): Promise<void>;
}

/**
 * Connects and brings the tables up to date. Throws if the database is not reached, and if a restore into it was interrupted (`restoring`
 * is that restore itself).
 */
export async function openStore(
  address: DatabaseAddress,
  log: Logger,
  { restoring = false }: { restoring?: boolean } = {},
): Promise<Store> {
  const dialectOptions = {
    bigIntAsNumber: true,
    insertIdAsNumber: true,
    decimalAsNumber: true,
    checkNumberRange: false,
    connectTimeout: 4000,
    timezone: 'Z',
  };
  const options = {
    dialect: 'mariadb' as const,
    dialectOptions,
    logging: false as const,
    pool: { max: POOL, min: 0, idle: 30_000, acquire: 8000 },
    define: { charset: 'utf8mb4' },
  };
  const { url, hosts } = splitHosts('url' in address ? address.url.replace(/^mysql:/, 'mariadb:') : '');
  const sequelize =
    'url' in address
      ? new Sequelize(url, options)
      : new Sequelize(address.database, address.user, address.password, options);
  const places = useHosts(sequelize, 'socketPath' in address ? [{ path: address.socketPath }] : hosts, log);
  // Transactions of calls may wait for each other's rows; they never hold so many connections that nothing else is answered.
  const transactions = new PQueue({ concurrency: MOST_TRANSACTIONS });
  const models = defineModels(sequelize);
  let missingTables: string[] = [];
  try {
    await reach(sequelize, 'socketPath' in address || hosts.length > 1 ? PATIENCE_MS : 0);
    await refuseSettings(sequelize);
    if (!restoring) await refuseUnfinished(sequelize);
    await migrate(sequelize, log);
    missingTables = await missingAmong(sequelize, models);
    if (missingTables.length > 0)
      log.error(
        { tables: missingTables },
        'tables of the database are missing: what needs them stands still; keep a copy of the data folder and restore a backup',
      );
  } catch (error) {
    places.stop();
    await sequelize.close();
    throw error;
  }
  // What is made anew or brought back may take as long as it takes.
  if (!restoring) places.limitStatements();
  guardConnections(sequelize);
  retryStatements(sequelize);
  const pool = sequelize.connectionManager as unknown as {
    getConnection(options: { type: string }): Promise<Connection>;
    releaseConnection(connection: Connection): void;
    destroyConnection(connection: Connection): Promise<void>;
  };
  return {
    sequelize,
    models,
    transaction: (work) => {
      // Inside a transaction that all queries belong to, whatever wants one of its own is part of it.
      const around = ambientTransaction();
      if (around !== undefined) return inTransaction(() => work(around));
      return transactions.add(() =>
        retryConflict(() =>
          sequelize.transaction(
            { isolationLevel: Transaction.ISOLATION_LEVELS.READ_COMMITTED },
            (transaction) => inTransaction(() => work(transaction)),
          ),
        ),
      ) as Promise<never>;
    },
    // What is part of a transaction is tried again with it.
    alone: (statement) => (ambientTransaction() === undefined ? retryConflict(statement) : statement()),
    async withConnection(work) {
      const around = ambientTransaction();
      // Statements of one's own are part of the transaction around them.
      if (around !== undefined) return work((around as unknown as { connection: Connection }).connection);
      const connection = await pool.getConnection({ type: 'WRITE' });
      try {
        const result = await work(retryingConnection(connection));
        pool.releaseConnection(connection);
        return result;
      } catch (error) {
        hearFailure(sequelize, error);
        await pool.destroyConnection(connection).catch(() => undefined);
        throw error;
      }
    },
    missingTables,
    borrow: () => pool.getConnection({ type: 'WRITE' }),
    discard: (connection) => pool.destroyConnection(connection).catch(() => undefined),
    answers: () =>
      sequelize.query('SELECT 1', { type: QueryTypes.SELECT }).then(
        () => true,
        () => false,
      ),
    close: () => {
      places.stop();
      return sequelize.close();
    },
  };
}

/**
 * Connects, within a while: the nodes of a cluster may be about to find each other, and a database of one's own, which
 * has just answered, may on a busy machine be slow once.
 */
async function reach(sequelize: Sequelize, patienceMs: number): Promise<void> {
  const until = performance.now() + patienceMs;
  for (;;)
    try {
      return await sequelize.authenticate();
    } catch (error) {
      if (performance.now() > until) throw error;
      await sleep(500);
    }
}

/**
 * Takes a row for the caller's transaction by counting it up: whoever wants it too waits, and then sees what was made of it.
 * Unlike a read lock this holds across the nodes of a cluster.
 */
export async function takeRow(
  store: Store,
  table: 'devices' | 'claims' | 'workspaces',
  where: { column: 'rowId' | 'id'; value: number },
  transaction: Transaction,
): Promise<void> {
  await store.sequelize.query(`UPDATE ${table} SET version = version + 1 WHERE ${where.column} = ?`, {
    replacements: [where.value],
    transaction,
  });
}

/**
 * Runs work in a transaction on a lent connection, with the prepared and batched statements of the connector. What it
 * reads is what is committed at that moment, so that whoever waited for a row sees what the other made of it.
 */
export async function inRawTransaction<T>(
  store: Store,
  work: (connection: Connection) => Promise<T>,
): Promise<T> {
  if (ambientTransaction() !== undefined)
    return store.withConnection((connection) => inTransaction(() => work(connection)));
  return retryConflict(() =>
    store.withConnection(async (connection) => {
      await connection.query('SET TRANSACTION ISOLATION LEVEL READ COMMITTED');
      await connection.beginTransaction();
      const result = await inTransaction(() => work(connection));
      await connection.commit();
      return result;
    }),
  );
}

/** What waits for all that was committed: reading, changing and deleting, inserting. */
const WAITS_FOR_ALL = 1 + 2 + 4;

/** Reads or writes after everything that was committed at any node of a cluster up to now; where there is none, at once. */
export async function seeingAll<T>(connection: Connection, work: () => Promise<T>): Promise<T> {
  await connection.query(`SET SESSION wsrep_sync_wait = ${WAITS_FOR_ALL}`).catch(() => undefined);
  try {
    return await work();
  } finally {
    await connection.query('SET SESSION wsrep_sync_wait = 0').catch(() => undefined);
  }
}

/** Rows written in one transaction. */
const MOST_ROWS = 500;

/**
 * Runs a statement for many rows of parameters, some hundreds in a transaction: on its own, each would be committed apart.
 * Rows are in the same order for all who write them, so that nobody waits crosswise.
 */
export async function writeMany(
  store: Store,
  sql: string,
  rows: readonly (readonly unknown[])[],
): Promise<void> {
  for (let i = 0; i < rows.length; i += MOST_ROWS)
    await inRawTransaction(store, (connection) => connection.batch(sql, rows.slice(i, i + MOST_ROWS)));
}

/** Statements of the models outside transactions are tried again after a conflict, as those on a lent connection are. */
function retryStatements(sequelize: Sequelize): void {
  const query = sequelize.query.bind(sequelize) as (sql: unknown, options?: object) => Promise<unknown>;
  const retried = (sql: unknown, options?: { transaction?: unknown }): Promise<unknown> =>
    (options?.transaction === undefined || options.transaction === null) && ambientTransaction() === undefined
      ? retryConflict(() => query(sql, options))
      : query(sql, options);
  sequelize.query = retried as unknown as typeof sequelize.query;
}

/** Tables beside those of the models without which the service does not work. */
const OTHER_TABLES =
  'journal journalOffsets journalWriters leases chunks texts locations images setAside leftovers limits repeats ruleStates alertStops alertPaces unreached serviceSecrets news nodes connections'.split(
    ' ',
  );

async function missingAmong(sequelize: Sequelize, models: Models): Promise<string[]> {
  const rows = await sequelize.query<{ name: string }>(
    'SELECT TABLE_NAME AS name FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()',
    { type: QueryTypes.SELECT },
  );
  const there = new Set(rows.map(({ name }) => name));
  return [...new Set([...Object.keys(models), ...OTHER_TABLES])].filter((name) => !there.has(name));
}
