import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { createConnection, type Connection } from 'mariadb';
import { pause } from './measure';
import { makeSenders } from './rules';
import { databaseOf, report, signUp, startOurs } from './service';

/** How long each picture is looked at, and how long it runs before, in seconds. */
const LOOK_S = Number(process.env.DISK_SECONDS ?? 60);
const BEFORE_S = Number(process.env.DISK_BEFORE ?? 30);
/** Only pictures with this in their name. */
const ONLY = process.env.DISK_ONLY ?? '';
/** What a commit takes on a memory card, in seconds. */
const SLOW_S = 0.03;
const say = (text: string): void => void process.stdout.write(`${text}\n`);

interface Load {
  name: string;
  devices: number;
  everyMs: number;
  /** Days ago at which its day of earlier readings begins: a full day is there before the load. */
  evening?: boolean;
  slow?: boolean;
}

const LOADS: Load[] = [
  { name: '20 devices, every 2 s, in the morning', devices: 20, everyMs: 2000 },
  { name: '20 devices, every 2 s, in the evening', devices: 20, everyMs: 2000, evening: true },
  { name: '5 idle devices, every 60 s', devices: 5, everyMs: 60_000 },
  {
    name: '50 boards, every 10 s, a disk that takes 30 ms a commit',
    devices: 50,
    everyMs: 10_000,
    slow: true,
  },
];

for (const load of LOADS) if (load.name.includes(ONLY)) await picture(load);

/** Runs a load, and says what the disk had to write for it, how many statements and syncs there were, and how long answers took. */
async function picture(load: Load): Promise<void> {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-disk-'));
  const ours = await startOurs(folder);
  try {
    const url = `http://127.0.0.1:${ours.httpPort}`;
    const { client } = await signUp(url);
    const boards = await makeSenders(client, 'Board', load.devices);
    const connection = await createConnection(databaseOf(folder));
    if (load.evening === true) await fillToday(url, boards);
    if (load.slow === true) await slowDown(connection);
    const took: number[] = [];
    let running = true;
    const sending = boards.map(async ({ password }, i) => {
      await pause((i * load.everyMs) / boards.length);
      while (running) {
        const start = performance.now();
        // What is on its way at the end has nobody to answer.
        await report(url, password, { level: Math.round(start) % 500 }).catch(() => undefined);
        took.push(performance.now() - start);
        await pause(Math.max(0, load.everyMs - (performance.now() - start)));
      }
    });
    await pause(BEFORE_S * 1000);
    took.length = 0;
    const before = await look(ours.pid, folder, connection);
    await pause(LOOK_S * 1000);
    const after = await look(ours.pid, folder, connection);
    running = false;
    const sorted = [...took].sort((a, b) => a - b);
    const per = (name: keyof Looked): number => (after[name] - before[name]) / LOOK_S;
    say(
      [
        load.name,
        `${(per('bytes') / 1024).toFixed(1)} KB/s written (${((per('bytes') * 3600) / 1e6).toFixed(1)} MB/h)`,
        `${per('queries').toFixed(1)} statements/s`,
        `${per('syncs').toFixed(1)} syncs/s`,
        `answers p50 ${sorted[sorted.length >> 1]?.toFixed(0)} ms, p99 ${sorted[Math.floor(sorted.length * 0.99)]?.toFixed(0)} ms, of ${sorted.length}`,
      ].join('; '),
    );
    await connection.end();
    void sending;
  } finally {
    await ours.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  }
}

interface Looked {
  bytes: number;
  queries: number;
  syncs: number;
}

/** Bytes that service and database have had written to disk (/proc/PID/io), statements and syncs of the database. */
async function look(pid: number, folder: string, connection: Connection): Promise<Looked> {
  const database = Number(fs.readFileSync(path.join(folder, 'mariadb', 'server.pid'), 'utf8'));
  const written = (one: number): number =>
    Number(/write_bytes: (\d+)/.exec(fs.readFileSync(`/proc/${one}/io`, 'utf8'))?.[1] ?? 0);
  const rows = (await connection.query(
    "SHOW GLOBAL STATUS WHERE Variable_name IN ('Questions', 'Innodb_os_log_fsyncs', 'Innodb_data_fsyncs')",
  )) as { Variable_name: string; Value: string }[];
  const of = (name: string): number => Number(rows.find((row) => row.Variable_name === name)?.Value ?? 0);
  return {
    bytes: written(pid) + written(database),
    queries: of('Questions'),
    syncs: of('Innodb_data_fsyncs') + of('Innodb_os_log_fsyncs'),
  };
}

/** As much of today as a device that reports every two seconds has in the evening. */
async function fillToday(url: string, boards: readonly { password: string }[]): Promise<void> {
  const day = Math.floor(Date.now() / 86_400_000) * 86_400_000;
  const last = Date.now() - 1000;
  for (const { password } of boards)
    for (let from = day; from < last; from += 5_000_000) {
      const rows = [];
      for (let at = from; at < Math.min(from + 5_000_000, last); at += 2000)
        rows.push({ at, level: (at / 2000) % 500 });
      await report(url, password, rows);
    }
  await pause(20_000);
}

/** Has every commit of readings, and of those who read them, take as long as on a memory card. */
async function slowDown(connection: Connection): Promise<void> {
  for (const [table, happening] of [
    ['journal', 'INSERT'],
    ['leases', 'UPDATE'],
    ['devices', 'UPDATE'],
    ['arrivals', 'INSERT'],
  ])
    await connection.query(
      `CREATE TRIGGER slow_${table} BEFORE ${happening} ON ${table} FOR EACH ROW DO SLEEP(${SLOW_S})`,
    );
}
