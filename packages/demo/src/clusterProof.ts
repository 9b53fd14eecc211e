import { setTimeout as sleep } from 'node:timers/promises';
import { counted } from '@peatmoor/core';
import type { Client } from '@peatmoor/contract';
import { startHookCatcher, type HookCatcher } from '@peatmoor/standins';
import { makePosts, newAccount } from './cluster/account';
import type { Cluster } from './cluster/cluster';
import { connectBoard, startLoad, within } from './cluster/load';
import { lookAtAlerts, lookAtEvents, lookUp, type Crossing } from './cluster/lookUp';
import { openPage } from './cluster/page';
import { withCluster } from './cluster/temporary';

/** How often each fault comes: `PROOF_SHORT=1` for a few of each. */
const short = process.env.PROOF_SHORT === '1';
const ROUNDS = short
  ? { service: 3, database: 2, bus: 1, paused: 1, split: 1, power: 1 }
  : { service: 20, database: 10, bus: 5, paused: 5, split: 3, power: 2 };
/** Power cuts, where another number is wanted. */
ROUNDS.power = Number(process.env.PROOF_POWER ?? ROUNDS.power);
const DEVICES = Number(process.env.PROOF_DEVICES ?? 200);
/** Beside them: devices whose crossings are counted; they send again until they are acknowledged. */
const CROSSING = 4;
/** An hour has sixty alerts of one rule at the most, and each crossing makes two. */
const CROSSING_MS = short ? 12_000 : 60_000;

const say = (text: string): void => void process.stdout.write(`${text}\n`);

async function prove(cluster: Cluster, hooks: HookCatcher, url: string): Promise<boolean> {
  const { client, key } = await newAccount(url);
  const devices = await makePosts(client, DEVICES + CROSSING + 1, [
    { key: 'gate', title: 'Gate', type: 'boolean', direction: 'control' },
  ]);
  const crossers = devices.slice(DEVICES, DEVICES + CROSSING);
  const steered = devices[DEVICES + CROSSING]!;
  const hook = await client.call('createWebhook', {
    body: { title: 'caught', url: hooks.url, template: '' },
  });
  for (const { id } of crossers)
    await client.call('createRule', {
      body: {
        title: `High ${id}`,
        deviceId: id,
        stream: 'level',
        comparison: 'above',
        limit: 100,
        webhooks: [hook.id],
        mostAlerts: 60,
      },
    });
  const caught = new Map<string, number>();
  const collect = (): void => {
    for (const { headers } of hooks.hooks()) {
      const id = String(headers['webhook-id']);
      caught.set(id, (caught.get(id) ?? 0) + 1);
    }
    (hooks.hooks() as unknown[]).length = 0;
  };
  const collecting = setInterval(collect, 500);

  const load = startLoad(devices.slice(0, DEVICES), cluster);
  const page = openPage(url, key, devices[1]!.id);
  const crossing = crossers.map(({ id, token }) => cross(url, id, token));
  const board = steer(cluster.mqttPort, steered.id, steered.token);
  await sleep(5000);

  const commands: number[] = [];
  const behind: number[] = [];
  const after = async (what: string): Promise<void> => {
    const since = performance.now();
    await page.rightWithin(60_000, load.sent[1]!);
    behind.push(performance.now() - since);
    const started = performance.now();
    await obeyed(client, steered.id);
    commands.push(performance.now() - started);
    say(
      `  ${what}: page right after ${(behind.at(-1)! / 1000).toFixed(1)} s, a command applied in ${(commands.at(-1)! / 1000).toFixed(1)} s; ${load.acknowledged()} acknowledged`,
    );
  };
  const faults: [name: string, rounds: number, work: (round: number) => Promise<void>][] = [
    ['a service killed', ROUNDS.service, (i) => again(cluster.services[i % 3]!)],
    ['a database node killed', ROUNDS.database, (i) => again(cluster.databases[i % 3]!)],
    ['the bus killed', ROUNDS.bus, () => again(cluster.bus, 3000)],
    ['a service paused for 20 s', ROUNDS.paused, (i) => pause(cluster.services[i % 3]!)],
    ['a database node split off', ROUNDS.split, (i) => split(cluster, i % 3)],
    ['everything cut off as by a power cut', ROUNDS.power, (i) => powerCut(cluster, i % 3)],
  ];
  const only = process.env.PROOF_ONLY ?? '';
  for (const [name, rounds, work] of faults.filter(([one]) => one.includes(only))) {
    say(`${name} × ${rounds}`);
    for (let round = 0; round < rounds; round++) {
      await work(round);
      await after(`${name} ${round + 1}`);
      await sleep(1000);
    }
  }
  await load.stop();
  const highs: Crossing[] = [];
  for (const one of crossing) highs.push(await one.stop());
  await board.stop();
  page.stop();
  await sleep(8000);
  const problems = [
    ...(await lookUp(client, load.sent)),
    ...(await lookAtEvents(client, highs)),
    ...(await lookAtAlerts(cluster, caught, collect, say)),
  ];
  clearInterval(collecting);
  const readings = load.sent.reduce((sum, { kept }) => sum + kept.size, 0);
  const unknown = load.sent.reduce((sum, one) => sum + one.unknown.size, 0);
  say(`
${counted(readings, 'reading')} acknowledged, ${unknown} without an answer, ${load.turnedAway()} turned away.
${highs.reduce((sum, one) => sum + one.highs.length, 0)} crossings, ${caught.size} messages to the webhook, ${[...caught.values()].filter((n) => n > 1).length} of them twice.
Pages right again after ${median(behind)} s (half of the times), ${longest(behind)} s at the most; commands applied in ${median(commands)} s, ${longest(commands)} s.
${problems.length === 0 ? 'Nothing lost, nothing doubled.' : problems.join('\n')}`);
  return problems.length === 0;
}

