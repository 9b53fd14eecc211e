import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { createConnection } from 'mariadb';
import { createClient, type Client } from '@peatmoor/contract';
import { idleConnections } from './idle';
import { median, p99, pause, timed } from './measure';
import { addRules, makeSenders } from './rules';
import { databaseOf, report, residentMb, signUp, startOurs, type Started } from './service';

const DEVICES = Number(process.env.MANY_DEVICES ?? 10_000);
/** Rules that are made and changed one by one. */
const RULES = Number(process.env.MANY_RULES ?? 1000);
/** Rules that are active while definitions are changed. */
const ACTIVE = Number(process.env.MANY_ACTIVE ?? 10_000);
const say = (text: string): void => void process.stdout.write(`${text}\n`);
const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-many-'));

/** What very many devices and rules cost: their connections, the pages after a start, and changing a definition. */
async function many(): Promise<void> {
  let ours = await startOurs(folder);
  const restart = async (): Promise<void> => {
    await ours.stop();
    ours = await startOurs(folder);
  };
  try {
    const { client, key } = await signUp(urlOf(ours));
    const idle = await idleConnections(client, ours.mqttPort, DEVICES, () => residentMb(ours.pid));
    say(
      `${idle.connections.toLocaleString('en')} idle MQTT connections of as many devices: opened in ${(idle.openedMs / 1000).toFixed(1)} s (aim 10 s), ${Math.round(idle.memoryMb)} MB more; ${idle.online.toLocaleString('en')} devices shown online, ${idle.open.toLocaleString('en')} sessions open at the end, ${idle.onlineAfter} online after they closed; a command reaches its board in ${idle.commandMs.toFixed(1)} ms (slowest of 50: ${idle.slowestMs.toFixed(1)} ms).`,
    );
    if (process.env.MANY_ONLY === 'connections') return;
    await makeSenders(client, 'Watched', 100);
    const [other] = await makeSenders(client, 'Other', 1);
    await restart();
    await pages(ours, key, other!.password);
    const rules = await oneByOne(clientOf(ours, key));
    say(
      `${RULES.toLocaleString('en')} rules one by one: making one ${median(rules.made).toFixed(0)} ms (99 of 100 within ${p99(rules.made).toFixed(0)}), changing one ${median(rules.changed).toFixed(0)} ms (${p99(rules.changed).toFixed(0)}).`,
    );
    await addRules(databaseOf(folder), ACTIVE);
    await restart();
    await definitions(clientOf(ours, key));
  } finally {
    await ours.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  }
}

const urlOf = ({ httpPort }: Started): string => `http://127.0.0.1:${httpPort}`;
const clientOf = (ours: Started, key: string): Client =>
  createClient({ baseUrl: urlOf(ours), headers: { authorization: `Bearer ${key}` } });

/** Every page's calls right after a start, while a board reports beside them. */
async function pages(ours: Started, key: string, token: string): Promise<void> {
  const get = async (way: string): Promise<string> => {
    const response = await fetch(urlOf(ours) + way, { headers: { authorization: `Bearer ${key}` } });
    const text = await response.text();
    if (!response.ok) throw new Error(`${way} was answered ${response.status}: ${text}`);
    return text;
  };
  const took: number[] = [];
  let running = true;
  const beside = (async () => {
    while (running) {
      took.push(await timed(() => report(urlOf(ours), token, { level: took.length })));
      await pause(20);
    }
  })();
  const first = JSON.parse(await get('/api/devices?limit=60')) as { id: string }[];
  const ways = {
    'devices, a page of 100': '/api/devices?limit=100',
    'devices, found by a text': '/api/devices?limit=100&text=999',
    'overview of 60 in sight': `/api/overview?devices=${first.map(({ id }) => id).join(',')}`,
    'one device': `/api/devices/${first[0]!.id}`,
    kinds: '/api/kinds',
    rules: '/api/rules?limit=100',
    events: '/api/events?limit=100',
    arrivals: '/api/arrivals?limit=100',
    dashboards: '/api/dashboards',
  };
  say('\n| after a start with these devices | ms (aim 1,000) | KB |\n|---|---|---|');
  const row = async (what: string, call: () => Promise<string>): Promise<void> => {
    let answer = '';
    const ms = await timed(async () => (answer = await call()));
    say(`| ${what} | ${ms.toFixed(0)} | ${(answer.length / 1024).toFixed(0)} |`);
  };
  for (const [what, way] of Object.entries(ways)) await row(what, () => get(way));
  await row('devices, all of them', async () =>
    JSON.stringify(await clientOf(ours, key).call('listDevices')),
  );
  running = false;
  await beside;
  say(`| a report of another board beside these, 99 of 100 within | ${p99(took).toFixed(0)} | |\n`);
}

/** Makes rules one by one, and changes each. */
async function oneByOne(client: Client): Promise<{ made: number[]; changed: number[] }> {
  const devices = await client.call('listDevices', { query: { limit: 100, text: 'Watched' } });
  const body = (i: number, limit: number) => ({
    title: `Made ${i}`,
    deviceId: devices[i % devices.length]!.id,
    kindId: null,
    stream: 'level',
    comparison: 'above' as const,
    limit,
  });
  const made: number[] = [];
  const changed: number[] = [];
  const ids: number[] = [];
  for (let i = 0; i < RULES; i++)
    made.push(
      await timed(async () => ids.push((await client.call('createRule', { body: body(i, 1e9) })).id)),
    );
  for (const [i, id] of ids.entries())
    changed.push(
      await timed(() => client.call('changeRule', { params: { rule: String(id) }, body: body(i, 2e9) })),
    );
  return { made, changed };
}

/** Changes a kind of very many devices, with very many rules active: how long, and how many statements until all is quiet. */
async function definitions(client: Client): Promise<void> {
  const connection = await createConnection(databaseOf(folder));
  const statements = async (): Promise<number> => {
    const rows = (await connection.query("SHOW GLOBAL STATUS LIKE 'Questions'")) as { Value: string }[];
    return Number(rows[0]!.Value);
  };
  const kind = (await client.call('listKinds')).find(({ title }) => title === 'Idle')!;
  // All in memory, as after some hours.
  await client.call('listDevices');
  await pause(3000);
  const quiet = await statements();
  await pause(2000);
  const beside = (await statements()) - quiet;
  const took: number[] = [];
  const asked: number[] = [];
  for (let round = 0; round < 10; round++) {
    const before = await statements();
    took.push(
      await timed(() =>
        client.call('changeKind', { params: { kind: String(kind.id) }, body: { notes: `round ${round}` } }),
      ),
    );
    await pause(2000);
    asked.push((await statements()) - before - beside);
  }
  await connection.end();
  say(
    `A change of a kind of ${DEVICES.toLocaleString('en')} devices, with ${(ACTIVE + RULES).toLocaleString('en')} rules: ${median(took).toFixed(0)} ms (aim 50; slowest ${Math.max(...took).toFixed(0)}), ${Math.round(median(asked))} statements (aim 10).`,
  );
}

await many();
