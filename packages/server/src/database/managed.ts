import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import mariadb from 'mariadb';
import type { Logger } from 'pino';
import {
  beginFolder,
  beginsFirst,
  isFirstStart,
  noteMade,
  refuseDamaged,
  refuseVanished,
  startedFirst,
} from './folderLife';
import { causeIn, isKeptOut, whyNotMade, whyNotStarted } from './trouble';

/** How to reach a database server: by socket, with the password made for it. */
export interface ManagedDatabase {
  socketPath: string;
  user: string;
  password: string;
  database: string;
  /** Process number of the server that runs now. */
  pid(): number | null;
  /** Stops the server cleanly. */
  stop(): Promise<void>;
}

/** What the database may take: memory for pages, and its log on disk. */
interface DatabaseSize {
  bufferMb: number;
  logMb: number;
  connections: number;
}

export const SIZES = {
  small: { bufferMb: 24, logMb: 16, connections: 40 },
  usual: { bufferMb: 96, logMb: 64, connections: 60 },
} as const satisfies Record<string, DatabaseSize>;
export type SizeName = keyof typeof SIZES;
/** A machine with less memory than this is a small one, in bytes. */
const SMALL_BYTES = 1.5 * 2 ** 30;

const SETPRIV = '/usr/bin/setpriv';
const USER = 'peatmoor';
const DATABASE = 'peatmoor';

/**
 * Starts MariaDB on a data folder of its own, reachable only through a socket, and starts it again whenever it
 * ends by itself. The kernel ends it with this process, however that ends. A folder that is not empty is never removed; where there was
 * a database and is none any more, a new one is only begun if `mayBegin`. Throws an Error with a sentence.
 */
export async function startManagedDatabase(
  dataFolder: string,
  log: Logger,
  sizeName: SizeName | null = null,
  { mayBegin = false }: { mayBegin?: boolean } = {},
): Promise<ManagedDatabase> {
  const size = SIZES[sizeName ?? (os.totalmem() < SMALL_BYTES ? 'small' : 'usual')];
  const folder = path.join(dataFolder, 'mariadb');
  const temporary = path.join(dataFolder, 'tmp');
  fs.mkdirSync(temporary, { recursive: true, mode: 0o700 });
  const socketPath = socketFor(dataFolder);
  const password = passwordOf(dataFolder);
  const options = { socketPath, user: USER, password };
  let child: ChildProcess | null = null;
  let pid: number | null = null;
  let stopping = false;
  /** How often the server ended by itself before it answered. */
  let ended = 0;

  if (beginsFirst(folder)) {
    if (!mayBegin) refuseVanished(dataFolder, folder);
    log.info('making a new database folder');
    beginFolder(folder, (place) => install(place, temporary, size));
  } else if (!isFirstStart(folder)) refuseDamaged(folder, DATABASE);
  const launch = (): void => {
    child = launchServer(folder, temporary, socketPath, initFile(dataFolder, password), size);
    pid = child.pid ?? null;
    let last = '';
    child.stderr?.on('data', (text: Buffer) => (last = text.toString().slice(-600)));
    child.on('error', (error) => log.error({ err: error }, 'the database server cannot be started'));
    child.on('exit', (code, signal) => {
      pid = null;
      if (stopping) return;
      ended++;
      const cause = causeIn(path.join(folder, 'error.log')) ?? last;
      log.error({ code, signal, cause }, 'the database server ended by itself; starting it again');
      setTimeout(() => stopping || launch(), 500);
    });
  };

  await endServerOn(folder);
  launch();
  const began = performance.now();
  while (!(await answers(options))) {
    const waited = performance.now() - began;
    const keptOut = waited > LOCK_MS && isKeptOut(folder);
    if (ended >= MOST_ENDS || waited > LONGEST_START_MS || keptOut) {
      stopping = true;
      const why = whyNotStarted(folder);
      if (pid !== null) await endProcess(pid, keptOut ? 'SIGKILL' : 'SIGTERM');
      throw new Error(why);
    }
    await sleep(50);
  }
  startedFirst(folder);
  noteMade(dataFolder);
  return {
    socketPath,
    user: USER,
    password,
    database: DATABASE,
    pid: () => pid,
    async stop() {
      stopping = true;
      if (pid !== null) await endProcess(pid);
    },
  };
}

/** How long a server may take to answer, and to get hold of its files, in ms. */
const LONGEST_START_MS = 60_000;
const LOCK_MS = 3000;
/** Starts in a row after which a server that ends by itself is given up. */
const MOST_ENDS = 3;

function launchServer(
  folder: string,
  temporary: string,
  socketPath: string,
  init: string,
  size: DatabaseSize,
): ChildProcess {
  const options = [
    '--no-defaults',
    `--datadir=${folder}`,
    // Two servers must not share a folder for temporary tables: each clears it when it starts.
    `--tmpdir=${temporary}`,
    `--socket=${socketPath}`,
    `--pid-file=${path.join(folder, 'server.pid')}`,
    `--log-error=${path.join(folder, 'error.log')}`,
    `--init-file=${init}`,
    '--skip-networking',
    '--skip-name-resolve',
    '--skip-log-bin',
    '--performance-schema=OFF',
    '--innodb-flush-log-at-trx-commit=1',
    `--innodb-buffer-pool-size=${size.bufferMb}M`,
    `--innodb-log-file-size=${size.logMb}M`,
    '--max-allowed-packet=64M',
    `--max-connections=${size.connections}`,
    '--aria-pagecache-buffer-size=8M',
    '--key-buffer-size=1M',
    '--character-set-server=utf8mb4',
    '--collation-server=utf8mb4_bin',
    ...(process.getuid?.() === 0 ? ['--user=root'] : []),
  ];
  const program = [serverProgram(), ...options];
  // The kernel tells it to stop when its parent is gone, be it by SIGKILL (prctl PR_SET_PDEATHSIG).
  // One that was killed before it could be told so is noticed by its number.
  const whileAlive = ['/bin/sh', '-c', `test "$PPID" -eq ${process.pid} && exec "$@"`, 'sh', ...program];
  const command = fs.existsSync(SETPRIV) ? [SETPRIV, '--pdeathsig', 'TERM', '--', ...whileAlive] : program;
  return spawn(command[0]!, command.slice(1), { stdio: ['ignore', 'ignore', 'pipe'], detached: true });
}

