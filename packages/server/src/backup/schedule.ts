import fs from 'node:fs/promises';
import path from 'node:path';
import type { Logger } from 'pino';
import { latestPossible, now as clockNow } from '../clock';
import { whyNotFolder } from '../database/folderLock';
import { BackupError, makeBackup, type BackupParts } from './make';

const HOUR_MS = 3_600_000;
const LOOK_MS = 60_000;
/** A backup that failed is tried again after this long. */
const AGAIN_MS = HOUR_MS;
const NAME = /^peatmoor-\d{8}-\d{6}\.sql\.gz(\.age)?$/;

export interface BackupPlan {
  folder: string;
  everyHours: number;
  /** How many are kept; the oldest go. */
  keep: number;
}

/** What is known of the backups of a folder. */
export interface BackupState {
  /** When the newest whole one was made, epoch ms; null for none yet. */
  newestAt: number | null;
  count: number;
  /** What went wrong with the last; empty for nothing. */
  problem: string;
  /** True where the newest is older than two turns. */
  late: boolean;
}

export interface Backups {
  state(): BackupState;
  stop(): Promise<void>;
}

/** Makes backups by themselves, one after the other, and deletes the oldest. Of several services on one folder one makes it. */
export function startBackups(
  { folder, everyHours, keep }: BackupPlan,
  parts: Omit<BackupParts, 'file' | 'onProgress'>,
  log: Logger,
): Backups {
  let problem = '';
  let failedAt = -Infinity;
  let running: Promise<unknown> = Promise.resolve();
  const began = clockNow();
  /** As it was found last: a share that does not answer keeps nobody waiting who asks how it stands. */
  let found: Backup[] = [];
  const list = async (): Promise<Backup[]> => (found = await backupsIn(folder));
  const make = async (): Promise<void> => {
    const now = clockNow();
    const newest = newestOf(await list())?.at ?? -Infinity;
    if (now - newest < everyHours * HOUR_MS || (failedAt <= now && now - failedAt < AGAIN_MS)) return;
    const stamp = new Date(now).toISOString().slice(0, 19).replace(/[-:]/g, '').replace('T', '-');
    const file = path.join(folder, `peatmoor-${stamp}.sql.gz${parts.passphrase === null ? '' : '.age'}`);
    try {
      await makeFolder(folder);
      const made = await makeBackup({ ...parts, file });
      problem = '';
      log.info({ file: made.file, bytes: made.bytes }, 'a backup was made');
      for (const old of (await list()).slice(keep)) await fs.rm(old.file, { force: true });
      await list();
    } catch (error) {
      failedAt = now;
      problem = (error as Error).message;
      log.error({ err: error }, 'a backup was not made; it is tried again in an hour');
    }
  };
  const look = (): void => void (running = running.then(make));
  const timer = setInterval(look, LOOK_MS);
  look();
  return {
    state() {
      const newestAt = newestOf(found)?.at ?? null;
      const late = clockNow() - (newestAt ?? Math.min(began, clockNow())) > 2 * everyHours * HOUR_MS;
      return { newestAt, count: found.length, problem, late };
    },
    async stop() {
      clearInterval(timer);
      await running;
    },
  };
}

interface Backup {
  file: string;
  at: number;
}

/** One that is of a later time than now was made by a clock that was wrong: it says nothing of how old the newest is. */
const newestOf = (backups: readonly Backup[]): Backup | undefined =>
  backups.find(({ at }) => at <= latestPossible());

/** The whole ones in a folder, the newest first; those that a wrong clock made are the first to go. */
async function backupsIn(folder: string): Promise<Backup[]> {
  const names = await fs.readdir(folder).catch(() => []);
  const all = await Promise.all(
    names
      .filter((name) => NAME.test(name))
      .map(async (name) => {
        const file = path.join(folder, name);
        return { file, at: (await fs.stat(file).catch(() => null))?.mtimeMs ?? 0 };
      }),
  );
  const isOf = ({ at }: Backup): number => (at <= latestPossible() ? at : -at);
  return all.sort((a, b) => isOf(b) - isOf(a));
}

async function makeFolder(folder: string): Promise<void> {
  try {
    await fs.mkdir(folder, { recursive: true, mode: 0o700 });
  } catch (error) {
    throw new BackupError(`${folder} cannot be used: ${whyNotFolder(error)}.`, { cause: error });
  }
}
