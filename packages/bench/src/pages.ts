import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { connectAsync } from 'mqtt';
import { chromium, type Browser, type BrowserContext, type Page } from 'playwright-core';
import type { Widget } from '@peatmoor/core';
import type { Client, NewStream } from '@peatmoor/contract';
import { startMosquitto } from './baselines';
import { firstLoad } from './firstLoad';
import { median, pause, p99, stolenSince } from './measure';
import { ACCOUNT, signUp, startOurs } from './service';
import { yearInBrowser } from './yearChart';

const WIDGETS = 40;
const PER_SECOND = 10;
/** Boards beside it that nobody looks at, of ten values each, as often: a thousand readings a second come in all. */
const OTHERS = 6;
const LOOK_S = Number(process.env.PAGES_SECONDS ?? 10);
/** What is measured, with commas between, where it is not all: names of pages, `screen`, `first load`, `year`. */
const ONLY = process.env.PAGES_ONLY?.split(',');
const isWanted = (name: string): boolean => ONLY === undefined || ONLY.includes(name);
/** Reports whose way to the screen is timed, after so many that are not. */
const PROBES = 200;
const COLD = 3;
const say = (text: string): void => void process.stdout.write(`${text}\n`);
const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-pages-'));

/** What a page had to do in a time. */
interface Load {
  busy: number;
  longestMs: number;
}

await pages();

/**
 * What the console costs a browser: the main thread while forty values come ten times a second, the first load in bytes, and the
 * time to the first live value. Told by Chromium's own tracing.
 */
async function pages(): Promise<void> {
  const ours = await startOurs(folder);
  const stolen = stolenSince();
  const url = `http://127.0.0.1:${ours.httpPort}`;
  let browser: Browser | null = null;
  try {
    const { client } = await signUp(url);
    const { device, token, dashboard } = await prepare(client);
    browser = await chromium.launch({
      executablePath: '/usr/bin/chromium',
      args: ['--no-sandbox', '--disable-gpu', '--no-first-run', '--disable-background-networking'],
    });
    const context = await signedIn(browser, url);
    const sending = await send(ours.mqttPort, device, token);
    say(
      `| page, ${WIDGETS} values ${PER_SECOND} times a second | main thread busy | longest task | budget |`,
    );
    say('|---|---|---|---|');
    for (const [name, where] of [
      ['dashboard of 40 widgets', `/dashboards/${dashboard}`],
      ['arrivals', `/devices/${device}/arrivals`],
      ['device', `/devices/${device}/now`],
      ['overview', '/'],
    ] as const) {
      if (!isWanted(name)) continue;
      const page = await context.newPage();
      await page.goto(url + where);
      await pause(4000);
      const { busy, longestMs } = await traced(browser, page);
      say(
        `| ${name} | ${(busy * 100).toFixed(0)} % | ${longestMs.toFixed(0)} ms | 35 %, 50 ms: ${busy <= 0.35 && longestMs <= 50 ? 'reached' : 'falls short'} |`,
      );
      await page.close();
    }
    if (isWanted('screen')) {
      const others = await sendOthers(ours.mqttPort, client);
      const broker = await startMosquitto(folder);
      const beside = await throughBroker(broker.port);
      const { shown, told } = await untilShown(context, url, dashboard, client, beside.pass);
      beside.stop();
      others.stop();
      broker.stop();
      say(
        `\nFrom a report over HTTP to its value on the screen, a thousand readings a second beside it, 400 of them on the page: half within ${median(shown).toFixed(0)} ms, 99 of 100 within ${p99(shown).toFixed(0)} ms; through a broker alone, between the same reports, ${median(told).toFixed(1)} and ${p99(told).toFixed(1)} ms (aim: 20 ms more than that; it is ${(p99(shown) - p99(told)).toFixed(0)}).`,
      );
    }
    sending.stop();
    if (isWanted('first load')) await firstLoad(() => signedIn(browser!, url), url, dashboard, say);
    await ours.stop();
    if (isWanted('year'))
      await yearInBrowser(path.join(folder, 'year'), (there) => signedIn(browser!, there), say);
    say(
      `\nMeanwhile ${(stolen() * 100).toFixed(0)} % of the processors' time went to other machines of the host.`,
    );
  } finally {
    await browser?.close();
    await ours.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  }
}

