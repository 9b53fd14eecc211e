import fs from 'node:fs';
import path from 'node:path';

/** The data folder belongs to another running service. */
export class FolderInUseError extends Error {}

/**
 * Takes the data folder for this process, so that no second service is started on it. A lock left behind by a
 * process that is gone is taken over. Returns what gives it free again. Throws FolderInUseError.
 */
export function lockFolder(folder: string): () => void {
  fs.mkdirSync(folder, { recursive: true, mode: 0o700 });
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
