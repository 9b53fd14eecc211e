import { createClient, type Client } from '@peatmoor/contract';
import {
  startSharedDatabase,
  urlOf,
  type Node,
  type SharedDatabase,
} from '../../../../test/support/sharedDatabase';
import { newDevice, post, until, type TestService } from '../../../../test/support/service';

// The journal in parts: several nodes share the work of reading it, workspace by workspace.
jest.setTimeout(60_000);

const PARTS = 4;
const OWNERS = 5;
const id = 'dipwell-north';
let shared: SharedDatabase;
const owners: { client: Client; key: string; token: string }[] = [];
const report = (node: Node, token: string, body: object) =>
  post({ url: urlOf(node) } as TestService, token, body);
const at = (node: Node, { key }: { key: string }): Client =>
  createClient({ baseUrl: urlOf(node), headers: { authorization: `Bearer ${key}` } });
/** How many parts of each reader's work each node does. */
async function sharing(): Promise<Record<string, number[]>> {
  const done: Record<string, number[]> = {};
  for (const { alive, does } of await owners[0]!.client.call('listNodes'))
    if (alive)
      for (const text of does) {
        const [, name, count] = /^(\w+) \((\d+) of 4\)$/.exec(text)!;
        (done[name!] ??= []).push(Number(count));
      }
  return done;
}
const start = Date.now() - 600_000;
/** All devices cross their limit and come back, each by another node than the time before. */
async function crossAll(round: number): Promise<void> {
  for (const [i, { token }] of owners.entries()) {
    const living = shared.nodes.filter(({ child }) => child.exitCode === null && child.signalCode === null);
    const send = async (offset: number, value: number): Promise<void> => {
      const node = living[(i + round + offset) % living.length]!;
      expect(
        (await report(node, token, { at: start + round * 2000 + offset, temperature: value })).status,
      ).toBe(200);
    };
    await send(0, 80);
    await send(1, 0);
  }
}
async function eventsAre(rounds: number, ms: number): Promise<void> {
  const expected = Array.from({ length: rounds }, (_, round) => start + round * 2000);
  for (const { client } of owners) {
    const found = await until(
      async () => {
        const all = await client.call('listEvents', { query: { limit: 100 } });
        return all.length >= rounds && all.every(({ closedAt }) => closedAt !== null) && all;
      },
      `the events of ${rounds} rounds`,
      ms,
    );
    expect(found.map(({ openedAt }) => openedAt).sort()).toEqual(expected);
  }
}

beforeAll(async () => {
  shared = await startSharedDatabase();
  const first = await shared.startNode({ PEATMOOR_JOURNAL_PARTS: String(PARTS) });
  for (let i = 0; i < OWNERS; i++) {
    const { client, key } = await shared.newOwner(first, `warden-${i}`);
    const { token } = await newDevice(client);
    const { kindId } = await client.call('readDevice', { params: { device: id } });
    await client.call('createStream', {
      params: { kind: String(kindId) },
      body: {
        key: 'twice',
        title: 'Twice',
        type: 'number',
        computation: { form: 'formula', formula: 'temperature * 2' },
      } as never,
    });
    await client.call('createRule', {
      body: {
        title: 'Hot',
        deviceId: id,
        stream: 'temperature',
        comparison: 'above',
        limit: 50,
        closeLimit: 10,
      },
    });
    owners.push({ client, key, token });
  }
}, 120_000);
afterAll(() => shared.stop(), 60_000);

it('a node alone does all of it; one that comes takes its share', async () => {
  expect(
    await until(async () => {
      const found = await sharing();
      return Object.values(found).flat().length === 3 && found;
    }),
  ).toEqual({ folding: [PARTS], rules: [PARTS], computing: [PARTS] });
  // Others take the number of parts that the database has.
  await shared.startNode();
  await until(
    async () => JSON.stringify(Object.values(await sharing())) === '[[2,2],[2,2],[2,2]]',
    'a fair share',
    40_000,
  );
});

it('each crossing is one event and each value is computed, whichever node took it', async () => {
  for (let round = 0; round < 6; round++) await crossAll(round);
  await eventsAre(6, 20_000);
  for (const { client } of owners)
    await until(async () => {
      const { lines } = await client.call('history', {
        params: { device: id },
        query: { streams: 'twice', from: start - 1, to: start + 600_000 },
      });
      return JSON.stringify(lines[0]!.values.slice(0, 4)) === '[160,0,160,0]';
    }, 'what is computed');
  expect(
    (await shared.rows<{ part: number }>('SELECT DISTINCT part FROM journalOffsets ORDER BY part')).map(
      ({ part }) => Number(part),
    ),
  ).toEqual([0, 1, 2, 3]);
});

it('an event is closed by hand within moments, whoever works the rules of the workspace', async () => {
  for (const [i, owner] of owners.entries()) {
    expect(
      (await report(shared.nodes[0]!, owner.token, { at: start + 500_000, temperature: 90 })).status,
    ).toBe(200);
    const open = await until(async () =>
      (await owner.client.call('listEvents', { query: { limit: 100 } })).find(
        ({ closedAt }) => closedAt === null,
      ),
    );
    const since = Date.now();
    await at(shared.nodes[i % 2]!, owner).call('closeEvent', {
      params: { event: String(open.id) },
      body: {} as never,
    });
    expect(
      (await owner.client.call('readEvent', { params: { event: String(open.id) } })).closedAt,
    ).not.toBeNull();
    expect(Date.now() - since).toBeLessThan(5000);
    expect(
      (await report(shared.nodes[1]!, owner.token, { at: start + 500_001, temperature: 0 })).status,
    ).toBe(200);
  }
});

it('who says another number of parts is told why that cannot be', async () => {
  await expect(shared.startNode({ PEATMOOR_JOURNAL_PARTS: '2' })).rejects.toThrow(
    /has 4 parts, and PEATMOOR_JOURNAL_PARTS says 2.*stop all of them/s,
  );
});

it('a node that is killed leaves its parts to the other, and nothing is missed', async () => {
  const [, second] = shared.nodes;
  await second!.kill();
  for (let round = 260; round < 263; round++) await crossAll(round);
  for (const { client } of owners)
    await until(
      async () =>
        (await client.call('listEvents', { query: { limit: 100 } })).filter(
          ({ closedAt }) => closedAt !== null,
        ).length === 10,
      'the events after a death',
      25_000,
    );
  await until(
    async () => JSON.stringify(Object.values(await sharing())) === `[[${PARTS}],[${PARTS}],[${PARTS}]]`,
    'all the work',
    25_000,
  );
});
