import fs from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';
import { makePosts, newAccount, type Post } from './cluster/account';
import type { Cluster } from './cluster/cluster';
import { connectBoard } from './cluster/load';
import type { Running } from './cluster/processes';
import { crossings } from './cluster/page';
import { withCluster } from './cluster/temporary';

/** Readings of one run, boards that send them, and how many each has under way. */
const READINGS = Number(process.env.COST_READINGS ?? 200_000);
const BOARDS = 30;
const WINDOW = 20;
/** Readings by which each process first reads, and makes fast, the program that it runs: that is paid once. */
const WARM = 60_000;
const IDLE_MS = 30_000;
/** Readings a second, for one node as for three; as many as they can take where it is 0. */
const RATE = Number(process.env.COST_RATE ?? 4000);
const say = (text: string): void => void process.stdout.write(`${text}\n`);

/** Seconds of processor time that some processes have used, with those they waited for. */
function processorS(all: readonly Running[]): number {
  const ticks = all.reduce((sum, one) => {
    const text = fs.readFileSync(`/proc/${one.pid()}/stat`, 'utf8');
    const fields = text.slice(text.lastIndexOf(')') + 2).split(' ');
    return sum + Number(fields[11]) + Number(fields[12]);
  }, 0);
  return ticks / 100;
}

/** What readings cost the services and the databases, on one node and on three. */
async function compare(cluster: Cluster, url: string): Promise<boolean> {
  const { client, key } = await newAccount(url);
  const [probe, ...boards] = (await makePosts(client, BOARDS + 1)) as [Post, ...Post[]];
  await run(cluster, boards, WARM);
  const three = await run(cluster, boards, READINGS);
  const [to, from] = cluster.servicePorts.map(({ http }) => `http://127.0.0.1:${http}`) as [string, string];
  const [, times] = await Promise.all([
    run(cluster, boards, WARM),
    sleep(IDLE_MS).then(() => crossings({ from, to }, key, probe, 60)),
  ]);
  times.sort((a, b) => a - b);
  const crossed = `From its answer by one node to a page at another, beside that load: half of ${times.length} readings within ${times[times.length >> 1]!.toFixed(0)} ms, the slowest ${times.at(-1)!.toFixed(0)} ms (aim 300).`;
  for (const one of cluster.services.slice(1)) await one.stop();
  await sleep(5000);
  const one = await run(cluster, boards, READINGS);
  const row = (name: string, { services, idle, databases, tookS }: Cost): string =>
    `| ${name} | ${per100k(services)} | ${idle.toFixed(1)} | ${per100k(databases)} | ${Math.round(READINGS / tookS).toLocaleString('en')} |`;
  say(`
| for 100,000 readings, one by one over MQTT, of ${READINGS.toLocaleString('en')} | services, s of processor | idle, s a minute | databases, s | a second |
|---|---|---|---|---|
${row('three nodes', three)}
${row('one node', one)}

Three nodes ÷ one: ${(three.services / one.services).toFixed(2)} for the services (aim 1.3).
${crossed}`);
  return true;
}

const per100k = (spentS: number): string => ((spentS * 100_000) / READINGS).toFixed(1);

interface Cost {
  /** Without what they use when nothing comes. */
  services: number;
  /** What they use when nothing comes, in seconds a minute. */
  idle: number;
  databases: number;
  tookS: number;
}

const report = (at: number): string => `{"at":${at},"level":${at % 1000}}`;
let time = Date.now() - 40 * 86_400_000;

async function run(cluster: Cluster, boards: readonly Post[], readings: number): Promise<Cost> {
  const up = cluster.services.filter((one) => one.isUp());
  const idleBefore = processorS(up);
  await sleep(IDLE_MS);
  const idle = (processorS(up) - idleBefore) / (IDLE_MS / 1000);
  const before = [processorS(up), processorS(cluster.databases)] as const;
  const since = performance.now();
  let left = readings;
  await Promise.all(
    boards.map(async ({ id, token }) => {
      const client = await connectBoard(cluster.mqttPort, id, token);
      const lane = async (): Promise<void> => {
        while (left > 0) {
          const dueMs = RATE === 0 ? 0 : since + ((readings - left) / RATE) * 1000 - performance.now();
          left--;
          const at = (time += 7);
          if (dueMs > 0) await sleep(dueMs);
          await client.publishAsync(`moor/${id}/report`, report(at), { qos: 1 });
        }
      };
      await Promise.all(Array.from({ length: WINDOW }, lane));
      await client.endAsync();
    }),
  );
  const tookS = (performance.now() - since) / 1000;
  // What follows from them is worked off too.
  await sleep(IDLE_MS);
  return {
    services: processorS(up) - before[0] - idle * (tookS + IDLE_MS / 1000),
    idle: idle * 60,
    databases: processorS(cluster.databases) - before[1],
    tookS,
  };
}

withCluster(
  { PEATMOOR_SIGN_UP: 'open', PEATMOOR_LOG: 'error', PEATMOOR_DEVICE_RATE: '0' },
  say,
  compare,
).then(
  () => process.exit(0),
  (error: Error) => {
    process.stderr.write(`${error.stack ?? error.message}\n`);
    process.exit(1);
  },
);
