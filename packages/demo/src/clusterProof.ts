import { spawnSync } from 'node:child_process';
import { setTimeout as sleep } from 'node:timers/promises';
import { counted } from '@peatmoor/core';
import type { Client } from '@peatmoor/contract';
import { startHookCatcher, type HookCatcher } from '@peatmoor/standins';
import { makePosts, newAccount } from './cluster/account';
import { seeded, shuffled } from './cluster/checker';
import type { Cluster } from './cluster/cluster';
import { connectBoard, startLoad, within } from './cluster/load';
import { lookAtAlerts, lookAtEvents, lookUp, type Crossing } from './cluster/lookUp';
import { startOnceOnly } from './cluster/onceOnly';
import { inOwnNetwork } from './cluster/ownNetwork';
import { openPage } from './cluster/page';
import { watchStillness } from './cluster/stillness';
import { startSteering } from './cluster/steering';
import { PLACES, withCluster } from './cluster/temporary';
import { unpackPrograms } from './cluster/unpack';

/** How often each fault comes: `PROOF_SHORT=1` for a few of each. */
const short = process.env.PROOF_SHORT === '1';
const ROUNDS = short
  ? { service: 3, database: 2, bus: 1, paused: 2, split: 1, still: 1, dropped: 1, clock: 2, power: 1 }
  : { service: 20, database: 10, bus: 5, paused: 8, split: 3, still: 5, dropped: 5, clock: 6, power: 2 };
/** Faults come in an order that this number determines, with victims and lengths of it too; it is said, so that a run can be made again. */
const SEED = Number(process.env.PROOF_SEED ?? Math.floor(Math.random() * 1e6));
const random = seeded(SEED);
const oneOf = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)]!;
/** Power cuts, where another number is wanted. */
ROUNDS.power = Number(process.env.PROOF_POWER ?? ROUNDS.power);
const DEVICES = Number(process.env.PROOF_DEVICES ?? 200);
/** Beside them: devices whose crossings are counted; they send again until they are acknowledged. */
const CROSSING = 4;
/** Devices that send with QoS 2, in packets of their own. */
const ONCE = 4;
/** An hour has sixty alerts of one rule at the most, and each crossing makes two. */
const CROSSING_MS = short ? 12_000 : 60_000;

const say = (text: string): void => void process.stdout.write(`${text}\n`);