async function signedIn(browser: Browser, url: string): Promise<BrowserContext> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  await context.request.post(`${url}/api/session`, {
    data: { email: ACCOUNT.email, password: ACCOUNT.password },
  });
  return context;
}

/** A device of forty datastreams with some history, and a dashboard of as many widgets of the usual sorts. */
async function prepare(client: Client): Promise<{ device: string; token: string; dashboard: number }> {
  const streams = Array.from({ length: WIDGETS }, (_, i) => ({
    key: `v${i}`,
    title: `Value ${i}`,
    type: 'number' as const,
    unit: 'mm',
    min: 0,
    max: 1000,
    decimals: 1,
  })) as NewStream[];
  const made = await client.call('createDevice', {
    body: { name: 'Mast', id: 'mast', newKind: { title: 'Mast', intervalS: 1, streams } } as never,
  });
  const types: Widget['type'][] = ['value', 'gauge', 'value', 'chart', 'lamp', 'value', 'gauge', 'value'];
  const widgets = streams.map(({ key }, i) => ({
    id: `w${i}`,
    type: types[i % types.length]!,
    title: '',
    sources: [{ device: 'mast', stream: key }],
    options: {},
    x: (i % 4) * 3,
    y: Math.floor(i / 4) * 4,
    w: 3,
    h: 4,
  }));
  const dashboard = await client.call('createDashboard', { body: { title: 'Mast', widgets } });
  return { device: 'mast', token: made.token, dashboard: dashboard.id };
}

/** Boards that nobody looks at. */
async function sendOthers(port: number, client: Client): Promise<{ stop(): void }> {
  const boards: { stop(): void }[] = [];
  for (let n = 0; n < OTHERS; n++) {
    const streams = Array.from({ length: 10 }, (_, i) => ({
      key: `v${i}`,
      title: `Value ${i}`,
      type: 'number',
    }));
    const { token } = await client.call('createDevice', {
      body: {
        name: `Beside ${n}`,
        id: `beside-${n}`,
        newKind: { title: `Beside ${n}`, intervalS: 1, streams },
      } as never,
    });
    boards.push(await send(port, `beside-${n}`, token, streams.length));
  }
  return { stop: () => boards.forEach((one) => one.stop()) };
}

/** So many values ten times a second, over MQTT. */
async function send(port: number, device: string, token: string, count = WIDGETS): Promise<{ stop(): void }> {
  const board = await connectAsync(`mqtt://127.0.0.1:${port}`, { username: device, password: token });
  let n = 0;
  const timer = setInterval(() => {
    n++;
    const values = Object.fromEntries(
      Array.from({ length: count }, (_, i) => [`v${i}`, 500 + 400 * Math.sin(n / 40 + i)]),
    );
    board.publish(`moor/${device}/report`, JSON.stringify(values), { qos: 1 });
  }, 1000 / PER_SECOND);
  return {
    stop() {
      clearInterval(timer);
      board.end(true);
    },
  };
}

/** Traces the main thread of a page for a while: how much of it was busy, and its longest task. */
async function traced(browser: Browser, page: Page): Promise<Load> {
  await browser.startTracing(page, {
    categories: ['toplevel', 'disabled-by-default-devtools.timeline', '__metadata'],
  });
  const start = performance.now();
  await pause(LOOK_S * 1000);
  const ms = performance.now() - start;
  const { traceEvents: events } = JSON.parse((await browser.stopTracing()).toString('utf8')) as {
    traceEvents: { name: string; dur?: number; tid: number; pid: number; args?: { name?: string } }[];
  };
  // The main thread with the most tasks is this page's: the others are at rest.
  const mains = events.filter(({ name, args }) => name === 'thread_name' && args?.name === 'CrRendererMain');
  const sum = (list: readonly number[]): number => list.reduce((total, one) => total + one, 0);
  const [tasks = []] = mains
    .map(({ pid, tid }) =>
      events.flatMap((one) =>
        one.name === 'RunTask' && one.pid === pid && one.tid === tid ? (one.dur ?? 0) / 1000 : [],
      ),
    )
    .sort((a, b) => sum(b) - sum(a));
  if (tasks.length === 0) throw new Error('the trace holds no task of any page');
  return { busy: sum(tasks) / ms, longestMs: Math.max(...tasks) };
}

