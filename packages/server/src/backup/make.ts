import { spawn } from 'node:child_process';
import { once } from 'node:events';
import fs from 'node:fs';
import fsp from 'node:fs/promises';
import path from 'node:path';
import { PassThrough, Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { setTimeout as sleep } from 'node:timers/promises';
import { createGzip } from 'node:zlib';
import { createConnection, type Connection } from 'mariadb';
import { now as clockNow } from '../clock';
import { connectorOptions, programOptions, type Whereabouts } from './address';
import { countAll } from './counting';
import { writeMark, type BackupEnd } from './marks';

/** A backup was not made, or not restored; its message is a sentence. */
export class BackupError extends Error {}

export interface BackupParts {
  at: Whereabouts;
  dataFolder: string;
  version: string;
  settings: Record<string, string>;
  /** Where it goes to. There must be nothing yet. */
  file: string;
  /** Enciphered with it (age, scrypt), so that a lost disk tells nothing. */
  passphrase: string | null;
  onProgress?: (part: number, words: string) => void;
}

export interface Made {
  file: string;
  bytes: number;
  tables: number;
  rows: number;
  /** False where the database did not allow that dump and counting are of one moment: nothing is compared later. */
  counted: boolean;
}

/** Files of the data folder that belong to the machine, not to what is kept. */
const OF_MACHINE =
  /^(mariadb(\.unfinished-.*)?|database-made|restore-unfinished|tmp|database-.*|reset-key|service\.lock|demo\.json|disk-uses\.json|backups?)$|\.sock$|^trial-/;
const LARGEST_FILE = 1024 * 1024;
/** How long writing may be held up for the beginning of a backup, in s. */
const HELD_S = 2;
const LOCK_WAIT = 1205;
/** Within this the dump must have begun, in ms: all writing waits for it. */
const BEGIN_MS = 5000;
/** One that stands still itself (its process was paused) loses its connection after this, in s, and with it its hold on all writing. */
const STILL_S = 8;
/** A connection that holds nobody up may be idle for this long while the dump is read, in s. */
const PATIENT_S = 7 * 86_400;
/** How often it is tried, and how long it rests between, in ms: a long question to the database may be under way. */
const HOLD_TRIES = 6;
const HOLD_REST_MS = 3000;

/** Makes a backup while the service runs: all of one moment. Writes beside the file and renames, so that a half one has no name. */
export async function makeBackup(parts: BackupParts): Promise<Made> {
  const { at, file, passphrase, onProgress = () => undefined } = parts;
  const isThere = await fsp.stat(file).then(
    () => true,
    () => false,
  );
  if (isThere) throw new BackupError(`${file} is there already. Choose another name, or delete it first.`);
  const half = `${file}.part`;
  const connection = await createConnection(connectorOptions(at)).catch((error: Error) => {
    throw new BackupError(`The database does not answer: ${error.message}`, { cause: error });
  });
  let into: PassThrough | undefined;
  let written: Promise<void> | undefined;
  try {
    // Where nothing can be written, it is said before anything is read.
    const handle = await fsp.open(half, 'w', 0o600);
    into = new PassThrough({ highWaterMark: 1024 * 1024 });
    written = pipeline(
      into,
      createGzip({ level: 6 }),
      (plain) => enciphered(plain, passphrase),
      handle.createWriteStream(),
    );
    written.catch(() => undefined);
    const end = await dump(parts, connection, { into, written }, onProgress);
    into.end(writeMark({ kind: 'end', value: end }));
    await written;
    await keep(half, file);
    const counted = Object.values(end.tables ?? {});
    return {
      file,
      bytes: (await fsp.stat(file)).size,
      tables: counted.length,
      rows: counted.flatMap((one) => Object.values(one)).reduce((sum, { rows }) => sum + rows, 0),
      counted: end.tables !== null,
    };
  } catch (error) {
    // The file is closed by this, so that nothing stays open in a service that runs for years.
    into?.destroy();
    await written?.catch(() => undefined);
    await fsp.rm(half, { force: true }).catch(() => undefined);
    if (error instanceof BackupError) throw error;
    const { code, message } = error as NodeJS.ErrnoException;
    throw new BackupError(
      code === 'ENOSPC'
        ? `There is no room for the backup ${file}. Make room, or write it to another disk.`
        : `The backup was not made: ${message}`,
      { cause: error },
    );
  } finally {
    await connection.end().catch(() => undefined);
  }
}

async function* enciphered(
  plain: AsyncIterable<Buffer>,
  passphrase: string | null,
): AsyncGenerator<Uint8Array> {
  if (passphrase === null) return yield* plain;
  const { Encrypter } = await import('age-encryption');
  const encrypter = new Encrypter();
  encrypter.setPassphrase(passphrase);
  const stream = await encrypter.encrypt(
    Readable.toWeb(Readable.from(plain, { objectMode: false })) as ReadableStream<Uint8Array>,
  );
  yield* stream as unknown as AsyncIterable<Uint8Array>;
}

/** Onto the disk under its name, so that a power cut leaves a whole one or none. */
async function keep(half: string, file: string): Promise<void> {
  await synced(half, 'r+');
  await fsp.rename(half, file);
  await synced(path.dirname(path.resolve(file)), 'r');
}

async function synced(place: string, flags: string): Promise<void> {
  const handle = await fsp.open(place, flags);
  await handle.sync().finally(() => handle.close());
}

async function dump(
  { at, dataFolder, version, settings }: BackupParts,
  connection: Connection,
  { into, written }: { into: PassThrough; written: Promise<void> },
  onProgress: (part: number, words: string) => void,
): Promise<BackupEnd> {
  const migrations = (
    (await connection.query('SELECT name FROM migrations ORDER BY name')) as { name: string }[]
  ).map(({ name }) => name);
  const [size] = (await connection.query(
    'SELECT COALESCE(SUM(DATA_LENGTH), 0) AS bytes FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()',
  )) as { bytes: number }[];
  into.write(
    writeMark({ kind: 'head', value: { format: 1, version, madeAt: clockNow(), migrations, settings } }),
  );
  for (const value of filesOf(dataFolder)) into.write(writeMark({ kind: 'file', value }));
  // The server may end the connection of one that stood still; whatever is asked next says so.
  connection.on('error', () => undefined);
  const held = await hold(connection);
  const { args, env } = programOptions(at);
  const program = spawn(
    'mariadb-dump',
    [
      ...args,
      '--single-transaction',
      '--quick',
      '--hex-blob',
      '--skip-comments',
      '--skip-add-locks',
      '--no-tablespaces',
      '--default-character-set=utf8mb4',
      '--max-allowed-packet=64M',
      at.database,
    ],
    { env, stdio: ['ignore', 'pipe', 'pipe'] },
  );
  let said = '';
  program.stderr.on('data', (part: Buffer) => (said = (said + part.toString()).slice(-2000)));
  const ended = new Promise<void>((resolve, reject) => {
    program.once('error', (error: NodeJS.ErrnoException) =>
      reject(
        new BackupError(
          error.code === 'ENOENT'
            ? 'mariadb-dump is missing. Install it: apt-get install mariadb-client'
            : error.message,
          { cause: error },
        ),
      ),
    );
    program.once('close', (code) =>
      code === 0
        ? resolve()
        : reject(new BackupError(`mariadb-dump failed: ${said.trim() || `code ${code}`}`)),
    );
  });
  ended.catch(() => undefined);
  // One that does not begin holds nobody up: it is ended, and so is the backup.
  const late = setTimeout(() => held && program.kill('SIGKILL'), BEGIN_MS);
  let bytes = 0;
  let isFree = !held;
  const free = async (): Promise<void> => {
    if (isFree) return;
    isFree = true;
    clearTimeout(late);
    // What is counted below is of the moment that the dump is of.
    await connection.query('START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY');
    await connection.query('UNLOCK TABLES');
    await connection.query(`SET SESSION wait_timeout = ${PATIENT_S}`);
  };
  try {
    for await (const part of program.stdout as AsyncIterable<Buffer>) {
      // Its snapshot is taken before it writes the first table.
      if (!isFree && (bytes > 0 || part.includes('CREATE TABLE'))) await free();
      bytes += part.length;
      // Blobs are written as twice as many digits.
      onProgress(Math.min(0.7, (bytes / (2.1 * Number(size!.bytes) + 1)) * 0.7), 'reading the database');
      // A disk that is full ends it; nobody waits for what is not written.
      if (!into.write(part)) await Promise.race([once(into, 'drain'), written]);
    }
    await ended;
    await free();
  } finally {
    clearTimeout(late);
    if (!isFree) await connection.query('UNLOCK TABLES').catch(() => undefined);
    program.kill();
  }
  if (!held) return { tables: null };
  const tables = await countAll(connection, (part) => onProgress(0.7 + part * 0.3, 'counting what is in it'));
  await connection.query('COMMIT');
  return { tables };
}

/** Holds up all writing until the dump has begun; false where the database does not allow it to this user. */
async function hold(connection: Connection): Promise<boolean> {
  // A service of the cluster that holds up its writing holds up all: there dump and counting are of two moments.
  const [cluster] = (await connection.query("SHOW STATUS LIKE 'wsrep_cluster_size'")) as { Value: string }[];
  if (Number(cluster?.Value ?? 0) > 1) return false;
  for (let attempt = 1; attempt <= HOLD_TRIES; attempt++)
    try {
      await connection.query('SET SESSION TRANSACTION ISOLATION LEVEL REPEATABLE READ');
      await connection.query(`SET SESSION lock_wait_timeout = ${HELD_S}, wait_timeout = ${STILL_S}`);
      await connection.query('FLUSH TABLES WITH READ LOCK');
      return true;
    } catch (error) {
      if ((error as { errno?: number }).errno !== LOCK_WAIT) return false;
      await sleep(HOLD_REST_MS);
    }
  return false;
}

/** Certificates and the like; small, and few. */
function* filesOf(folder: string, below = ''): Generator<{ path: string; body: string }> {
  for (const entry of fs.existsSync(folder) ? fs.readdirSync(folder, { withFileTypes: true }) : []) {
    if (below === '' && OF_MACHINE.test(entry.name)) continue;
    const place = path.join(folder, entry.name);
    const name = below === '' ? entry.name : `${below}/${entry.name}`;
    if (entry.isDirectory()) yield* filesOf(place, name);
    else if (entry.isFile() && fs.statSync(place).size <= LARGEST_FILE)
      yield { path: name, body: fs.readFileSync(place).toString('base64') };
  }
}
