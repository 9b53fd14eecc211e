import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { createConnection, type Connection } from 'mariadb';
import type { Logger } from 'pino';
import { lockFolder } from '../database/folderLock';
import { startManagedDatabase, type ManagedDatabase } from '../database/managed';
import { knownMigrations } from '../store/migrate';
import { openStore } from '../store/store';
import { connectorOptions, whereaboutsOf, type Whereabouts } from './address';
import { calm } from './calm';
import { countAll, differences } from './counting';
import { BackupError } from './make';
import type { BackupHead } from './marks';
import { loadBackup, type ReadBackup } from './read';
import { showTime } from './words';

export interface RestoreParts {
  file: string;
  passphrase: string | null;
  dataFolder: string;
  /** Null for a database of the service's own, in the data folder. */
  databaseUrl: string | null;
  log: Logger;
  onProgress?: (part: number, words: string) => void;
}

export interface Restored {
  head: BackupHead;
  rows: number;
  /** False for a backup that has nothing to compare with. */
  compared: boolean;
  /** What was let go, with how many of each. */
  calmed: Record<string, number>;
  files: number;
}

/**
 * Brings a backup back into an empty place: a data folder without a database, or a database without tables. What was read is compared
 * with what was counted when it was made. Afterwards nothing old happens: see `calm`. Throws BackupError, and leaves no half of it.
 */
export async function restoreBackup(parts: RestoreParts): Promise<Restored> {
  const { dataFolder, databaseUrl, log } = parts;
  const folder = path.join(dataFolder, 'mariadb');
  if (databaseUrl === null && fs.existsSync(folder))
    throw new BackupError(
      `There is a database in ${dataFolder} already. Restore into an empty place: set PEATMOOR_DATA to another folder, or move this one away.`,
    );
  const unlock = lockFolder(dataFolder);
  let database: ManagedDatabase | null = null;
  let done = false;
  let loaded: Whereabouts | null = null;
  try {
    if (databaseUrl === null) database = await startManagedDatabase(dataFolder, log);
    const at = database ?? whereaboutsOf(databaseUrl!);
    const { read, rows, compared } = await loadAndCompare(parts, at);
    loaded = plain(at);
    const store = await openStore(database ?? { url: databaseUrl! }, log);
    await store.close();
    const connection = await createConnection(connectorOptions(plain(at)));
    const calmed = await calm(connection, read.head.madeAt).finally(() => connection.end());
    for (const { path: name, body } of read.files) writeInto(dataFolder, name, Buffer.from(body, 'base64'));
    writeInto(dataFolder, 'settings-of-the-backup.env', Buffer.from(asLines(read.head.settings)));
    done = true;
    return { head: read.head, rows, compared, calmed, files: read.files.length };
  } finally {
    // Half of a backup would look like a service.
    if (!done && loaded !== null && database === null) await emptyAgain(loaded);
    await database?.stop();
    if (!done && database !== null) fs.rmSync(folder, { recursive: true, force: true });
    unlock();
  }
}

/** Brings a backup back into a database of its own that is deleted again: says that it can be restored, and is whole. */
export async function verifyBackup(
  parts: Pick<RestoreParts, 'file' | 'passphrase' | 'log' | 'onProgress'>,
): Promise<Pick<Restored, 'head' | 'rows' | 'compared'>> {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-verify-'));
  let database: ManagedDatabase | null = null;
  try {
    database = await startManagedDatabase(folder, parts.log);
    const { read, rows, compared } = await loadAndCompare(parts, database);
    return { head: read.head, rows, compared };
  } finally {
    await database?.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  }
}

const plain = ({ socketPath, host, port, user, password, database }: Whereabouts): Whereabouts => ({
  ...(socketPath !== undefined && { socketPath }),
  ...(host !== undefined && { host }),
  ...(port !== undefined && { port }),
  user,
  password,
  database,
});

async function loadAndCompare(
  {
    file,
    passphrase,
    onProgress = () => undefined,
  }: Pick<RestoreParts, 'file' | 'passphrase' | 'onProgress'>,
  where: Whereabouts,
): Promise<{ read: ReadBackup; rows: number; compared: boolean }> {
  const at = plain(where);
  const connection = await createConnection(connectorOptions(at)).catch((error: Error) => {
    throw new BackupError(`The database does not answer: ${error.message}`, { cause: error });
  });
  let isOurs = false;
  try {
    const [tables] = (await connection.query(
      'SELECT COUNT(*) AS count FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()',
    )) as { count: number }[];
    if (Number(tables!.count) > 0)
      throw new BackupError(
        `The database ${at.database} has tables already. Restore into an empty one, so that nothing is lost.`,
      );
    isOurs = true;
    const read = await loadBackup(file, passphrase, at, refuseNewer, onProgress);
    const counted = await countAll(connection, (part) => onProgress(0.75 + part * 0.25, 'comparing'));
    const before = read.end.tables;
    const wrong = before === null ? [] : differences(before, counted);
    if (wrong.length > 0)
      throw new BackupError(
        `What was restored is not what was backed up: ${wrong.slice(0, 5).join('; ')}${wrong.length > 5 ? `; and ${wrong.length - 5} more` : ''}.`,
      );
    const rows = Object.values(counted)
      .flatMap((one) => Object.values(one))
      .reduce((sum, one) => sum + one.rows, 0);
    isOurs = false;
    return { read, rows, compared: before !== null };
  } finally {
    if (isOurs) await dropTables(connection).catch(() => undefined);
    await connection.end().catch(() => undefined);
  }
}

async function emptyAgain(at: Whereabouts): Promise<void> {
  const connection = await createConnection(connectorOptions(at)).catch(() => null);
  if (connection === null) return;
  await dropTables(connection).catch(() => undefined);
  await connection.end().catch(() => undefined);
}

/** A database that was empty is empty again where it could not be filled. */
async function dropTables(connection: Connection): Promise<void> {
  const tables = (await connection.query(
    'SELECT TABLE_NAME AS name FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()',
  )) as { name: string }[];
  await connection.query('SET FOREIGN_KEY_CHECKS = 0');
  for (const { name } of tables) await connection.query(`DROP TABLE \`${name}\``);
}

function refuseNewer({ format, version, madeAt, migrations }: BackupHead): void {
  const known = new Set(knownMigrations());
  if (format === 1 && migrations.every((name) => known.has(name))) return;
  throw new BackupError(
    `This backup of ${showTime(madeAt)} was made by Peatmoor ${version}, which is newer than this program. Restore it with that version or a later one.`,
  );
}

/** Writes a file of a backup below the data folder, and never outside it. */
function writeInto(folder: string, name: string, body: Buffer): void {
  const place = path.resolve(folder, name);
  if (!place.startsWith(path.resolve(folder) + path.sep)) return;
  fs.mkdirSync(path.dirname(place), { recursive: true, mode: 0o700 });
  fs.writeFileSync(place, body, { mode: 0o600 });
}

const asLines = (settings: Record<string, string>): string =>
  Object.entries(settings)
    .map(([name, value]) => `${name}=${value}\n`)
    .join('');