const median = (list: number[]): string =>
  ([...list].sort((a, b) => a - b)[list.length >> 1]! / 1000).toFixed(1);
const longest = (list: number[]): string => (Math.max(...list) / 1000).toFixed(1);

/** Killed, and started again a moment later. */
async function again(one: Cluster['services'][number], restMs = 1500): Promise<void> {
  await one.kill();
  await sleep(restMs);
  await one.start();
}

async function pause(one: Cluster['services'][number]): Promise<void> {
  one.signal('SIGSTOP');
  await sleep(20_000);
  one.signal('SIGCONT');
  await sleep(2000);
}

/** A database node hears nobody for a while. */
async function split(cluster: Cluster, index: number): Promise<void> {
  const connection = await cluster.connect(index);
  try {
    await connection.query("SET GLOBAL wsrep_provider_options = 'gmcast.isolate=1'");
    await sleep(15_000);
    await connection.query("SET GLOBAL wsrep_provider_options = 'gmcast.isolate=0'");
  } finally {
    await connection.end();
  }
  await sleep(8000);
}

/** All at once, while one database node is behind the others: it must not be the one that begins anew. */
async function powerCut(cluster: Cluster, index: number): Promise<void> {
  const connection = await cluster.connect(index);
  // It ends with its database.
  connection.on('error', () => undefined);
  await connection.query('SET GLOBAL wsrep_desync = ON');
  await connection.query('FLUSH TABLES WITH READ LOCK');
  await sleep(2000);
  await Promise.all(
    [cluster.balancer, ...cluster.services, cluster.bus, ...cluster.databases].map((one) => one.kill()),
  );
  connection.destroy();
  await cluster.start();
}

/** A device that crosses its limit again and again, with times of its own, and sends each reading until it is acknowledged. */
function cross(url: string, id: string, token: string): { stop(): Promise<Crossing> } {
  let stopped = false;
  const highs: number[] = [];
  const send = async (at: number, level: number): Promise<void> => {
    for (;;)
      try {
        const answer = await fetch(`${url}/device/report`, {
          method: 'POST',
          headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
          body: JSON.stringify({ at, level }),
          signal: AbortSignal.timeout(8000),
        });
        await answer.arrayBuffer();
        if (answer.status === 200) return;
        await sleep(300);
      } catch {
        await sleep(300);
      }
  };
  const loop = (async () => {
    while (!stopped) {
      const at = Date.now();
      await send(at, 200);
      highs.push(at);
      await send(at + 1, 0);
      for (let waited = 0; waited < CROSSING_MS && !stopped; waited += 200) await sleep(200);
    }
  })();
  return {
    async stop() {
      stopped = true;
      await loop;
      return { id, highs };
    },
  };
}

/** A board that does what is wanted, wherever it is connected. */
function steer(port: number, id: string, token: string): { stop(): Promise<void> } {
  let stopped = false;
  const loop = (async () => {
    while (!stopped) {
      try {
        const client = await connectBoard(port, id, token);
        client.on('message', (topic, payload) => {
          const name = topic.split('/').at(-1)!;
          client.publish(`moor/${id}/applied/${name}`, payload, { qos: 1 });
        });
        await within(4000, client.subscribeAsync(`moor/${id}/wanted/#`, { qos: 1 }));
        while (!stopped && client.connected) await sleep(100);
        client.end(true);
      } catch {
        await sleep(300);
      }
    }
  })();
  return {
    async stop() {
      stopped = true;
      await loop;
    },
  };
}

async function obeyed(client: Client, device: string): Promise<void> {
  const until = performance.now() + 60_000;
  const patiently = async <T>(work: () => Promise<T>): Promise<T> => {
    for (;;)
      try {
        return await within(8000, work());
      } catch (error) {
        if (performance.now() > until) throw error;
        await sleep(300);
      }
  };
  const { id } = await patiently(() =>
    client.call('createCommand', { params: { device }, body: { stream: 'gate', value: true } }),
  );
  while (
    (await patiently(() => client.call('readCommand', { params: { command: String(id) } }))).state !==
    'applied'
  ) {
    if (performance.now() > until) throw new Error('a command was not applied within a minute');
    await sleep(100);
  }
}

const hooks = await startHookCatcher();
withCluster(
  { PEATMOOR_PRIVATE_ADDRESSES: 'allow', PEATMOOR_SIGN_UP: 'open', PEATMOOR_LOG: 'warn' },
  say,
  (cluster, url) => prove(cluster, hooks, url),
).then(
  (isWell) => process.exit(isWell ? 0 : 1),
  (error: Error) => {
    process.stderr.write(`${error.stack ?? error.message}\n`);
    process.exit(1);
  },
);
