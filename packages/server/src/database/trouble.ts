import fs from 'node:fs';
import path from 'node:path';

/** What to do about causes that the server's own log names. */
const REMEDIES: readonly [pattern: RegExp, remedy: string][] = [
  [
    /no space left|disk full|err(no|or):? 28\b/i,
    'The disk is full: make room, and start again. Nothing that was acknowledged is lost.',
  ],
  [
    /read-only file system|err(no|or):? 30\b/i,
    'The disk can only be read: it may be failing, or was mounted so. Look at it before anything else.',
  ],
  [
    /permission denied|err(no|or):? 13\b/i,
    'The folder belongs to somebody else: start the service as the one it belongs to.',
  ],
  [
    /upgrade|newer version|created with|unsupported (redo )?log/i,
    'The folder was last used by another version of MariaDB. Start that version once more and stop it cleanly, or use it on.',
  ],
  [
    /another (process|mysqld)|(unable to|can't) lock|err(no|or):? 11\b/i,
    'Another database server uses this folder: stop that one first.',
  ],
  [
    /corrupt|checksum|damaged|crashed/i,
    'Files of the database are damaged; the disk may be failing. Keep a copy of the folder as it is, and restore a backup.',
  ],
];

/** What the database's log calls an error since its last start: one with a known remedy, else the last; null for none. */
export function causeIn(file: string): string | null {
  try {
    const { size } = fs.statSync(file);
    const handle = fs.openSync(file, 'r');
    const tail = Buffer.alloc(Math.min(size, 64 * 1024));
    fs.readSync(handle, tail, 0, tail.length, size - tail.length);
    fs.closeSync(handle);
    const text = tail.toString();
    const errors = text
      .slice(Math.max(0, text.lastIndexOf('Starting MariaDB')))
      .split('\n')
      .filter((line) => /\[ERROR\]/.test(line) && !/Aborting$/.test(line.trim()))
      .map((line) => line.replace(/^.*\[ERROR\]\s*/, '').slice(0, 400));
    return errors.find((line) => remedyFor(line) !== undefined) ?? errors.at(-1) ?? null;
  } catch {
    return null;
  }
}

/** True where the server says that another one holds its files; it would wait for that one for half a minute. */
export function isKeptOut(folder: string): boolean {
  return /(unable to|can't) lock/i.test(causeIn(path.join(folder, 'error.log')) ?? '');
}

/** Why a database does not start, as far as its log says, and what to do. */
export function whyNotStarted(folder: string): string {
  const file = path.join(folder, 'error.log');
  const cause = causeIn(file);
  const remedy = remedyFor(cause ?? '') ?? `All that it says is in ${file}.`;
  return cause === null
    ? `The database in ${folder} did not start. ${remedy}`
    : `The database in ${folder} does not start: ${cause} ${remedy}`;
}

/** Why a new database folder could not be made, and what to do. */
export function whyNotMade(folder: string, said: string): string {
  const cause = /\[ERROR\]\s*(.+)/.exec(said)?.[1] ?? said.trim().split('\n')[0] ?? '';
  const remedy = remedyFor(said) ?? 'Nothing was kept; mend that, and start again.';
  return `The database folder ${folder} could not be made: ${cause.slice(0, 300)}. ${remedy}`;
}

function remedyFor(cause: string): string | undefined {
  return REMEDIES.find(([pattern]) => pattern.test(cause))?.[1];
}
