import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { p99, pause, timed } from './measure';
import { makeSenders } from './rules';
import { report, residentMb, signUp, startOurs } from './service';

const BOARDS = Number(process.env.SMALL_BOARDS ?? 50);
const EVERY_MS = 10_000;
const LOOK_S = Number(process.env.SMALL_SECONDS ?? 60);
/** Of each of these, in ms, service and database run for a quarter, both on one core. */
const SLICE_MS = 40;
/**
 * Heap of a program that may not have more. Node reserves three times 16 MB for young values; of 64 MB that leaves so little that
 * it looks through the whole heap twenty times a second.
 */
const HEAP = '--max-old-space-size=64 --max-semi-space-size=4';
const say = (text: string): void => void process.stdout.write(`${text}\n`);
const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-small-'));

await small();

/** A quarter of a core: service and database on one core of this machine, stopped three quarters of the time. */
async function small(): Promise<void> {
  const first = await startOurs(folder);
  const { key, client } = await signUp(`http://127.0.0.1:${first.httpPort}`);
  const boards = await makeSenders(client, 'Board', BOARDS);
  await first.stop();
  let slowed: { end(): void } | null = null;
  const ours = await startOurs(folder, { NODE_OPTIONS: HEAP }, (pid) => {
    slowed = slowDown(() => [pid, ...databaseOf()]);
  });
  try {
    const url = `http://127.0.0.1:${ours.httpPort}`;
    const reports: number[] = [];
    const pages: number[] = [];
    let running = true;
    const sending = boards.map(async ({ password }, i) => {
      await pause((i * EVERY_MS) / BOARDS);
      for (let n = 0; running; n++) {
        const ms = await timed(() => report(url, password, { level: n }));
        reports.push(ms);
        await pause(Math.max(0, EVERY_MS - ms));
      }
    });
    const looking = (async () => {
      while (running) {
        const look = async (): Promise<void> => {
          const response = await fetch(`${url}/api/devices?limit=60`, {
            headers: { authorization: `Bearer ${key}` },
          });
          await response.arrayBuffer();
        };
        pages.push(await timed(look));
        await pause(1000);
      }
    })();
    await pause(LOOK_S * 1000);
    running = false;
    await Promise.all([...sending, looking]);
    say(
      `A quarter of a core, 64 MB of heap: start to listening ${(ours.readyMs / 1000).toFixed(1)} s; ${BOARDS} boards every 10 s answered, 99 of 100, within ${p99(reports).toFixed(0)} ms (${reports.length} reports, none refused); a page of devices within ${p99(pages).toFixed(0)} ms; ${Math.round(residentMb(ours.pid))} MB.`,
    );
  } finally {
    (slowed as { end(): void } | null)?.end();
    await ours.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  }
}

/** The database's process, once there is one. */
function databaseOf(): number[] {
  const file = path.join(folder, 'mariadb', 'server.pid');
  return fs.existsSync(file) ? [Number(fs.readFileSync(file, 'utf8'))] : [];
}

/** Lets processes run for a quarter of the time only, on the first core. */
function slowDown(pids: () => number[]): { end(): void } {
  const pinned = new Set<number>();
  const tell = (signal: 'SIGSTOP' | 'SIGCONT'): void => {
    for (const pid of pids())
      try {
        process.kill(pid, signal);
        if (pinned.has(pid)) continue;
        pinned.add(pid);
        execFileSync('taskset', ['-a', '-p', '-c', '0', String(pid)], { stdio: 'ignore' });
      } catch {
        // It is on its way out, or not there yet.
      }
  };
  let going: NodeJS.Timeout | undefined;
  const timer = setInterval(() => {
    tell('SIGCONT');
    going = setTimeout(() => tell('SIGSTOP'), SLICE_MS / 4);
  }, SLICE_MS);
  const end = (): void => {
    clearInterval(timer);
    clearTimeout(going);
    tell('SIGCONT');
  };
  // What is halted hears nothing.
  process.once('exit', end);
  return { end };
}
