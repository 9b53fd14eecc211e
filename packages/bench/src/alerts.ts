import fs from 'node:fs';
import net from 'node:net';
import os from 'node:os';
import path from 'node:path';
import { beginTrial, CONDITION_NAMES, planOf, type ConditionSettings, type Datastream } from '@peatmoor/core';
import { createClient } from '@peatmoor/contract';
import { startHookCatcher, startPushCatcher } from '@peatmoor/standins';
import { connectAsync } from 'mqtt';
import { pause } from './measure';
import { makeSenders } from './rules';
import { report, signUp, startOurs } from './service';

/** Readings a second while crossings are measured, over so many devices, and how many crossings. */
const RATE = 1000;
const DEVICES = 50;
const CROSSINGS = Number(process.env.ALERT_CROSSINGS ?? 50);
const LANE_CROSSINGS = Math.min(20, CROSSINGS);
const DAYS_30 = (30 * 86_400) / 5;
const say = (text: string): void => void process.stdout.write(`${text}\n`);
const p = (sorted: readonly number[], part: number): number =>
  sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * part))] ?? 0;

stepCosts();
await crossings();
await lanes();

/** What the step function costs a sample, for each sort of condition, over thirty days at one reading per five seconds. */
function stepCosts(): void {
  const streams = [
    { key: 'level', title: 'Level', type: 'number', aliases: [], choices: [] },
  ] as unknown as Datastream[];
  const settings: ConditionSettings = {
    limit: 12,
    low: 1,
    high: 9,
    amount: 3,
    withinMs: 600_000,
    statistic: 'mean',
    side: 'above',
    spreads: 5,
    text: '4',
    expression: 'level > 12.0 && level < 15.0',
  };
  const times = Array.from({ length: DAYS_30 }, (_, n) => n * 5000);
  const values = times.map((at) => 10 * Math.sin(at / 5e6) + ((at / 5000) % 7));
  const lines: string[] = [];
  for (const sort of CONDITION_NAMES) {
    const ready = planOf(
      {
        conditions: [
          {
            sort,
            settings: { ...settings, comparison: sort } as ConditionSettings,
            stream: 'level',
            device: null,
          },
        ],
        join: 'all',
        holdMs: 60_000,
        closeHoldMs: 0,
        hours: null,
      },
      'Europe/London',
      () => streams,
    );
    if (
      ready?.inputs[0] === undefined ||
      typeof ready.inputs[0].of === 'string' ||
      ['contains', 'inside', 'beyond'].includes(sort)
    )
      continue;
    const { name } = ready.inputs[0];
    const trial = beginTrial(ready.plan, 0);
    const begin = performance.now();
    if (name === '') trial.takeColumns(times, values);
    else trial.take(times.map((at, i) => ({ part: 0, name, at, value: values[i]! })));
    trial.end(times.at(-1)!);
    const took = performance.now() - begin;
    lines.push(`${sort} ${((took * 1e6) / DAYS_30).toFixed(0)} ns (${took.toFixed(0)} ms)`);
  }
  say(`One step of a rule, by sort, over 30 days of 5-s readings (aim 3 s): ${lines.join(', ')}.`);
}

/** From a crossing that is answered to its alert at a webhook, while others report. */
async function crossings(): Promise<void> {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-alerts-'));
  const hook = await startHookCatcher();
  const ours = await startOurs(folder, { PEATMOOR_PRIVATE_ADDRESSES: 'allow' });
  try {
    const url = `http://127.0.0.1:${ours.httpPort}`;
    const { client } = await signUp(url);
    const boards = await makeSenders(client, 'Board', DEVICES);
    const webhooks = await Promise.all(
      Array.from({ length: CROSSINGS }, (_, n) =>
        client
          .call('createWebhook', { body: { title: `Hook ${n}`, url: `${hook.url}/${n}` } })
          .catch(() => null),
      ),
    );
    const { kindId } = await client.call('readDevice', { params: { device: boards[0]!.user } });
    const probe = await client.call('createDevice', { body: { name: 'Probe', kindId } });
    const made = webhooks.flatMap((one) => one ?? []);
    // A limit and a webhook for each crossing: no pace holds any of them back.
    for (const [n, { id }] of made.entries())
      await client.call('createRule', {
        body: {
          title: `Crossing ${n}`,
          deviceId: probe.device.id,
          stream: 'level',
          comparison: 'above',
          limit: 1_000_000 + n,
          webhooks: [id],
          mostAlerts: 60,
        },
      });
    const load = startLoad(url, boards);
    await pause(3000);
    const took: number[] = [];
    for (let n = 0; n < made.length; n++) {
      const before = Date.now();
      await report(url, probe.token, { level: 1_000_000 + n + 0.5 });
      for (let tries = 0; tries < 500; tries++) {
        const found = hook.hooks().find((one) => one.path === `/${n}`);
        if (found !== undefined) {
          took.push(found.at - before);
          break;
        }
        await pause(5);
      }
      await pause(100);
    }
    const rate = await load.stop();
    took.sort((a, b) => a - b);
    say(
      `From a crossing that is sent to its alert at a webhook, beside ${Math.round(rate)} readings a second of ${DEVICES} devices: half within ${p(took, 0.5)} ms, 99 of 100 within ${p(took, 0.99)} ms (aim 500), ${took.length} of ${made.length} told.`,
    );
  } finally {
    await ours.stop();
    await hook.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  }
}

