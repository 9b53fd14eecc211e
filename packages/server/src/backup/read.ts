import { spawn } from 'node:child_process';
import { once } from 'node:events';
import fs from 'node:fs';
import { pipeline, Readable } from 'node:stream';
import { createGunzip } from 'node:zlib';
import { programOptions, type Whereabouts } from './address';
import { BackupError } from './make';
import { readMark, type BackupEnd, type BackupFile, type BackupHead } from './marks';

/** What a file begins with that was enciphered (the age format). */
const ENCIPHERED = 'age-encryption.org/v1';

/** The whole of a backup as it was read: what it says of itself beside the SQL. */
export interface ReadBackup {
  head: BackupHead;
  files: BackupFile[];
  end: BackupEnd;
}

/** Opens a backup: deciphered and unpacked. Throws BackupError with a sentence. */
async function openBackup(
  file: string,
  passphrase: string | null,
): Promise<{ plain: Readable; size: number }> {
  let size: number;
  const begin = Buffer.alloc(ENCIPHERED.length);
  try {
    size = fs.statSync(file).size;
    const handle = fs.openSync(file, 'r');
    fs.readSync(handle, begin, 0, begin.length, 0);
    fs.closeSync(handle);
  } catch (error) {
    throw new BackupError(`${file} cannot be read: ${(error as Error).message}`, { cause: error });
  }
  const isEnciphered = begin.toString('latin1') === ENCIPHERED;
  if (!isEnciphered && (begin[0] !== 0x1f || begin[1] !== 0x8b))
    throw new BackupError(`${file} is not a backup of Peatmoor: it is neither compressed nor enciphered.`);
  if (isEnciphered && passphrase === null)
    throw new BackupError(`${file} is enciphered. Give its passphrase: PEATMOOR_BACKUP_PASSPHRASE.`);
  const raw = fs.createReadStream(file, { highWaterMark: 1024 * 1024 });
  // What goes wrong in one of them, or is no longer wanted at the end, closes the file.
  const unpacked = (packed: Readable): Readable => pipeline(packed, createGunzip(), () => raw.destroy());
  if (!isEnciphered) return { plain: unpacked(raw), size };
  const { Decrypter } = await import('age-encryption');
  const decrypter = new Decrypter();
  decrypter.addPassphrase(passphrase!);
  try {
    const stream = await decrypter.decrypt(Readable.toWeb(raw) as ReadableStream<Uint8Array>);
    return { plain: unpacked(Readable.fromWeb(stream as never)), size };
  } catch (error) {
    raw.destroy();
    throw new BackupError(`The passphrase is not that of ${file}, or the file is damaged.`, { cause: error });
  }
}

/**
 * Reads a backup into an empty database by MariaDB's own program. `onHead` hears what it is before anything is done and throws where it
 * does not fit. What the marks say is given back; one that is cut off or damaged is refused.
 */
export async function loadBackup(
  file: string,
  passphrase: string | null,
  at: Whereabouts,
  onHead: (head: BackupHead) => void,
  onProgress: (part: number, words: string) => void,
): Promise<ReadBackup> {
  const { plain, size } = await openBackup(file, passphrase);
  const { args, env } = programOptions(at);
  let head: BackupHead | null = null;
  let end: BackupEnd | null = null;
  const files: BackupFile[] = [];
  const program = spawn(
    'mariadb',
    [...args, '--default-character-set=utf8mb4', '--max-allowed-packet=64M', at.database],
    { env, stdio: ['pipe', 'ignore', 'pipe'] },
  );
  let said = '';
  program.stderr.on('data', (part: Buffer) => (said = (said + part.toString()).slice(-2000)));
  program.stdin.on('error', () => undefined);
  const closed = once(program, 'close') as Promise<[number | null]>;
  closed.catch(() => undefined);
  const take = (line: Buffer): boolean => {
    if (line[0] !== 0x2d) return false;
    const mark = readMark(line.toString('utf8').trimEnd());
    if (mark?.kind === 'head') {
      head = mark.value;
      onHead(head);
    } else if (mark?.kind === 'file') files.push(mark.value);
    else if (mark?.kind === 'end') end = mark.value;
    return mark !== null;
  };
  let read = 0;
  try {
    for await (const lines of inLines(plain)) {
      for (const line of lines) {
        if (take(line)) continue;
        if (head === null) throw new BackupError(`${file} is not a backup of Peatmoor.`);
        read += line.length;
        if (program.exitCode !== null) break;
        if (!program.stdin.write(line)) await Promise.race([once(program.stdin, 'drain'), closed]);
      }
      // SQL is about four times as long as it is when it is packed.
      onProgress(Math.min(0.75, read / (5 * size)), 'writing the database');
    }
  } catch (error) {
    program.kill();
    if (error instanceof BackupError) throw error;
    throw new BackupError(`${file} is damaged or was cut off: ${(error as Error).message}`, { cause: error });
  }
  program.stdin.end();
  const [code] = await closed;
  if (code !== 0) throw new BackupError(`The database did not take the backup: ${said.trim()}`);
  if (head === null || end === null)
    throw new BackupError(`${file} was cut off: its end is missing. Take another one.`);
  return { head, files, end };
}

/** Lines with their ends, some at a time. */
async function* inLines(stream: Readable): AsyncGenerator<Buffer[]> {
  let rest: Buffer[] = [];
  for await (const part of stream as AsyncIterable<Buffer>) {
    const lines: Buffer[] = [];
    let from = 0;
    for (let at = part.indexOf(10); at >= 0; at = part.indexOf(10, from)) {
      const line = part.subarray(from, at + 1);
      lines.push(rest.length === 0 ? line : Buffer.concat([...rest, line]));
      rest = [];
      from = at + 1;
    }
    if (from < part.length) rest.push(part.subarray(from));
    yield lines;
  }
  if (rest.length > 0) yield [Buffer.concat(rest)];
}