async function prove(cluster: Cluster, hooks: HookCatcher, url: string): Promise<boolean> {
  const { client, key } = await newAccount(url);
  const devices = await makePosts(client, DEVICES + CROSSING + 1 + ONCE, [
    { key: 'gate', title: 'Gate', type: 'boolean', direction: 'control' },
    { key: 'opening', title: 'Opening', type: 'integer', direction: 'control' },
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
  const onceOnly = startOnceOnly(devices.slice(DEVICES + CROSSING + 1), cluster.mqttPort);
  const wishes = startSteering(cluster, key, devices[0]!.id, seeded(SEED + 1));
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
      `  ${what}: page right after ${(behind.at(-1)! / 1000).toFixed(1)} s, a command applied in ${(commands.at(-1)! / 1000).toFixed(1)} s; nothing acknowledged for ${(load.longestGap() / 1000).toFixed(1)} s at the most, ${load.acknowledged()} in all`,
    );
  };
  const faults: [name: string, rounds: number, work: () => Promise<void>][] = [
    ['a service killed', ROUNDS.service, () => again(oneOf(cluster.services))],
    ['a database node killed', ROUNDS.database, () => again(oneOf(cluster.databases))],
    ['the bus killed', ROUNDS.bus, () => again(cluster.bus, 3000)],
    ['a service paused', ROUNDS.paused, () => pause(oneOf(cluster.services), 2000 + random() * 20_000)],
    ['a database node that stands still', ROUNDS.still, () => pause(oneOf(cluster.databases), 15_000)],
    ['packets to a database node dropped', ROUNDS.dropped, () => drop(cluster, oneOf([0, 1, 2]))],
    ['the clock of a service minutes off', ROUNDS.clock, () => shift(cluster, oneOf([0, 1, 2]))],
    ['a database node split off', ROUNDS.split, () => split(cluster, oneOf([0, 1, 2]))],
    ['everything cut off as by a power cut', ROUNDS.power, () => powerCut(cluster, oneOf([0, 1, 2]))],
  ];
  const only = process.env.PROOF_ONLY ?? '';
  const planned = faults
    .filter(([one]) => one.includes(only))
    .flatMap(([name, rounds, work]) =>
      Array.from({ length: Number(process.env.PROOF_ROUNDS ?? rounds) }, (_, i) => ({
        name: `${name} ${i + 1}`,
        work,
      })),
    );
  say(`${counted(planned.length, 'fault')}, in the order of the seed ${SEED} (PROOF_SEED)`);
  for (const { name, work } of shuffled(planned, random)) {
    load.longestGap();
    const stillness = watchStillness(cluster, load);
    await work();
    await after(name);
    // What is cut off from everything waits for everything.
    if (!name.startsWith('everything')) for (const line of stillness.stop()) say(`    ${line}`);
    else stillness.stop();
    await sleep(1000);
  }
  await load.stop();
  await onceOnly.stop();
  const wanted = await wishes.stop();
  const highs: Crossing[] = [];
  for (const one of crossing) highs.push(await one.stop());
  await board.stop();
  page.stop();
  await sleep(8000);
  const problems = [
    ...(await lookUp(client, [...load.sent, ...onceOnly.sent])),
    ...wanted.problems,
    ...(await lookAtEvents(client, highs)),
    ...(await lookAtAlerts(cluster, caught, collect, say)),
  ];
  clearInterval(collecting);
  const readings = load.sent.reduce((sum, { kept }) => sum + kept.size, 0);
  const unknown = load.sent.reduce((sum, one) => sum + one.unknown.size, 0);
  say(`
${counted(readings, 'reading')} acknowledged, ${unknown} without an answer, ${load.turnedAway()} turned away.
${onceOnly.sent.reduce((sum, { kept }) => sum + kept.size, 0)} messages of QoS 2; ${wanted.wishes.length} wishes at three services, ${wanted.wishes.filter(({ outcome }) => outcome === 'taken').length} taken, ${wanted.wishes.filter(({ outcome }) => outcome === 'refused').length} refused as too late.
${highs.reduce((sum, one) => sum + one.highs.length, 0)} crossings, ${caught.size} messages to the webhook, ${[...caught.values()].filter((n) => n > 1).length} of them twice.
Pages right again after ${median(behind)} s (half of the times), ${longest(behind)} s at the most; commands applied in ${median(commands)} s, ${longest(commands)} s.
${problems.length === 0 ? 'Nothing lost, nothing doubled, nothing older after newer.' : `${problems.join('\n')}\nThe seed was ${SEED}.`}`);
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

async function pause(one: Cluster['services'][number], ms: number): Promise<void> {
  one.signal('SIGSTOP');
  await sleep(ms);
  one.signal('SIGCONT');
  await sleep(2000);
}

/** The network says nothing and brings nothing to a database node: neither an answer nor an end. */
async function drop(cluster: Cluster, index: number): Promise<void> {
  const route = (what: 'add' | 'del'): void => {
    const made = spawnSync('ip', [
      'route',
      what,
      'blackhole',
      `${cluster.databaseHosts[index]!}/32`,
      'table',
      'local',
    ]);
    if (made.status !== 0) throw new Error(`ip route ${what}: ${made.stderr.toString()}`);
  };
  // Where it is not a network of its own, nothing is dropped: the node stands still instead.
  if (process.env.PROOF_OWN_NETWORK !== '1') return pause(cluster.databases[index]!, 15_000);
  route('add');
  await sleep(15_000);
  route('del');
  await sleep(10_000);
}

/** A clock is minutes ahead or behind for a while, and right again. */
async function shift(cluster: Cluster, index: number): Promise<void> {
  cluster.shiftClock(index, (random() < 0.5 ? -1 : 1) * (60_000 + random() * 240_000));
  await sleep(15_000);
  cluster.shiftClock(index, 0);
  await sleep(4000);
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
  // A node that gives its data to another just then says no.
  for (const end = Date.now() + 60_000; ; await sleep(1000))
    try {
      await connection.query('SET GLOBAL wsrep_desync = ON');
      break;
    } catch (error) {
      if (Date.now() > end) throw error;
    }
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

// Before the network is one that reaches nobody.
unpackPrograms(PLACES.programs, say);
await inOwnNetwork();
const hooks = await startHookCatcher();
withCluster(
  { PEATMOOR_PRIVATE_ADDRESSES: 'allow', PEATMOOR_SIGN_UP: 'open', PEATMOOR_LOG: 'warn' },
  say,
  (cluster, url) => prove(cluster, hooks, url),
  { apart: true, shiftsClocks: true },
).then(
  (isWell) => process.exit(isWell ? 0 : 1),
  (error: Error) => {
    process.stderr.write(`${error.stack ?? error.message}\n`);
    process.exit(1);
  },
);
