import fs from 'node:fs';
import path from 'node:path';

/** The data folder belongs to another running service. */
export class FolderInUseError extends Error {}

/**
 * Takes the data folder for this process, so that no second service is started on it. A lock left behind by a
 * process that is gone is taken over. Returns what gives it free again. Throws FolderInUseError.
 */
export function lockFolder(folder: string): () => void {
  makeFolder(folder);
  const file = path.join(folder, 'service.lock');
  const mine = `${process.pid} ${startedAt(process.pid)}`;
  for (let attempt = 0; attempt < 3; attempt++) {
    try {
      fs.writeFileSync(file, mine, { flag: 'wx' });
      return () => {
        if (fs.existsSync(file) && fs.readFileSync(file, 'utf8') === mine) fs.rmSync(file);
      };
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
      const [pid, start] = fs.readFileSync(file, 'utf8').split(' ');
      if (start !== undefined && start !== 'gone' && startedAt(Number(pid)) === start)
        throw new FolderInUseError(
          `A Peatmoor service (process ${pid}) already runs on ${folder}. Stop it first, or set PEATMOOR_DATA to another folder.`,
        );
      fs.rmSync(file, { force: true });
    }
  }
  throw new FolderInUseError(`The lock ${file} cannot be taken; another service is just starting there.`);
}

/** What to do where a data folder cannot be made or written to, by the system's code. */
const REMEDIES: Record<string, string> = {
  ENOSPC: 'the disk is full. Make room, and start again',
  EROFS: 'the disk can only be read. It may be failing, or was mounted so',
  EACCES: 'it belongs to somebody else. Start the service as the one it belongs to',
  EPERM: 'it belongs to somebody else. Start the service as the one it belongs to',
  ENOENT: 'the folder above it cannot be written to; its disk may be one that can only be read',
  ENOTDIR: 'a part of its path is a file',
  EEXIST: 'it is a file',
};

/** Makes the data folder and sees that it can be written to. Throws an Error with a sentence where not. */
function makeFolder(folder: string): void {
  try {
    fs.mkdirSync(folder, { recursive: true, mode: 0o700 });
    const trial = path.join(folder, `trial-${process.pid}`);
    fs.writeFileSync(trial, 'x');
    fs.rmSync(trial);
  } catch (error) {
    throw new Error(
      `The data folder ${folder} cannot be used: ${whyNotFolder(error)}. Or set PEATMOOR_DATA to another folder.`,
      { cause: error },
    );
  }
}

/** A mark of when a process started, to tell it from a later one with the same number; 'gone' where there is none. */
function startedAt(pid: number): string {
  try {
    const stat = fs.readFileSync(`/proc/${pid}/stat`, 'utf8');
    const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ');
    // One that has ended and was not collected yet holds nothing.
    return fields[0] === 'Z' || fields[0] === 'X' ? 'gone' : (fields[19] ?? 'gone');
  } catch {
    return 'gone';
  }
}

/** Why a folder cannot be made or written to, in words. */
export function whyNotFolder(error: unknown): string {
  const { code = '', message } = error as NodeJS.ErrnoException;
  return REMEDIES[code] ?? message;
}
