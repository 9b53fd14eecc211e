import type { Client } from '@peatmoor/contract';
import {
  startSharedDatabase,
  urlOf,
  type Node,
  type SharedDatabase,
} from '../../../../test/support/sharedDatabase';
import { newDevice, post, until, type TestService } from '../../../../test/support/service';

// Two services on one database: each piece of work is done once, whoever is killed or paused.
let shared: SharedDatabase;
let client: Client;
let token: string;
const id = 'dipwell-north';
const report = (node: Node, body: object) => post({ url: urlOf(node) } as TestService, token, body);
const rows = <R>(sql: string): Promise<R[]> => shared.rows<R>(sql);
const holder = async (name: string): Promise<string> =>
  (await rows<{ holder: string }>(`SELECT holder FROM leases WHERE name = '${name}'`))[0]?.holder ?? '';
const pidOf = (text: string): number => Number(text.split(' ')[1]);

beforeAll(async () => {
  shared = await startSharedDatabase();
  const [first] = [await shared.startNode(), await shared.startNode()];
  ({ client } = await shared.newOwner(first));
  ({ token } = await newDevice(client));
}, 120_000);
afterAll(() => shared.stop(), 60_000);

it('a database with defaults that cannot hold every letter is made to hold them', async () => {
  expect(
    await rows(
      "SELECT TABLE_NAME FROM information_schema.TABLES WHERE TABLE_SCHEMA = 'moor' AND TABLE_COLLATION <> 'utf8mb4_bin'",
    ),
  ).toEqual([]);
  const made = await client.call('createDevice', {
    body: {
      name: '温度計',
      newKind: { title: '温度', streams: [{ key: 'note', title: '温度', type: 'text' }] },
    },
  });
  expect(
    (await post({ url: urlOf(shared.nodes[0]!) } as TestService, made.token, { note: '温度 🌡' })).status,
  ).toBe(200);
  await until(async () => (await rows('SELECT body FROM texts')).length === 1);
});

it('rules and folding are done once, by whichever holds them', async () => {
  for (const stream of ['temperature', 'level'])
    await client.call('createRule', {
      body: { title: stream, deviceId: id, stream, comparison: 'above', limit: 50, closeLimit: 10 },
    });
  const start = Date.now() - 600_000;
  // Each datastream comes by a service of its own; one of the two does not hold the rules.
  const send = async (i: number): Promise<void> => {
    const value = i % 2 === 0 ? 80 : 0;
    for (const [node, key] of ['temperature', 'level'].entries())
      expect((await report(shared.nodes[node]!, { at: start + i * 1000, [key]: value })).status).toBe(200);
  };
  for (let i = 0; i < 30; i++) await send(i);
  const events = () =>
    rows<{ ruleId: number; openedAt: number; closedAt: number }>(
      'SELECT ruleId, openedAt, closedAt FROM events ORDER BY ruleId, openedAt',
    );
  const expected = Array.from({ length: 15 }, (_, i) => [start + i * 2000, start + i * 2000 + 1000]);
  const all = await until(async () => {
    const found = await events();
    return found.length >= 30 && found.every(({ closedAt }) => closedAt !== null) && found;
  }, 'the events');
  for (const rule of new Set(all.map(({ ruleId }) => ruleId)))
    expect(
      all
        .filter(({ ruleId }) => ruleId === rule)
        .map(({ openedAt, closedAt }) => [Number(openedAt), Number(closedAt)]),
    ).toEqual(expected);
}, 90_000);

it('a holder that is paused is replaced, and commits nothing when it wakes', async () => {
  const before = pidOf(await holder('folding'));
  const paused = shared.nodes.find(({ child }) => child.pid === before)!;
  const other = shared.nodes.find((node) => node !== paused)!;
  paused.child.kill('SIGSTOP');
  const start = Date.now() - 300_000;
  for (let i = 0; i < 20; i++)
    expect((await report(other, { at: start + i, pump: undefined, mode: i % 2 })).status).toBe(200);
  await until(
    async () => {
      const [row] = await rows<{ count: number }>(
        `SELECT COALESCE(SUM(c.count), 0) AS count FROM chunks c JOIN series s ON s.id = c.seriesId JOIN streams t ON t.id = s.streamId WHERE t.\`key\` = 'mode'`,
      );
      return Number(row!.count) === 20;
    },
    'folding by the other',
    60_000,
  );
  expect(pidOf(await holder('folding'))).toBe(other.child.pid);
  paused.child.kill('SIGCONT');
  await new Promise((resolve) => setTimeout(resolve, 3000));
  expect(pidOf(await holder('folding'))).toBe(other.child.pid);
  expect((await report(paused, { at: start + 100, mode: 1 })).status).toBe(200);
  await until(
    async () => {
      const [row] = await rows<{ count: number }>(
        `SELECT COALESCE(SUM(c.count), 0) AS count FROM chunks c JOIN series s ON s.id = c.seriesId JOIN streams t ON t.id = s.streamId WHERE t.\`key\` = 'mode'`,
      );
      return Number(row!.count) === 21;
    },
    'what the woken one took',
    60_000,
  );
}, 150_000);

it('a holder that is killed is replaced within ten seconds, and its journal is read to the end', async () => {
  const victim = shared.nodes.find(({ child }) => child.pid !== undefined && child.exitCode === null)!;
  const pid = pidOf(await holder('rules'));
  const dying = shared.nodes.find(({ child }) => child.pid === pid) ?? victim;
  const other = shared.nodes.find((node) => node !== dying)!;
  const [{ count: opened }] = (await rows<{ count: number }>('SELECT COUNT(*) AS count FROM events')) as [
    { count: number },
  ];
  const now = Date.now();
  await report(dying, { at: now - 100, temperature: 0 });
  await report(dying, { at: now - 50, temperature: 90 });
  await dying.kill();
  const start = Date.now();
  await until(
    async () => {
      const [row] = await rows<{ count: number }>('SELECT COUNT(*) AS count FROM events');
      return Number(row!.count) === Number(opened) + 1;
    },
    'the event',
    30_000,
  );
  expect(Date.now() - start).toBeLessThan(20_000);
  expect((await report(other, { level: -5 })).status).toBe(200);
}, 90_000);
