import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import PQueue from 'p-queue';
import { QueryTypes, Sequelize, Transaction } from 'sequelize';
import { Umzug } from 'umzug';
import { defineModels, type Models } from './models';
import {
  ALERTING,
  CHUNK_PARTS,
  CLAIM_TABLES,
  CLOCK,
  COMPUTING_TABLES,
  DEFAULT_VALUES,
  EARLY_FOLDERS,
  FAMILIES,
  FIRMWARE,
  FIRMWARE_PARTS,
  UNITS_BESIDE,
  FIRST_TABLES,
  LEFTOVERS,
  LIMITS,
  MANNERS,
  PEOPLE,
  FOLLOWING,
  LOOKS,
  TIMETABLES,
  PRESSES,
  RULE_PARTS,
  SHARED_WORK,
  TABLE_FORM,
} from './schema';
import { ambientTransaction } from './ambient';
import { SHARING } from './sharing';
import { rollUpEarlyChunks } from './earlyChunks';
import { refuseSettings } from './settings';
import { guardConnections, inTransaction } from './oneConnection';

/** Transactions of calls at once, of a pool of twelve connections. */
const MOST_TRANSACTIONS = 4;

/** Where the database is: by URL, or by socket. */
export type DatabaseAddress =
  { url: string } | { socketPath: string; user: string; password: string; database: string };

/** The records: models for all that is not on the hot path, and connections of the same pool for what is. */
export interface Store {
  sequelize: Sequelize;
  models: Models;
  /** Runs statements in one transaction of Sequelize; a deadlock is tried again. */
  transaction<T>(work: (transaction: Transaction) => Promise<T>): Promise<T>;
  /** Lends a connection of the pool for prepared statements and batches. A connection that failed is not given back. */
  withConnection<T>(work: (connection: Connection) => Promise<T>): Promise<T>;
  /** A connection of the pool to keep; it goes back only by `discard`. */
  borrow(): Promise<Connection>;
  /** Closes a borrowed connection; never rejects. */
  discard(connection: Connection): Promise<void>;
  /** True if the database answers just now. */
  answers(): Promise<boolean>;
  close(): Promise<void>;
}

/** Connects and brings the tables up to date. Throws if the database is not reached. */
export async function openStore(address: DatabaseAddress, log: Logger): Promise<Store> {
  const dialectOptions = {
    bigIntAsNumber: true,
    insertIdAsNumber: true,
    decimalAsNumber: true,
    checkNumberRange: false,
    connectTimeout: 4000,
    timezone: 'Z',
    ...('socketPath' in address && { socketPath: address.socketPath }),
  };
  const options = {
    dialect: 'mariadb' as const,
    dialectOptions,
    logging: false as const,
    pool: { max: 12, min: 0, idle: 30_000, acquire: 8000 },
    define: { charset: 'utf8mb4' },
  };
  const sequelize =
    'url' in address
      ? new Sequelize(address.url.replace(/^mysql:/, 'mariadb:'), options)
      : new Sequelize(address.database, address.user, address.password, options);
  // Transactions of calls may wait for each other's rows; they never hold so many connections that nothing else is answered.
  const transactions = new PQueue({ concurrency: MOST_TRANSACTIONS });
  const models = defineModels(sequelize);
  try {
    await sequelize.authenticate();
    await refuseSettings(sequelize);
    await migrate(sequelize, log);
  } catch (error) {
    await sequelize.close();
    throw error;
  }
  guardConnections(sequelize);
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
        retryDeadlock(() =>
          sequelize.transaction(
            { isolationLevel: Transaction.ISOLATION_LEVELS.READ_COMMITTED },
            (transaction) => inTransaction(() => work(transaction)),
          ),
        ),
      ) as Promise<never>;
    },
    async withConnection(work) {
      const around = ambientTransaction();
      // Statements of one's own are part of the transaction around them.
      if (around !== undefined) return work((around as unknown as { connection: Connection }).connection);
      const connection = await pool.getConnection({ type: 'WRITE' });
      try {
        const result = await work(connection);
        pool.releaseConnection(connection);
        return result;
      } catch (error) {
        await pool.destroyConnection(connection).catch(() => undefined);
        throw error;
      }
    },
    borrow: () => pool.getConnection({ type: 'WRITE' }),
    discard: (connection) => pool.destroyConnection(connection).catch(() => undefined),
    answers: () =>
      sequelize.query('SELECT 1', { type: QueryTypes.SELECT }).then(
        () => true,
        () => false,
      ),
    close: () => sequelize.close(),
  };
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
  return retryDeadlock(() =>
    store.withConnection(async (connection) => {
      await connection.query('SET TRANSACTION ISOLATION LEVEL READ COMMITTED');
      await connection.beginTransaction();
      const result = await inTransaction(() => work(connection));
      await connection.commit();
      return result;
    }),
  );
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

async function retryDeadlock<T>(work: () => Promise<T>): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await work();
    } catch (error) {
      const { errno, parent } = error as { errno?: number; parent?: { errno?: number } };
      const code = errno ?? parent?.errno;
      if (attempt >= 5 || (code !== 1213 && code !== 1205)) throw error;
    }
  }
}

