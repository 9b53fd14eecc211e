import fs from 'node:fs';
import path from 'node:path';
import type { Logger } from 'pino';
import { now as clockNow } from '../clock';
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
  const list = (): { file: string; at: number }[] => {
    try {
      return fs
        .readdirSync(folder)
        .filter((name) => NAME.test(name))
        .map((name) => ({ file: path.join(folder, name), at: fs.statSync(path.join(folder, name)).mtimeMs }))
        .sort((a, b) => b.at - a.at);
    } catch {
      return [];
    }
  };
  const make = async (): Promise<void> => {
    const now = clockNow();
    const newest = list()[0]?.at ?? -Infinity;
    if (now - newest < everyHours * HOUR_MS || now - failedAt < AGAIN_MS) return;
    const stamp = new Date(now).toISOString().slice(0, 19).replace(/[-:]/g, '').replace('T', '-');
    const file = path.join(folder, `peatmoor-${stamp}.sql.gz${parts.passphrase === null ? '' : '.age'}`);
    try {
      makeFolder(folder);
      const made = await makeBackup({ ...parts, file });
      problem = '';
      log.info({ file: made.file, bytes: made.bytes }, 'a backup was made');
      for (const old of list().slice(keep)) fs.rmSync(old.file, { force: true });
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
      const all = list();
      const newestAt = all[0]?.at ?? null;
      const late = clockNow() - (newestAt ?? began) > 2 * everyHours * HOUR_MS;
      return { newestAt, count: all.length, problem, late };
    },
    async stop() {
      clearInterval(timer);
      await running;
    },
  };
}

function makeFolder(folder: string): void {
  try {
    fs.mkdirSync(folder, { recursive: true, mode: 0o700 });
  } catch (error) {
    throw new BackupError(`${folder} cannot be used: ${whyNotFolder(error)}.`, { cause: error });
  }
}