function serverProgram(): string {
  return (
    ['/usr/sbin/mariadbd', '/usr/libexec/mariadbd', '/usr/local/sbin/mariadbd'].find((file) =>
      fs.existsSync(file),
    ) ?? 'mariadbd'
  );
}

/** Fills a new folder with the tables of the server itself. Throws an Error with a sentence. */
function install(folder: string, temporary: string, size: DatabaseSize): void {
  const user = os.userInfo().username;
  const made = spawnSync(
    'mariadb-install-db',
    [
      '--no-defaults',
      `--datadir=${folder}`,
      `--tmpdir=${temporary}`,
      '--auth-root-authentication-method=socket',
      `--auth-root-socket-user=${user}`,
      '--skip-test-db',
      `--innodb-log-file-size=${size.logMb}M`,
      `--user=${user}`,
    ],
    { encoding: 'utf8' },
  );
  if (made.error !== undefined)
    throw new Error('mariadb-install-db is missing. Install MariaDB: apt-get install mariadb-server-core', {
      cause: made.error,
    });
  if (made.status !== 0) throw new Error(whyNotMade(folder, `${made.stderr}\n${made.stdout}`));
}

/** SQL that the server runs at each start: the one user and database there are. */
function initFile(dataFolder: string, password: string): string {
  const file = path.join(dataFolder, 'database-init.sql');
  const sql = [
    `CREATE USER IF NOT EXISTS '${USER}'@'localhost' IDENTIFIED BY '${password}';`,
    `ALTER USER '${USER}'@'localhost' IDENTIFIED BY '${password}';`,
    `GRANT ALL ON *.* TO '${USER}'@'localhost';`,
    `CREATE DATABASE IF NOT EXISTS ${DATABASE} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;`,
  ];
  fs.writeFileSync(file, `${sql.join('\n')}\n`, { mode: 0o600 });
  return file;
}

/** How one comes to the database of a folder whose service runs; null where there is none. */
export function managedWhereabouts(dataFolder: string): {
  socketPath: string;
  user: string;
  password: string;
  database: string;
} | null {
  const file = path.join(dataFolder, 'database-password');
  if (!fs.existsSync(file)) return null;
  const password = fs.readFileSync(file, 'utf8').trim();
  return { socketPath: socketFor(dataFolder), user: USER, password, database: DATABASE };
}

function passwordOf(dataFolder: string): string {
  const file = path.join(dataFolder, 'database-password');
  if (!fs.existsSync(file)) fs.writeFileSync(file, randomBytes(24).toString('hex'), { mode: 0o600 });
  return fs.readFileSync(file, 'utf8').trim();
}

/** A socket path within the length that the system allows. */
function socketFor(dataFolder: string): string {
  const near = path.join(dataFolder, 'mariadb.sock');
  if (near.length < 100) return near;
  const name = createHash('sha256').update(dataFolder).digest('hex').slice(0, 16);
  return path.join(os.tmpdir(), `peatmoor-${name}.sock`);
}

async function answers(options: { socketPath: string; user: string; password: string }): Promise<boolean> {
  try {
    const connection = await mariadb.createConnection({
      ...options,
      database: DATABASE,
      connectTimeout: 2000,
    });
    await connection.end();
    return true;
  } catch {
    return false;
  }
}

/** Ends a server on a folder whose service was killed: it is on its way to its end; one of an older service is not. */
export async function endServerOn(folder: string): Promise<void> {
  const orphan = runningServer(folder);
  if (orphan !== null) await endProcess(orphan);
}

/**
 * Process number of a server that runs on this folder, or null. Its own note of it counts, and what the system says: one that was killed
 * while it started has not written any.
 */
function runningServer(folder: string): number | null {
  try {
    const pid = Number(fs.readFileSync(path.join(folder, 'server.pid'), 'utf8').trim());
    if (isServerOn(folder, pid)) return pid;
  } catch {
    // There is no such note.
  }
  try {
    const pids = fs.readdirSync('/proc').map(Number).filter(Number.isInteger);
    return pids.find((pid) => isServerOn(folder, pid)) ?? null;
  } catch {
    return null;
  }
}

/** True where a process is a database server that a service started on this folder. */
function isServerOn(folder: string, pid: number): boolean {
  try {
    const told = fs.readFileSync(`/proc/${pid}/cmdline`, 'utf8').split('\0');
    return (
      path.basename(told[0]!) === 'mariadbd' && told.includes(`--pid-file=${path.join(folder, 'server.pid')}`)
    );
  } catch {
    return false;
  }
}

function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return !/^State:\s+Z/m.test(fs.readFileSync(`/proc/${pid}/status`, 'utf8'));
  } catch {
    return false;
  }
}

async function endProcess(pid: number, signal: 'SIGTERM' | 'SIGKILL' = 'SIGTERM'): Promise<void> {
  if (!isAlive(pid)) return;
  process.kill(pid, signal);
  for (let waited = 0; isAlive(pid); waited += 25) {
    if (waited > 30_000) process.kill(pid, 'SIGKILL');
    await sleep(25);
  }
}