const withForm = (statement: string): string =>
  /^\s*CREATE TABLE/.test(statement) ? `${statement} ${TABLE_FORM}` : statement;

/** Tables that were made with the defaults of a database that cannot hold every letter. */
async function convertTables(sequelize: Sequelize): Promise<void> {
  const tables = await sequelize.query<{ name: string }>(
    "SELECT TABLE_NAME AS name FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_TYPE = 'BASE TABLE' AND (TABLE_COLLATION <> 'utf8mb4_bin' OR ENGINE <> 'InnoDB')",
    { type: QueryTypes.SELECT },
  );
  for (const { name } of tables)
    await sequelize.query(
      `ALTER TABLE \`${name}\` ENGINE=InnoDB, CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_bin`,
    );
}

async function migrate(sequelize: Sequelize, log: Logger): Promise<void> {
  const done = async (): Promise<string[]> => {
    await sequelize.query('CREATE TABLE IF NOT EXISTS migrations (name VARCHAR(80) PRIMARY KEY)');
    const rows = await sequelize.query<{ name: string }>('SELECT name FROM migrations ORDER BY name', {
      type: QueryTypes.SELECT,
    });
    return rows.map(({ name }) => name);
  };
  const umzug = new Umzug({
    migrations: [
      {
        name: '0001-first-tables',
        up: async () => {
          for (const statement of FIRST_TABLES)
            await sequelize.query(withForm(statement.replace('CREATE TABLE', 'CREATE TABLE IF NOT EXISTS')));
        },
      },
      ...Object.entries({
        '0001b-early-folders': EARLY_FOLDERS,
        '0002-computing': COMPUTING_TABLES,
        '0003-claims': CLAIM_TABLES,
        '0004-chunk-parts': CHUNK_PARTS,
        '0005-default-values': DEFAULT_VALUES,
        '0006-shared-work': SHARED_WORK,
      }).map(([name, statements]) => ({
        name,
        up: async () => {
          for (const statement of statements) await sequelize.query(withForm(statement));
          if (name === '0001b-early-folders') await rollUpEarlyChunks(sequelize);
        },
      })),
      { name: '0007-any-letter', up: () => convertTables(sequelize) },
      {
        name: '0008-limits-and-people',
        up: async () => {
          for (const statement of [...LIMITS, ...PEOPLE]) await sequelize.query(withForm(statement));
        },
      },
      {
        name: '0009-manners',
        up: async () => {
          for (const statement of [...MANNERS, ...RULE_PARTS, ...LEFTOVERS])
            await sequelize.query(withForm(statement));
        },
      },
      {
        name: '0010-clock',
        up: async () => {
          for (const statement of CLOCK) await sequelize.query(statement);
        },
      },
      {
        name: '0011-presses',
        up: async () => {
          for (const statement of PRESSES) await sequelize.query(statement);
        },
      },
      {
        name: '0012-dashboards',
        up: async () => {
          for (const statement of [...FOLLOWING, ...LOOKS, ...TIMETABLES])
            await sequelize.query(withForm(statement));
        },
      },
      {
        name: '0013-alerting',
        up: async () => {
          for (const statement of ALERTING) await sequelize.query(withForm(statement));
        },
      },
      {
        name: '0014-sharing',
        up: async () => {
          for (const statement of SHARING) await sequelize.query(withForm(statement));
        },
      },
      {
        name: '0015-families',
        up: async () => {
          for (const statement of FAMILIES) await sequelize.query(statement);
        },
      },
      {
        name: '0016-units-and-names',
        up: async () => {
          for (const statement of UNITS_BESIDE) await sequelize.query(statement);
        },
      },
      {
        name: '0017-firmware',
        up: async () => {
          for (const statement of FIRMWARE) await sequelize.query(withForm(statement));
        },
      },
      {
        name: '0018-firmware-parts',
        up: async () => {
          for (const statement of FIRMWARE_PARTS) await sequelize.query(withForm(statement));
        },
      },
    ],
    storage: {
      executed: done,
      async logMigration({ name }) {
        await sequelize.query('INSERT INTO migrations (name) VALUES (?)', { replacements: [name] });
      },
      async unlogMigration({ name }) {
        await sequelize.query('DELETE FROM migrations WHERE name = ?', { replacements: [name] });
      },
    },
    logger: {
      ...console,
      info: (message) => log.debug(message),
      debug: () => undefined,
      warn: (message) => log.warn(message),
      error: (message) => log.error(message),
    },
  });
  const known = new Set((await umzug.migrations({})).map(({ name }) => name));
  const newer = (await done()).find((name) => !known.has(name));
  if (newer !== undefined)
    throw new NewerDatabaseError(
      `The database was last used by a newer Peatmoor, which changed it by "${newer}"; this one does not know that. Start that version, or a database from before.`,
    );
  await umzug.up();
}

/** A program that is older than its database would write what the newer one cannot read. */
export class NewerDatabaseError extends Error {}
