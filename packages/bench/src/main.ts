import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { createClient, type Client } from '@peatmoor/contract';
import { createAccount, createLog, readConfig, startService } from '@peatmoor/server';
import { serveBareHttp, startBareHttp, startMosquitto } from './baselines';
import { batchLoad, rowLoad } from './batches';
import { addRules, makeSenders } from './rules';
import { findAll } from './found';
import { httpLoad, mqttLoad, type Loaded, type Sender } from './generator';
import { bytesAtRest, envelopeTimes, fileBytes, fillHistories } from './history';
import { foldingPicture, foldingUnderLoad } from './folding';
import { median, pause, toRow, type Comparison } from './measure';
import { databaseOf, residentMb, startOurs } from './service';

const ACCOUNT = {
  email: 'bench@quillmere.example',
  password: 'only for measuring',
  name: 'Bench',
  workspace: 'Bench',
};
const folderOfConsole = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '../../console/dist');
/** Rounds of each comparison; 0 leaves them out. */
const ROUNDS = Number(process.env.BENCH_ROUNDS ?? 7);
const MS = Number(process.env.BENCH_MS ?? 2500);
const FOLDING_MINUTES = Number(process.env.BENCH_FOLDING_MINUTES ?? 10);
/** Where the picture of folding under load goes. */
const PICTURE = process.env.BENCH_PICTURE ?? path.join(os.tmpdir(), 'peatmoor-folding.svg');
/** Active event rules while everything is measured. */
const RULES = Number(process.env.BENCH_RULES ?? 10_000);
/** Only comparisons with this in their name. */
const ONLY = process.env.BENCH_ONLY ?? '';
const say = (text: string): void => void process.stdout.write(`${text}\n`);

if (process.argv[2] === '--bare-http') serveBareHttp(Number(process.argv[3]));
else await bench();

/** One comparison: who sends, and how ours and the baseline are loaded. */
interface Run {
  name: string;
  budget: number;
  senders: Sender[];
  ours(): Promise<Loaded>;
  theirs(): Promise<Loaded>;
}

async function bench(): Promise<void> {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-bench-'));
  say(
    `Machine: ${os.cpus().length} × ${os.cpus()[0]?.model.trim()}, ${Math.round(os.totalmem() / 2 ** 30)} GiB, Node ${process.version}, ${os.type()} ${os.release()}`,
  );
  say(
    `${ROUNDS} rounds of ${MS} ms each, ours and the baseline in turn; service, database and load share the machine.\n`,
  );
  say('Making ten years, a year and a month of history …');
  const dataFolder = path.join(folder, 'data');
  const { bytes, file } = await prepareHistories(dataFolder);
  // Devices and rules are made first, so that everything is measured by a service that begins with them.
  const first = await startOurs(dataFolder);
  const { token, client: setUp, key } = await firstDevice(first.httpPort);
  const boards = await makeSenders(setUp, 'Board', 200);
  const untimed = await makeSenders(setUp, 'Untimed', 20);
  await makeSenders(setUp, 'Watched', 100);
  const rules = await addRules(databaseOf(dataFolder), RULES);
  await first.stop();
  const ours = await startOurs(dataFolder);
  const idleMb = residentMb(ours.pid);
  const mosquitto = await startMosquitto(folder);
  const bare = await startBareHttp();
  try {
    const url = `http://127.0.0.1:${ours.httpPort}`;
    const client = createClient({ baseUrl: url, headers: { authorization: `Bearer ${key}` } });
    const sender: Sender = {
      user: 'bench',
      password: token,
      topic: 'moor/bench/report',
      next: 0,
      open: new Set(),
    };
    const stranger = (): Sender => ({ ...sender, next: 0, open: new Set() });
    await pause(3000);
    say(`${rules.toLocaleString('en')} event rules are active.\n`);
    const post = { connections: 50, ms: MS, path: '/device/report', timed: true };
    const mqttRun = (name: string, budget: number, senders: Sender[], window: number, timed = true): Run => ({
      name,
      budget,
      senders,
      ours: () => mqttLoad({ port: ours.mqttPort, senders, window, ms: MS, timed }),
      theirs: () => mqttLoad({ port: mosquitto.port, senders: senders.map(stranger), window, ms: MS, timed }),
    });
    const runs: Run[] = [
      {
        name: 'HTTP one-reading POST, 50 connections ÷ bare node:http',
        budget: 0.7,
        senders: [sender],
        ours: () =>
          httpLoad({ ...post, sender, port: ours.httpPort, headers: `Authorization: Bearer ${token}\r\n` }),
        theirs: () => httpLoad({ ...post, sender: stranger(), port: bare.port, headers: '' }),
      },
      mqttRun('MQTT QoS 1, 20 connections × window 100 ÷ mosquitto', 1.4, boards.slice(0, 20), 100),
      mqttRun('MQTT QoS 1, 200 connections × 1 ÷ mosquitto', 0.65, boards, 1),
      mqttRun(
        'the same 20 × 10 without times of their own, slowed to what can be told apart',
        0,
        untimed,
        10,
        false,
      ),
    ];
    say(
      '| what | ours, a second | baseline, a second | ratio (least–greatest) | budget | |\n|---|---|---|---|---|---|',
    );
    for (const { name, budget, ours: our, theirs } of ROUNDS === 0 ? [] : runs) {
      if (!name.includes(ONLY)) continue;
      const comparison: Comparison = { name, budget, ours: [], baseline: [] };
      for (let round = 0; round < ROUNDS; round++) {
        comparison.ours.push((await our()).rate);
        comparison.baseline.push((await theirs()).rate);
      }
      say(toRow(comparison));
    }
    if (ROUNDS > 0) {
      const all = [sender, ...boards, ...untimed];
      const { acknowledged } = await findAll(url, `Bearer ${key}`, all);
      say(
        `\nLooked up afterwards, each by its own value: ${acknowledged.toLocaleString('en')} acknowledged, 0 missing.\n`,
      );
    }
    const counter = { next: 0 };
    const database = databaseOf(dataFolder);
    for (const written of ROUNDS === 0 ? [] : (['SenML', 'CSV'] as const)) {
      const comparison: Comparison = {
        name: `${written} batches of 1,000, readings ÷ rows by the connector’s batch()`,
        budget: 1.5,
        ours: [],
        baseline: [],
      };
      for (let round = 0; round < ROUNDS; round++) {
        comparison.ours.push(await batchLoad(written, { url, token, ms: MS, connections: 4, counter }));
        comparison.baseline.push(await rowLoad(database, { ms: MS, connections: 4, counter }));
      }
      say(toRow(comparison));
    }
    if (process.env.BENCH_HISTORIES === '0') return;
    say('\n| envelope of 1,000 buckets over the API | ms | buckets |\n|---|---|---|');
    for (const { what, ms, buckets } of await envelopeTimes(client))
      say(`| ${what} | ${ms.toFixed(1)} | ${buckets} |`);
    say('\n| at rest, rollups and row overhead included | readings | bytes a reading |\n|---|---|---|');
    for (const [what, readings, size] of bytes)
      say(`| ${what} | ${readings.toLocaleString('en')} | ${size.toFixed(2)} |`);
    await foldingRun(ours, client);
    const all = bytes.reduce((sum, [, readings]) => sum + readings, 0);
    say(`\nThe whole table file on disk: ${(file / all).toFixed(2)} bytes a reading.`);
    say(
      `\nWarm start to listening: ${Math.round(ours.readyMs)} ms (budget 3,000). Idle service memory: ${Math.round(idleMb)} MB (budget 160).`,
    );
  } finally {
    bare.stop();
    mosquitto.stop();
    await ours.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  }
}