/** How long values take from their reports until the frame with them is drawn, and between them messages through a broker alone, in ms. */
async function untilShown(
  context: BrowserContext,
  url: string,
  dashboard: number,
  client: Client,
  throughBrokerMs: () => Promise<number>,
): Promise<{ shown: number[]; told: number[] }> {
  const { token } = await client.call('createDevice', {
    body: {
      name: 'Probe',
      id: 'probe',
      newKind: { title: 'Probe', intervalS: 1, streams: [{ key: 'p', title: 'P', type: 'integer' }] },
    } as never,
  });
  const { version, widgets } = await client.call('readDashboard', { params: { dashboard } });
  await client.call('changeDashboard', {
    params: { dashboard },
    body: {
      version,
      title: 'Mast',
      widgets: [
        {
          id: 'p',
          type: 'value',
          title: 'Probe',
          sources: [{ device: 'probe', stream: 'p' }],
          options: {},
          x: 0,
          y: 0,
          w: 3,
          h: 2,
        },
        ...widgets.map((one) => ({ ...one, y: one.y + 2 })),
      ],
    },
  });
  const page = await context.newPage();
  await page.goto(`${url}/dashboards/${dashboard}`);
  // Until it has also fetched what it keeps for when the service is gone.
  await pause(8000);
  const behind = await clockBehind(page);
  const shown: number[] = [];
  const told: number[] = [];
  // The first ones find everything cold: the board's first report, and what the page has not run yet.
  for (let n = 1000 - COLD; n < 1000 + PROBES; n++) {
    const seen = page.evaluate<number>(
      `new Promise((resolve) => {
        const { port1, port2 } = new MessageChannel();
        port1.onmessage = () => resolve(performance.timeOrigin + performance.now());
        const look = () =>
          document.querySelector('[data-widget="value"]').textContent.includes('${n}') ? port2.postMessage(null) : requestAnimationFrame(look);
        look();
      })`,
    );
    const start = performance.timeOrigin + performance.now();
    await fetch(`${url}/device/report`, {
      method: 'POST',
      headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
      body: `{"p":${n}}`,
    });
    const ms = (await seen) + behind - start;
    // Slower than one figure is drawn anew.
    await pause(150);
    const brokerMs = await throughBrokerMs();
    await pause(150);
    if (n < 1000) continue;
    shown.push(ms);
    told.push(brokerMs);
  }
  await page.close();
  return { shown, told };
}

/** How far the clock of a page is behind that of this program, in ms: as told by the quickest of some answers. */
async function clockBehind(page: Page): Promise<number> {
  const here = (): number => performance.timeOrigin + performance.now();
  let best = { trip: Infinity, behind: 0 };
  for (let n = 0; n < 20; n++) {
    const asked = here();
    const there = await page.evaluate<number>('performance.timeOrigin + performance.now()');
    const trip = here() - asked;
    if (trip < best.trip) best = { trip, behind: asked + trip / 2 - there };
  }
  return best.behind;
}

/** A sender and a listener at a broker: how long a message takes from the one to the other, in ms. */
async function throughBroker(port: number): Promise<{ pass(): Promise<number>; stop(): void }> {
  const [sender, listener] = await Promise.all([
    connectAsync(`mqtt://127.0.0.1:${port}`),
    connectAsync(`mqtt://127.0.0.1:${port}`),
  ]);
  await listener.subscribeAsync('p', { qos: 1 });
  return {
    async pass() {
      const come = new Promise<void>((resolve) => listener.once('message', () => resolve()));
      const start = performance.now();
      sender.publish('p', '{"p":1}', { qos: 1 });
      await come;
      return performance.now() - start;
    },
    stop: () => void [sender, listener].map((one) => one.end(true)),
  };
}
