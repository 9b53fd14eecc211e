import fs from 'node:fs';
import path from 'node:path';

/**
 * A file in a database folder that holds nothing of anybody yet: begun beside its place, or renamed into it and never started. A folder
 * without it is a database, and is never removed.
 */
const MARK = 'begun-by-peatmoor';
const MARK_TEXT =
  'This database folder was begun and holds nothing of anybody yet. Peatmoor removes this file at the first start.\n';

/** What a folder is called in which a database is built, beside its place: never the same twice. */
const BEGUN = /^mariadb\.unfinished-\d+-\d+$/;

/** True where there is nothing at the place of a database: no folder, or an empty one. */
export function beginsFirst(folder: string): boolean {
  return entriesOf(folder).length === 0;
}

/** True where a folder was built and renamed, but its server never answered yet. */
export function isFirstStart(folder: string): boolean {
  return fs.existsSync(path.join(folder, MARK));
}

/**
 * Builds a database folder beside its place, under a mark, and renames it once all of it is on the disk. What interrupted starts left
 * there is removed if it carries the mark.
 */
export function beginFolder(folder: string, build: (place: string) => void): void {
  removeBegun(path.dirname(folder));
  const place = `${folder}.unfinished-${process.pid}-${Date.now()}`;
  fs.mkdirSync(place, { mode: 0o700 });
  fs.writeFileSync(path.join(place, MARK), MARK_TEXT, { mode: 0o600 });
  sync(place);
  try {
    build(place);
  } catch (error) {
    removeBegun(path.dirname(folder));
    throw error;
  }
  syncAll(place);
  // Onto an empty folder a rename is allowed, onto any other it is not.
  fs.renameSync(place, folder);
  sync(path.dirname(folder));
}

/**
 * Removes what starts began and did not end. A program that makes tables may have outlived a service that was killed, and writes on:
 * what cannot be removed just now is removed another time.
 */
export function removeBegun(dataFolder: string): void {
  for (const name of fs.readdirSync(dataFolder).filter((one) => BEGUN.test(one))) {
    const place = path.join(dataFolder, name);
    if (entriesOf(place).length > 0 && !isFirstStart(place)) continue;
    try {
      fs.rmSync(place, { recursive: true, force: true, maxRetries: 3, retryDelay: 100 });
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'ENOTEMPTY') throw error;
    }
  }
}

/** Takes the mark away once the server of a new folder has answered: from now on it is somebody's database. */
export function startedFirst(folder: string): void {
  if (!isFirstStart(folder)) return;
  fs.rmSync(path.join(folder, MARK));
  sync(folder);
}

/** What every database folder has, whatever version of the server made it. */
const PARTS = ['mysql', 'ibdata1'];

/** Throws an Error with a sentence where a part of a database folder is missing; changes nothing. */
export function refuseDamaged(folder: string, database: string): void {
  const there = new Set(entriesOf(folder));
  const missing = [...PARTS, database].filter((name) => !there.has(name));
  if (missing.length === 0) return;
  throw new Error(
    `The database folder ${folder} is not whole: ${missing.join(' and ')} ${missing.length === 1 ? 'is' : 'are'} missing. It was not started, and nothing in it was changed. If it was copied, copy it again with the service stopped. Otherwise keep a copy of it as it is, move it away, and restore a backup with "peatmoor restore".`,
  );
}

/** A file in the data folder that says that its database was made: where that is gone, something is wrong with the disk. */
const MADE = 'database-made';

/** Remembers that there is a database in the data folder. */
export function noteMade(dataFolder: string): void {
  const file = path.join(dataFolder, MADE);
  if (fs.existsSync(file)) return;
  fs.writeFileSync(
    file,
    'There is a database beside this file. Without it, Peatmoor would begin an empty one.\n',
    {
      mode: 0o600,
    },
  );
  sync(file);
  sync(dataFolder);
}

/** Throws an Error with a sentence where a data folder had a database that is not there any more. */
export function refuseVanished(dataFolder: string, folder: string): void {
  const file = path.join(dataFolder, MADE);
  if (!fs.existsSync(file)) return;
  throw new Error(
    `There was a database in ${folder}, and it is gone. Is its disk mounted? Bring the folder back, or bring back a backup with "peatmoor restore". To begin with an empty database, delete the file ${file} and start again.`,
  );
}

function entriesOf(folder: string): string[] {
  try {
    return fs.readdirSync(folder);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return [];
    throw error;
  }
}

/** Writes all files and folders below to the disk. */
function syncAll(folder: string): void {
  for (const entry of fs.readdirSync(folder, { withFileTypes: true })) {
    const place = path.join(folder, entry.name);
    if (entry.isDirectory()) syncAll(place);
    else if (entry.isFile()) sync(place);
  }
  sync(folder);
}

/** Writes one file or folder to the disk. */
export function sync(place: string): void {
  const handle = fs.openSync(place, 'r');
  try {
    fs.fsyncSync(handle);
  } finally {
    fs.closeSync(handle);
  }
}
