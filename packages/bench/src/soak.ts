import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { connectAsync, type MqttClient } from 'mqtt';
import { WebSocket } from 'ws';
import { LIVE_PATH } from '@peatmoor/contract';
import { findAll } from './found';
import type { Sender } from './generator';
import { p99, pause } from './measure';
import { FIRST_VALUE } from './payloads';
import { makeSenders } from './rules';
import { residentMb, signUp, startOurs } from './service';

const MINUTES = Number(process.env.SOAK_MINUTES ?? 60);
const DEVICES = 40;
const EVERY_MS = 1000;
const FAULT_MS = Number(process.env.SOAK_FAULT_MS ?? 60_000);
const SAMPLE_MS = 10_000;
/** What may be logged while the database is killed, connections are cut and nonsense is sent. */
const DECLARED = [
  /the journal can(not)? be written/,
  /the database server ended by itself/,
  /a reader of the journal waits/,
  /folding waits/,
  /a call failed/,
  /a device could not be (admitted|answered)/,
  /a publish could not be taken/,
  /lines were left out/,
  /could not be written down/,
  /is looked at (again )?later/,
];
const say = (text: string): void => void process.stdout.write(`${text}\n`);

interface Sample {
  minute: number;
  resident: number;
  heap: number;
  files: number;
}

/** Mixed load for long, with faults: whether memory and files stay level, all acknowledged is kept, and nothing unknown is logged. */
async function soak(): Promise<void> {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-soak-'));
  const lines = new Map<string, number>();
  const ours = await startOurs(folder, {}, undefined, (line) => {
    if (!line.startsWith('{"level"')) return;
    const { msg = '' } = JSON.parse(line) as { msg?: string };
    lines.set(msg, (lines.get(msg) ?? 0) + 1);
  });
  const url = `http://127.0.0.1:${ours.httpPort}`;
  try {
    const { client, key } = await signUp(url);
    const senders = await makeSenders(client, 'Board', DEVICES);
    const kindId = (await client.call('listKinds'))[0]!.id;
    await client.call('createRule', {
      body: { title: 'Crossing', kindId, stream: 'level', comparison: 'above', limit: FIRST_VALUE + 100 },
    });
    let running = true;
    const isRunning = (): boolean => running;
    const took: number[] = [];
    const clients = new Map<string, MqttClient>();
    const work = senders.map((sender, i) =>
      i % 2 === 0
        ? byMqtt(sender, ours.mqttPort, clients, isRunning, took)
        : byHttp(sender, url, isRunning, took),
    );
    const pages = [page(url, key, isRunning), page(url, key, isRunning), page(url, key, isRunning)];
    const samples: Sample[] = [];
    const begun = performance.now();
    const elapsed = (): number => performance.now() - begun;
    let faults = 0;
    let nextFault = FAULT_MS;
    while (elapsed() < MINUTES * 60_000) {
      await pause(SAMPLE_MS);
      const metrics = await (await fetch(`${url}/metrics`).catch(() => null))?.text();
      samples.push({
        minute: elapsed() / 60_000,
        resident: residentMb(ours.pid),
        heap: Number(/^nodejs_heap_size_used_bytes (\d\S*)/m.exec(metrics ?? '')?.[1] ?? NaN) / 2 ** 20,
        files: fs.readdirSync(`/proc/${ours.pid}/fd`).length,
      });
      if (elapsed() < nextFault || elapsed() > MINUTES * 60_000 - FAULT_MS) continue;
      nextFault += FAULT_MS;
      await FAULTS[faults++ % FAULTS.length]!({ folder, url, senders, clients, pid: ours.pid });
    }
    running = false;
    await Promise.all([...work, ...pages]);
    const { acknowledged } = await findAll(url, `Bearer ${key}`, senders);
    // The first part is warming up.
    const later = samples.slice(Math.floor(samples.length / 4));
    say(`${MINUTES} minutes, ${faults} faults, ${acknowledged} readings acknowledged, all of them found`);
    say(
      `answers p99 ${p99(took).toFixed(0)} ms, the longest ${took.reduce((most, one) => Math.max(most, one), 0).toFixed(0)} ms`,
    );
    for (const [name, of] of [
      ['resident memory, MB', (one: Sample) => one.resident],
      ['heap, MB', (one: Sample) => one.heap],
      ['open files', (one: Sample) => one.files],
    ] as const) {
      const known = later.filter((one) => Number.isFinite(of(one)));
      say(
        `${name}: ${of(known[0]!).toFixed(0)} to ${of(known.at(-1)!).toFixed(0)}, at most ${Math.max(...known.map(of)).toFixed(0)}; slope ${slope(known, of).toFixed(2)} an hour`,
      );
    }
    const unknown = [...lines].filter(([message]) => !DECLARED.some((one) => one.test(message)));
    say(
      unknown.length === 0
        ? `log: ${[...lines.values()].reduce((sum, count) => sum + count, 0)} lines, all of them declared`
        : `log: NOT DECLARED: ${unknown.map(([message, count]) => `${count} × ${message}`).join('; ')}`,
    );
  } finally {
    await ours.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  }
}

