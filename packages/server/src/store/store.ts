import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import { QueryTypes, Sequelize, Transaction } from 'sequelize';
import { Umzug } from 'umzug';
import { defineModels, type Models } from './models';
import { CHUNK_PARTS, CLAIM_TABLES, COMPUTING_TABLES, DEFAULT_VALUES, FIRST_TABLES } from './schema';

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
  const models = defineModels(sequelize);
  await sequelize.authenticate();
  await migrate(sequelize, log);
  const pool = sequelize.connectionManager as unknown as {
    getConnection(options: { type: string }): Promise<Connection>;
    releaseConnection(connection: Connection): void;
    destroyConnection(connection: Connection): Promise<void>;
  };
  return {
    sequelize,
    models,
    transaction: (work) =>
      retryDeadlock(() =>
        sequelize.transaction({ isolationLevel: Transaction.ISOLATION_LEVELS.READ_COMMITTED }, work),
      ),
    async withConnection(work) {
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

/** Runs work in a transaction on a lent connection, with the prepared and batched statements of the connector. */
export async function inRawTransaction<T>(
  store: Store,
  work: (connection: Connection) => Promise<T>,
): Promise<T> {
  return retryDeadlock(() =>
    store.withConnection(async (connection) => {
      await connection.beginTransaction();
      const result = await work(connection);
      await connection.commit();
      return result;
    }),
  );
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

async function migrate(sequelize: Sequelize, log: Logger): Promise<void> {
  const umzug = new Umzug({
    migrations: [
      {
        name: '0001-first-tables',
        up: async () => {
          for (const statement of FIRST_TABLES)
            await sequelize.query(statement.replace('CREATE TABLE', 'CREATE TABLE IF NOT EXISTS'));
        },
      },
      ...Object.entries({
        '0002-computing': COMPUTING_TABLES,
        '0003-claims': CLAIM_TABLES,
        '0004-chunk-parts': CHUNK_PARTS,
        '0005-default-values': DEFAULT_VALUES,
      }).map(([name, statements]) => ({
        name,
        up: async () => {
          for (const statement of statements) await sequelize.query(statement);
        },
      })),
    ],
    storage: {
      async executed() {
        await sequelize.query('CREATE TABLE IF NOT EXISTS migrations (name VARCHAR(80) PRIMARY KEY)');
        const rows = await sequelize.query<{ name: string }>('SELECT name FROM migrations ORDER BY name', {
          type: QueryTypes.SELECT,
        });
        return rows.map(({ name }) => name);
      },
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
  await umzug.up();
}