/** Folding under load for some minutes, with its picture. */
async function foldingRun(
  ours: { httpPort: number; mqttPort: number; pid: number },
  client: Client,
): Promise<void> {
  const samples = await foldingUnderLoad(client, `http://127.0.0.1:${ours.httpPort}`, ours.mqttPort, {
    devices: 200,
    ms: FOLDING_MINUTES * 60_000,
    window: 1,
  });
  const rates = samples.map(({ rate }) => rate);
  const third = Math.floor(samples.length / 3);
  const most = (part: typeof samples): number => Math.max(...part.map(({ unfolded }) => unfolded));
  say(
    `\nFolding under load for ${FOLDING_MINUTES} min, 200 connections × 1: ${Math.round(median(rates)).toLocaleString('en')} readings a second; not folded yet at the most ${most(samples.slice(0, third)).toLocaleString('en')} in the first third, ${most(samples.slice(-third)).toLocaleString('en')} in the last (oldest ${(Math.max(...samples.map(({ ageMs }) => ageMs)) / 1000).toFixed(1)} s); rules behind by ${Math.max(...samples.map(({ rules }) => rules))} commits at the most. Picture: ${PICTURE}`,
  );
  fs.writeFileSync(PICTURE, foldingPicture(samples));
}

/** Fills a new data folder with long histories, in this process, and stops again. */
async function prepareHistories(
  dataFolder: string,
): Promise<{ bytes: [string, number, number][]; file: number }> {
  const config = readConfig({
    PEATMOOR_DATA: dataFolder,
    PEATMOOR_HTTP_PORT: '0',
    PEATMOOR_MQTT_PORT: '0',
    PEATMOOR_LOG: 'warn',
  });
  let bytes: [string, number, number][] = [];
  const service = await startService({
    config,
    log: createLog(config),
    consoleFolder: folderOfConsole,
    prepare: async (store) => {
      const { workspaceId } = await createAccount(store, ACCOUNT);
      if (process.env.BENCH_HISTORIES === '0') return;
      await fillHistories(store, workspaceId);
      bytes = await bytesAtRest(store);
    },
  });
  await service.stop();
  return { bytes, file: fileBytes(dataFolder) };
}

async function firstDevice(httpPort: number): Promise<{ token: string; client: Client; key: string }> {
  const baseUrl = `http://127.0.0.1:${httpPort}`;
  let cookie = '';
  const keeping: typeof fetch = async (input, init) => {
    const response = await fetch(input, {
      ...init,
      headers: { 'sec-fetch-site': 'same-origin', ...(init?.headers as Record<string, string>), cookie },
    });
    cookie = response.headers.getSetCookie()[0]?.split(';')[0] ?? cookie;
    return response;
  };
  const client = createClient({ baseUrl, fetch: keeping });
  await client.call('signIn', { body: { email: ACCOUNT.email, password: ACCOUNT.password } });
  const { token } = await client.call('createDevice', {
    body: {
      name: 'Bench',
      id: 'bench',
      newKind: { title: 'Bench', streams: [{ key: 'level', title: 'Level', type: 'number' }] },
    },
  });
  // Rules are on: one watches what is sent.
  await client.call('createRule', {
    body: {
      title: 'Never so high',
      severity: 'notice',
      deviceId: 'bench',
      kindId: null,
      stream: 'level',
      comparison: 'above',
      limit: 1000,
      holdMs: 0,
      closeLimit: null,
      closeHoldMs: 0,
      emails: [],
      active: true,
    },
  });
  const { secret } = await client.call('createKey', { body: { title: 'bench' } });
  return { token, client, key: secret };
}