/** The slope of a line through samples (least squares), an hour. */
function slope(samples: readonly Sample[], of: (sample: Sample) => number): number {
  const mean = (values: readonly number[]): number =>
    values.reduce((sum, one) => sum + one, 0) / values.length;
  const at = mean(samples.map(({ minute }) => minute));
  const value = mean(samples.map(of));
  const across = samples.reduce((sum, one) => sum + (one.minute - at) * (of(one) - value), 0);
  return (60 * across) / samples.reduce((sum, { minute }) => sum + (minute - at) ** 2, 0);
}

/** The next value of a sender, noted as one whose outcome is open. */
function nextOf(sender: Sender): [number: number, body: { at: number; level: number }] {
  const number = sender.next++;
  sender.open.add(number);
  return [number, { at: Date.now(), level: FIRST_VALUE + number }];
}

async function byHttp(sender: Sender, url: string, running: () => boolean, took: number[]): Promise<void> {
  while (running()) {
    const since = performance.now();
    const [number, body] = nextOf(sender);
    const status = await fetch(`${url}/device/report`, {
      method: 'POST',
      headers: { authorization: `Bearer ${sender.password}`, 'content-type': 'application/json' },
      body: JSON.stringify(body),
      signal: AbortSignal.timeout(30_000),
    }).then(
      async (response) => (await response.arrayBuffer(), response.status),
      () => 0,
    );
    if (status === 200) sender.open.delete(number);
    took.push(performance.now() - since);
    await pause(Math.max(0, EVERY_MS - (performance.now() - since)));
  }
}

async function byMqtt(
  sender: Sender,
  port: number,
  clients: Map<string, MqttClient>,
  running: () => boolean,
  took: number[],
): Promise<void> {
  const { user, password, topic } = sender;
  while (running()) {
    const client = await connectAsync(
      `mqtt://127.0.0.1:${port}`,
      { username: user, password, reconnectPeriod: 0, connectTimeout: 5000 },
      false,
    ).catch(() => null);
    if (client === null) {
      await pause(500);
      continue;
    }
    clients.set(user, client);
    client.on('error', () => undefined);
    await client.subscribeAsync(`moor/${user}/wanted/#`, { qos: 1 }).catch(() => undefined);
    while (running() && client.connected) {
      const since = performance.now();
      const [number, body] = nextOf(sender);
      const done = await Promise.race([
        client.publishAsync(topic, JSON.stringify(body), { qos: 1 }).then(
          () => true,
          () => false,
        ),
        pause(30_000).then(() => false),
      ]);
      if (done) sender.open.delete(number);
      took.push(performance.now() - since);
      await pause(Math.max(0, EVERY_MS - (performance.now() - since)));
    }
    await client.endAsync(true).catch(() => undefined);
  }
}

/** An open page that hears of everything, and comes again where it was cut off. */
async function page(url: string, key: string, running: () => boolean): Promise<void> {
  while (running()) {
    const socket = new WebSocket(url.replace('http', 'ws') + LIVE_PATH, {
      headers: { authorization: `Bearer ${key}` },
    });
    socket.on('error', () => undefined);
    socket.on('open', () => socket.send(JSON.stringify({ type: 'watch', devices: 'all', arrivals: 'all' })));
    while (running() && socket.readyState <= WebSocket.OPEN) await pause(200);
    socket.terminate();
  }
}

interface Faulty {
  folder: string;
  url: string;
  senders: readonly Sender[];
  clients: Map<string, MqttClient>;
  pid: number;
}

/** What goes wrong, one after the other. */
const FAULTS: ((parts: Faulty) => Promise<void>)[] = [
  // The database dies.
  async ({ folder }) => {
    process.kill(Number(fs.readFileSync(path.join(folder, 'mariadb', 'server.pid'), 'utf8')), 'SIGKILL');
    await pause(0);
  },
  // Every connection of a board is cut.
  async ({ clients }) => {
    for (const client of clients.values()) client.stream.destroy();
    await pause(0);
  },
  // Nonsense of every sort, from boards that are known.
  async ({ url, senders }) => {
    const bodies = [
      '{',
      '[]',
      '{"level":"x"}',
      '{"a":'.repeat(500),
      '\u0000',
      `{"level":${'9'.repeat(400)}}`,
    ];
    for (const { password } of senders)
      for (const body of bodies)
        await fetch(`${url}/device/report`, {
          method: 'POST',
          headers: { authorization: `Bearer ${password}`, 'content-type': 'application/json' },
          body,
        }).then(
          (response) => response.arrayBuffer(),
          () => undefined,
        );
  },
  // The service stands still for five seconds.
  async ({ pid }) => {
    process.kill(pid, 'SIGSTOP');
    await pause(5000);
    process.kill(pid, 'SIGCONT');
  },
  // Hundreds of connections that say nothing.
  async ({ url }) => {
    const idle = Array.from({ length: 300 }, () => new AbortController());
    const all = idle.map(({ signal }) =>
      fetch(`${url}/device/wanted?wait=30`, { signal, headers: { authorization: 'Bearer nothing' } }).catch(
        () => undefined,
      ),
    );
    await pause(2000);
    for (const one of idle) one.abort();
    await Promise.all(all);
  },
];

await soak();