/** Boards that send ten readings in a message; `stop` gives how many readings a second there were. */
function startLoad(url: string, boards: readonly { password: string }[]): { stop(): Promise<number> } {
  let running = true;
  let sent = 0;
  const began = performance.now();
  const all = boards.map(async ({ password }, i) => {
    const everyMs = (1000 * DEVICES * 10) / RATE;
    await pause((i * everyMs) / DEVICES);
    while (running) {
      const start = performance.now();
      const at = Date.now();
      await report(
        url,
        password,
        Array.from({ length: 10 }, (_, n) => ({ at: at - n, level: Math.round(start) % 500 })) as never,
      ).catch(() => undefined);
      sent += 10;
      await pause(Math.max(0, everyMs - (performance.now() - start)));
    }
  });
  return {
    async stop() {
      const rate = (sent / (performance.now() - began)) * 1000;
      running = false;
      await Promise.all(all);
      return rate;
    },
  };
}

/** A server that takes connections and says nothing on them. */
async function silent(): Promise<{ port: number; stop(): void }> {
  const sockets = new Set<net.Socket>();
  const server = net.createServer((socket) => {
    sockets.add(socket.resume());
    socket.on('error', () => undefined).on('close', () => sockets.delete(socket));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return {
    port: (server.address() as net.AddressInfo).port,
    stop() {
      for (const socket of sockets) socket.destroy();
      server.close();
    },
  };
}

/**
 * From a crossing that is sent to an urgent push and to its control, beside a mail server and two webhooks that take connections and
 * never answer, all of which have as much to send, and others' readings.
 */
async function lanes(): Promise<void> {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-lanes-'));
  const [mail, hook, push] = await Promise.all([silent(), silent(), startPushCatcher()]);
  const ours = await startOurs(folder, {
    PEATMOOR_PRIVATE_ADDRESSES: 'allow',
    PEATMOOR_SMTP_URL: `smtp://127.0.0.1:${mail.port}`,
  });
  try {
    const url = `http://127.0.0.1:${ours.httpPort}`;
    const { client } = await signUp(url);
    const boards = await makeSenders(client, 'Board', DEVICES);
    const probe = await client.call('createDevice', {
      body: {
        name: 'Probe',
        newKind: {
          title: 'Probe',
          streams: [
            { key: 'level', title: 'Level', type: 'number' },
            { key: 'gate', title: 'Gate', type: 'integer', direction: 'control' },
          ],
        },
      } as never,
    });
    const webhooks: number[] = [];
    for (const n of [1, 2])
      webhooks.push(
        (
          await client.call('createWebhook', {
            body: { title: `Silent ${n}`, url: `http://127.0.0.1:${hook.port}/${n}` },
          })
        ).id,
      );
    // Somebody of their own for each crossing: no pace holds any of them back.
    for (let n = 0; n < LANE_CROSSINGS; n++) {
      const { link } = await client.call('addPerson', { body: { name: `Person ${n}`, role: 'viewer' } });
      const jar = new Map<string, string>();
      const theirs = createClient({
        baseUrl: url,
        fetch: async (input, init) => {
          const cookie = [...jar].map(([name, value]) => `${name}=${value}`).join('; ');
          const answer = await fetch(input, {
            ...init,
            headers: { ...(init?.headers as object), 'sec-fetch-site': 'same-origin', cookie },
          });
          for (const set of answer.headers.getSetCookie()) {
            const [, name, value] = /^([^=]+)=([^;]*)/.exec(set)!;
            jar.set(name!, value!);
          }
          return answer;
        },
      });
      await theirs.call('join', {
        body: {
          secret: link.split('#')[1]!,
          password: 'cotton grass and reeds',
          email: `person${n}@quillmere.example`,
        },
      });
      await theirs.call('addPushPlace', { body: { name: `Phone ${n}`, ...push.subscribe(`${n}`) } });
      await client.call('createRule', {
        body: {
          title: `Crossing ${n}`,
          deviceId: probe.device.id,
          stream: 'level',
          comparison: 'above',
          limit: 1_000_000 + n,
          severity: 'urgent',
          people: [(await theirs.call('me')).user.id],
          webhooks,
          actions: [{ on: 'opened', stream: 'gate', value: String(n + 1) }],
        } as never,
      });
    }
    const wanted = new Map<string, number>();
    const board = await connectAsync(`mqtt://127.0.0.1:${ours.mqttPort}`, {
      username: probe.device.id,
      password: probe.token,
      clientId: 'probe',
    });
    board.on('message', (_topic, value) => wanted.set(String(value), Date.now()));
    await board.subscribeAsync(`moor/${probe.device.id}/wanted/gate`, { qos: 1 });
    const load = startLoad(url, boards);
    await pause(3000);
    const toPush: number[] = [];
    const toControl: number[] = [];
    for (let n = 0; n < LANE_CROSSINGS; n++) {
      const before = Date.now();
      await report(url, probe.token, { level: 1_000_000 + n + 0.5 });
      const end = before + 20_000;
      const pushAt = (): number | undefined => push.pushes().find(({ phone }) => phone === `${n}`)?.at;
      const wantedAt = (): number | undefined => wanted.get(String(n + 1));
      while (Date.now() < end && (pushAt() === undefined || wantedAt() === undefined)) await pause(5);
      toPush.push((pushAt() ?? end) - before);
      toControl.push((wantedAt() ?? end) - before);
      await pause(500);
    }
    const rate = await load.stop();
    board.end(true);
    if (process.env.LANES_EACH === '1') say(`push ${toPush.join(' ')}; control ${toControl.join(' ')}`);
    const told = (list: number[]): string => {
      list.sort((a, b) => a - b);
      return `half within ${p(list, 0.5)} ms, all within ${list.at(-1)} ms`;
    };
    say(
      `With a mail server and two webhooks that never answer, beside ${Math.round(rate)} readings a second: an urgent push ${told(toPush)}; a control ${told(toControl)} (aim 1000; ${LANE_CROSSINGS} crossings).`,
    );
  } finally {
    await ours.stop();
    mail.stop();
    hook.stop();
    await push.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  }
}
