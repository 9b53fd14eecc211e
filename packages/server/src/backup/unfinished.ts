import fs from 'node:fs';
import path from 'node:path';
import { beginsFirst, removeBegun, sync } from '../database/folderLife';
import { endServerOn } from '../database/managed';
import { BackupError } from './make';

/** A file in a data folder while a backup is brought back into it: what is in its database folder is nobody's yet. */
const MARK = 'restore-unfinished';

/**
 * Marks a data folder before anything is restored into it. What an interrupted restore left there is removed: nothing else can have
 * written to it, because no service starts on a marked folder. Throws BackupError where there is a database.
 */
export async function beginRestore(dataFolder: string): Promise<void> {
  const folder = path.join(dataFolder, 'mariadb');
  const mark = path.join(dataFolder, MARK);
  if (fs.existsSync(mark)) {
    // The server of a restore that was killed may still be on its way to its end.
    await endServerOn(folder);
    fs.rmSync(folder, { recursive: true, force: true });
    return;
  }
  if (!beginsFirst(folder))
    throw new BackupError(
      `There is a database in ${dataFolder} already. Restore into an empty place: set PEATMOOR_DATA to another folder, or move this one away.`,
    );
  fs.writeFileSync(mark, 'A backup is being restored here. Peatmoor removes this file when it is done.\n', {
    mode: 0o600,
  });
  sync(mark);
  sync(dataFolder);
}

/** Takes the mark away; before that, what was restored by halves. */
export function endRestore(dataFolder: string, done: boolean): void {
  const folder = path.join(dataFolder, 'mariadb');
  if (!done) {
    fs.rmSync(folder, { recursive: true, force: true });
    removeBegun(dataFolder);
  }
  fs.rmSync(path.join(dataFolder, MARK), { force: true });
  sync(dataFolder);
}

/** Throws an Error with a sentence where a restore into a data folder was interrupted. */
export function refuseUnfinishedRestore(dataFolder: string): void {
  if (!fs.existsSync(path.join(dataFolder, MARK))) return;
  throw new Error(
    `A restore into ${dataFolder} was interrupted, so that its database is not whole. Run "peatmoor restore" with the backup again: it begins anew. Or set PEATMOOR_DATA to another folder.`,
  );
}
