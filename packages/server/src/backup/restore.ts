import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { createConnection, type Connection } from 'mariadb';
import type { Logger } from 'pino';
import { lockFolder } from '../database/folderLock';
import { startManagedDatabase, type ManagedDatabase } from '../database/managed';
import { knownMigrations } from '../store/migrate';
import { openStore } from '../store/store';
import { UNFINISHED_TABLE } from '../store/unfinished';
import { connectorOptions, whereaboutsOf, type Whereabouts } from './address';
import { calm } from './calm';
import { countAll, differences } from './counting';
import { BackupError } from './make';
import type { BackupHead } from './marks';
import { loadBackup, type ReadBackup } from './read';
import { beginRestore, endRestore } from './unfinished';
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
  const unlock = lockFolder(dataFolder);
  let database: ManagedDatabase | null = null;
  let done = false;
  let began = false;
  let loaded: Whereabouts | null = null;
  try {
    if (databaseUrl === null) {
      await beginRestore(dataFolder);
      began = true;
      database = await startManagedDatabase(dataFolder, log, null, { mayBegin: true });
    }
    const at = database ?? whereaboutsOf(databaseUrl!);
    const { read, rows, compared } = await loadAndCompare(parts, at);
    loaded = plain(at);
    const store = await openStore(database ?? { url: databaseUrl! }, log, { restoring: true });
    await store.close();
    const connection = await createConnection(connectorOptions(plain(at)));
    try {
      const calmed = await calm(connection, read.head.madeAt);
      for (const { path: name, body } of read.files) writeInto(dataFolder, name, Buffer.from(body, 'base64'));
      writeInto(dataFolder, 'settings-of-the-backup.env', Buffer.from(asLines(read.head.settings)));
      await connection.query(`DROP TABLE IF EXISTS ${UNFINISHED_TABLE}`);
      done = true;
      return { head: read.head, rows, compared, calmed, files: read.files.length };
    } finally {
      await connection.end();
    }
  } finally {
    // Half of a backup would look like a service.
    if (!done && loaded !== null && database === null) await emptyAgain(loaded);
    await database?.stop();
    if (began) endRestore(dataFolder, done);
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
      'SELECT COUNT(*) AS count, COALESCE(SUM(TABLE_NAME = ?), 0) AS unfinished FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()',
      [UNFINISHED_TABLE],
    )) as { count: number; unfinished: number }[];
    // What an interrupted restore left is nobody's yet.
    if (Number(tables!.unfinished) > 0) await dropTables(connection);
    else if (Number(tables!.count) > 0)
      throw new BackupError(
        `The database ${at.database} has tables already. Restore into an empty one, so that nothing is lost.`,
      );
    isOurs = true;
    await connection.query(`CREATE TABLE ${UNFINISHED_TABLE} (id INT PRIMARY KEY)`);
    const read = await loadBackup(file, passphrase, at, refuseNewer, onProgress);
    const counted = await countAll(connection, (part) => onProgress(0.75 + part * 0.25, 'comparing'));
    const before = read.end.tables;
    delete counted[UNFINISHED_TABLE];
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
  // The mark goes last: interrupted here, it is begun again.
  for (const { name } of [...tables].sort(byMark)) await connection.query(`DROP TABLE \`${name}\``);
  await connection.query('SET FOREIGN_KEY_CHECKS = 1');
}

const byMark = (a: { name: string }, b: { name: string }): number =>
  Number(a.name === UNFINISHED_TABLE) - Number(b.name === UNFINISHED_TABLE);

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
