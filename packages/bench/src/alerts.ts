import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { beginTrial, CONDITION_NAMES, planOf, type ConditionSettings, type Datastream } from '@peatmoor/core';
import { startHookCatcher } from '@peatmoor/standins';
import { pause } from './measure';
import { makeSenders } from './rules';
import { report, signUp, startOurs } from './service';

/** Readings a second while crossings are measured, over so many devices, and how many crossings. */
const RATE = 1000;
const DEVICES = 50;
const CROSSINGS = Number(process.env.ALERT_CROSSINGS ?? 50);
const DAYS_30 = (30 * 86_400) / 5;
const say = (text: string): void => void process.stdout.write(`${text}\n`);
const p = (sorted: readonly number[], part: number): number =>
  sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * part))] ?? 0;

stepCosts();
await crossings();

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
    let running = true;
    let sent = 0;
    const began = performance.now();
    // Each board sends ten readings in a message, twenty messages a second all told for every hundred readings.
    const load = boards.map(async ({ password }, i) => {
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
    const rate = (sent / (performance.now() - began)) * 1000;
    running = false;
    await Promise.all(load);
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
