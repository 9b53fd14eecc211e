import { spawnSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import type { Programs } from './unpack';

/** How far a database node has come: the history it belongs to, and the number of the last transaction. */
export interface Position {
  history: string;
  seqno: number;
}

const NO_HISTORY = /^[0-]*$/;

/**
 * Which of some nodes has committed most, null for one that knows nothing. Numbers of another history cannot be compared: that of most
 * nodes counts. Throws where nothing is known of any of them: then a wrong guess would lose what was acknowledged.
 */
export function furthest(positions: readonly (Position | null)[]): number {
  const known = positions.flatMap((one, index) =>
    one === null || one.seqno < 0 || NO_HISTORY.test(one.history) ? [] : [{ ...one, index }],
  );
  if (known.length === 0)
    throw new Error(
      'None of the database nodes can say what it has committed: look at their logs, and begin by hand.',
    );
  const nodesOf = (history: string): number => known.filter((one) => one.history === history).length;
  return known.reduce((best, one) => {
    const more = nodesOf(one.history) - nodesOf(best.history);
    return more > 0 || (more === 0 && one.seqno > best.seqno) ? one : best;
  }).index;
}

/** What a database node wrote of itself when it ended in order; null where there is none yet, seqno -1 where it was killed. */
export function writtenBy(text: string | null): (Position & { isSafe: boolean }) | null {
  if (text === null) return null;
  return {
    history: /uuid:\s*(\S+)/.exec(text)?.[1] ?? '',
    seqno: Number(/seqno:\s*(-?\d+)/.exec(text)?.[1] ?? -1),
    isSafe: /safe_to_bootstrap:\s*1/.test(text),
  };
}

/** The node that ended last, or that has committed most, and where it stands: it makes the cluster anew. */
export function newestOf(
  folders: readonly string[],
  programs: Pick<Programs, 'galera' | 'environment'>,
): { index: number; position: string | null } {
  const written = folders.map((folder) => {
    const file = path.join(folder, 'grastate.dat');
    return writtenBy(fs.existsSync(file) ? fs.readFileSync(file, 'utf8') : null);
  });
  if (written.every((one) => one === null)) return { index: 0, position: null };
  // What a node wrote of itself is believed only where all of them ended in order.
  const safe = written.findIndex((one) => one?.isSafe === true);
  if (written.every((one) => one !== null && one.seqno >= 0) && safe >= 0)
    return { index: safe, position: null };
  // After a power cut none of them knows: what each has committed is in its engine.
  const positions = folders.map((folder) => recoveredIn(folder, programs));
  const index = furthest(positions);
  const { history, seqno } = positions[index]!;
  return { index, position: `${history}:${seqno}` };
}

/** The last transaction that a node has in its engine; null where it cannot be read. */
function recoveredIn(
  data: string,
  { galera, environment }: Pick<Programs, 'galera' | 'environment'>,
): Position | null {
  const isRoot = process.getuid?.() === 0;
  // On ways of its own: another server may be there, or nothing where servers usually put theirs.
  const aside = fs.mkdtempSync(path.join(os.tmpdir(), 'recover-'));
  const { stderr } = spawnSync(
    '/usr/sbin/mariadbd',
    [
      '--no-defaults',
      `--datadir=${data}`,
      '--wsrep-recover',
      '--wsrep-on=ON',
      '--wsrep-cluster-address=gcomm://127.0.0.1',
      `--wsrep-provider=${galera}`,
      '--binlog-format=ROW',
      '--innodb-autoinc-lock-mode=2',
      '--skip-networking',
      `--socket=${path.join(aside, 'sock')}`,
      `--pid-file=${path.join(aside, 'pid')}`,
      ...(isRoot ? ['--user=root'] : []),
    ],
    { encoding: 'utf8', env: environment },
  );
  fs.rmSync(aside, { recursive: true, force: true });
  const { uid, gid } = fs.statSync(data);
  if (isRoot) spawnSync('chown', ['-R', `${uid}:${gid}`, data]);
  const found = [...(stderr ?? '').matchAll(/Recovered position: ([0-9a-f-]+):(-?\d+)/g)].at(-1);
  return found === undefined ? null : { history: found[1]!, seqno: Number(found[2]) };
}
