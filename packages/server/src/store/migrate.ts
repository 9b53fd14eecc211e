import { QueryTypes, type Sequelize } from 'sequelize';
import type { Logger } from 'pino';
import {
  ALERTING,
  CHUNK_PARTS,
  CLAIM_TABLES,
  CLOCK,
  COMPUTING_TABLES,
  DEFAULT_VALUES,
  EARLY_FOLDERS,
  EVENT_TIMES,
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
import { rollUpEarlyChunks } from './earlyChunks';
import { NODES, OPEN_NUMBERS, SHAPE } from './nodes';
import { SHARING } from './sharing';
import { SHOWS } from './shows';
import { STEERING } from './steering';
import { TRUST } from './trust';

/** A program that is older than its database would write what the newer one cannot read. */
export class NewerDatabaseError extends Error {}

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

interface Migration {
  name: string;
  up: () => Promise<void>;
}

function migrationsOf(sequelize: Sequelize): Migration[] {
  return [
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
    {
      name: '0019-nodes',
      up: async () => {
        for (const statement of NODES) await sequelize.query(withForm(statement));
      },
    },
    {
      name: '0020-shape',
      up: async () => {
        for (const statement of SHAPE) await sequelize.query(withForm(statement));
      },
    },
    {
      name: '0021-open-numbers',
      up: async () => {
        for (const statement of OPEN_NUMBERS) await sequelize.query(withForm(statement));
      },
    },
    {
      name: '0022-event-times',
      up: async () => {
        for (const statement of EVENT_TIMES) await sequelize.query(statement);
      },
    },
    {
      name: '0023-trust',
      up: async () => {
        for (const statement of TRUST) await sequelize.query(withForm(statement));
      },
    },
    {
      name: '0024-steering',
      up: async () => {
        for (const statement of STEERING) await sequelize.query(withForm(statement));
      },
    },
    {
      name: '0025-shows',
      up: async () => {
        for (const statement of SHOWS) await sequelize.query(withForm(statement));
      },
    },
  ];
}

/** The migrations that this program knows, by name, in their order. */
export function knownMigrations(): string[] {
  // Nothing is done but looked at.
  return migrationsOf(null as unknown as Sequelize).map(({ name }) => name);
}

/** Brings the tables up to date. Throws NewerDatabaseError where they are newer than this program. */
export async function migrate(sequelize: Sequelize, log: Logger): Promise<void> {
  const done = async (): Promise<string[]> => {
    await sequelize.query('CREATE TABLE IF NOT EXISTS migrations (name VARCHAR(80) PRIMARY KEY)');
    const rows = await sequelize.query<{ name: string }>('SELECT name FROM migrations ORDER BY name', {
      type: QueryTypes.SELECT,
    });
    return rows.map(({ name }) => name);
  };
  const known = new Set(knownMigrations());
  const before = new Set(await done());
  const newer = [...before].find((name) => !known.has(name));
  if (newer !== undefined)
    throw new NewerDatabaseError(
      `The database was last used by a newer Peatmoor, which changed it by "${newer}"; this one does not know that. Start that version, or a database from before.`,
    );
  // What brings tables up to date is read only where something is to do.
  if (before.size === known.size) return;
  const { Umzug } = await import('umzug');
  const umzug = new Umzug({
    migrations: migrationsOf(sequelize),
    storage: {
      executed: done,
      async logMigration({ name }) {
        await sequelize.query('INSERT IGNORE INTO migrations (name) VALUES (?)', { replacements: [name] });
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
