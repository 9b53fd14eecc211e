import fs from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';
import { pino } from 'pino';
import { packBatch } from '@peatmoor/core';
import { createBus, type Bus, type BusEvents } from '../src/bus';
import { nextRecomputation } from '../src/computing/jobs';
import { startManagedDatabase, type ManagedDatabase } from '../src/database/managed';
import type { JournalPlace } from '../src/journal/reader';
import { createLastingRows } from '../src/listeners/mqtt/lastingRows';
import { createSaying, startFollowing } from '../src/nodes/following';
import { createInterest } from '../src/nodes/interest';
import type { Link } from '../src/nodes/link';
import { startNews, type News } from '../src/nodes/news';
import { SupersededError, takeNumbers, type OpenNumber, type Outcome } from '../src/journal/openNumbers';
import { inRawTransaction, openStore, type Store } from '../src/store/store';
import { newFolder, until } from '../../../test/support/service';

const log = pino({ level: 'silent' });
const folder = newFolder();
let database: ManagedDatabase;
let store: Store;
const started: News[] = [];

beforeAll(async () => {
  database = await startManagedDatabase(folder, log, null);
  store = await openStore(database, log);
}, 60_000);
afterEach(async () => {
  for (const one of started.splice(0)) await one.stop();
});
afterAll(async () => {
  await store.close();
  await database.stop();
  fs.rmSync(folder, { recursive: true, force: true });
}, 30_000);

/** A node with its bus, and the definitions that it hears of from others. */
async function newNode(
  node: number,
  more: { link?: Link; isWanted?: (workspaceId: number) => boolean } = {},
): Promise<{ bus: Bus; heard: BusEvents['definitions'][]; news: News }> {
  const bus = createBus();
  const heard: BusEvents['definitions'][] = [];
  bus.on('definitions', (event, from) => {
    if (from !== undefined) heard.push(event);
  });
  const news = await startNews({
    store,
    bus,
    node,
    log,
    link: () => more.link ?? null,
    hasOthers: () => true,
    isWanted: more.isWanted ?? (() => true),
  });
  started.push(news);
  return { bus, heard, news };
}
const write = (id: number | null, node: number, body: string): Promise<unknown> =>
  store.withConnection((connection) =>
    connection.query('INSERT INTO news (id, node, at, name, body) VALUES (?, ?, NOW(3), ?, ?)', [
      id,
      node,
      'definitions',
      body,
    ]),
  );
const rowsOf = <R>(sql: string): Promise<R[]> =>
  store.withConnection(async (connection) => (await connection.query(sql)) as R[]);

describe('news between nodes', () => {
  it('comes to all others once, and not back', async () => {
    const [one, two] = [await newNode(1), await newNode(2)];
    one.bus.emit('definitions', { workspaceId: 1, deviceRowId: 5 });
    await until(() => two.heard.length > 0);
    two.news.look();
    one.news.look();
    await new Promise((resolve) => setTimeout(resolve, 1200));
    expect([one.heard, two.heard]).toEqual([[], [{ workspaceId: 1, deviceRowId: 5 }]]);
  });

  it('is found though its number is lower than one that came before it', async () => {
    const { heard, news } = await newNode(3);
    await write(5000, 9, '{"workspaceId":5000}');
    await until(() => heard.length === 1);
    await write(4000, 9, '{"workspaceId":4000}');
    news.look();
    await until(() => heard.length === 2);
    expect(heard.map(({ workspaceId }) => workspaceId)).toEqual([5000, 4000]);
  });

  it('that nobody can read holds up nothing that comes after it', async () => {
    const { heard } = await newNode(4);
    await write(null, 9, 'no JSON');
    await write(null, 9, '{"workspaceId":7}');
    await until(() => heard.length === 1);
    expect(heard).toEqual([{ workspaceId: 7 }]);
  });

  it('of before a node started is not told to it', async () => {
    await write(null, 9, '{"workspaceId":8}');
    const { heard } = await newNode(5);
    await new Promise((resolve) => setTimeout(resolve, 1300));
    expect(heard).toEqual([]);
  });

  it('is bounded while it cannot be written: more than that, and others read everything anew', async () => {
    const [one, two] = [await newNode(6), await newNode(7)];
    // All in one turn, before anything can be written.
    for (let i = 0; i < 20_001; i++) one.bus.emit('closed', { deviceRowId: i });
    one.bus.emit('dismiss', { deviceRowId: 3 });
    let dismissed = 0;
    two.bus.on('dismiss', () => dismissed++);
    await until(() => dismissed === 1);
    expect(two.heard).toEqual([{ workspaceId: 0, all: true }]);
    const [{ count }] = (await rowsOf<{ count: number }>(
      "SELECT COUNT(*) AS count FROM news WHERE node = 6 AND name = 'closed'",
    )) as [{ count: number }];
    expect(Number(count)).toBeLessThan(10);
  }, 30_000);
});

describe('messages of devices', () => {
  const arrival = (workspaceId: number) =>
    ({ workspaceId, message: { type: 'arrival', arrival: { deviceId: 'dipwell' } } }) as BusEvents['live'];

  it('are told to other nodes only where a page there shows them, and never by the table', async () => {
    const said: string[] = [];
    let up = true;
    const link: Link = { isUp: () => up, say: (text) => void said.push(text), stop: () => Promise.resolve() };
    const { bus } = await newNode(4, { link, isWanted: (workspaceId) => workspaceId === 7 });
    const { heard } = await newNode(5);
    for (const workspaceId of [6, 7, 8]) bus.emit('live', arrival(workspaceId));
    expect(said.map((text) => JSON.parse(text.slice(5)))).toEqual([arrival(7)]);
    up = false;
    bus.emit('live', arrival(7));
    bus.emit('shown', { workspaces: [7] });
    bus.emit('definitions', { workspaceId: 7 });
    await until(() => heard.length === 1);
    const names = await store.withConnection((connection) =>
      connection.query('SELECT name FROM news WHERE node = 4'),
    );
    expect(names).toEqual([{ name: 'definitions' }]);
  });

  it('are wanted for as long as a node says so, and what begins is noticed, together', async () => {
    let ms = 0;
    const bus = createBus();
    const begun: number[] = [];
    const { isWanted } = createInterest(
      bus,
      (workspaceId) => begun.push(workspaceId),
      () => ms,
    );
    // What is shown here is no news to others.
    bus.emit('shown', { workspaces: [1] });
    expect(isWanted(1)).toBe(false);
    bus.arrive('shown', { workspaces: [1, 2] }, 9);
    ms = 3000;
    bus.arrive('shown', { workspaces: [2] }, 9);
    bus.arrive('shown', { workspaces: [3] }, 10);
    expect([1, 2, 3, 4].map(isWanted)).toEqual([true, true, true, false]);
    ms = 6000;
    expect([1, 2, 3].map(isWanted)).toEqual([false, true, true]);
    bus.arrive('shown', { workspaces: [1] }, 9);
    await until(() => begun.length === 3);
    for (let i = 0; i < 20; i++) bus.arrive('shown', { workspaces: [1, 2], begun: 2 }, 9);
    await until(() => begun.length === 4);
    expect(begun).toEqual([1, 2, 3, 2]);
  });
});

describe('subscriptions that outlast their connection', () => {
  it('are kept for five sessions of a device, known at once, and forgotten by one that begins anew', async () => {
    // Of devices that are not there in this database.
    await rowsOf('ALTER TABLE lastingSessions DROP FOREIGN KEY lastingSessions_device');
    const rows = createLastingRows(store, log);
    const clients = Array.from({ length: 7 }, (_, i) => `77/board-${i}`);
    for (const client of clients) {
      rows.keep(77, client, { 'moor/north/wanted/#': 1 });
      // Not written yet, and known all the same.
      expect((await rows.restore(77, client)).filters).toEqual({ 'moor/north/wanted/#': 1 });
      await until(
        async () =>
          (await rowsOf<{ client: string }>("SELECT client FROM lastingSessions WHERE filters <> '{}'")).some(
            (row) => row.client === client,
          ),
        client,
      );
    }
    const kept = (await rowsOf<{ client: string }>('SELECT client FROM lastingSessions ORDER BY at')).map(
      ({ client }) => client,
    );
    expect(kept).toEqual(clients.slice(2));
    // Numbers of messages go with their session.
    const epochs = new Map<number, number>();
    for (const i of [6, 5]) epochs.set(i, (await rows.restore(77, clients[i]!)).epoch);
    const open = [6, 5].flatMap((i) =>
      [1, 2].map((number) => ({ deviceRowId: 77, client: clients[i]!, number, epoch: epochs.get(i)! })),
    );
    const take = (numbers: OpenNumber[]): Promise<Outcome[]> =>
      inRawTransaction(store, (connection) => takeNumbers(connection, numbers));
    expect(await take(open)).toEqual(['taken', 'taken', 'taken', 'taken']);
    expect(await take([open[3]!, { ...open[3]!, number: 9 }])).toEqual(['known', 'taken']);
    await rows.release({ ...open[3]!, number: 9 });
    // What came by a connection before the newest is not taken any more.
    const { epoch } = await rows.restore(77, clients[5]!);
    expect(epoch).toBeGreaterThan(epochs.get(5)!);
    expect(
      await take([
        { ...open[3]!, number: 10 },
        { ...open[0]!, number: 3 },
      ]),
    ).toEqual(['superseded', 'taken']);
    // A release that waited at an old connection frees nothing any more, and that connection is told so.
    await expect(rows.release(open[3]!)).rejects.toThrow(SupersededError);
    expect((await rows.restore(77, clients[5]!)).numbers).toEqual([1, 2]);
    await rows.release({ ...open[0]!, number: 3 });
    await rows.release(open[0]!);
    const other = createLastingRows(store, log);
    expect((await other.restore(77, clients[6]!)).numbers).toEqual([2]);
    const nothing = { filters: {}, numbers: [], epoch: expect.any(Number) as number };
    rows.forget(77, clients[6]!);
    expect(await rows.restore(77, clients[6]!)).toEqual(nothing);
    await rows.stop();
    expect(await other.restore(77, clients[6]!)).toEqual(nothing);
    expect((await other.restore(77, clients[5]!)).numbers).toEqual([1, 2]);
    await other.stop();
    expect(await rowsOf('SELECT 1 FROM lastingSessions')).toHaveLength(5);
  });
});

it('of what is to be worked out anew each node takes what it computes for, and what another left half done', async () => {
  const queue = (id: number, workspaceId: number, state: string): Promise<unknown> =>
    store.withConnection((connection) =>
      connection.query(
        `INSERT INTO recomputations (id, workspaceId, deviceRowId, streamId, seriesId, state, doneDays, days, note, userName, madeAt)
          VALUES (?, ?, 1, 1, 1, ?, 0, 0, '', '', 0)`,
        [id, workspaceId, state],
      ),
    );
  await queue(1, 5, 'done');
  await queue(2, 6, 'waiting');
  await queue(3, 7, 'waiting');
  await queue(4, 5, 'waiting');
  await queue(5, 9, 'running');
  const look = async (held: number[], begun: number[] = []) => {
    const { next, others } = await nextRecomputation(store, { held, parts: 4, begun: new Set(begun) });
    return [next?.id, others];
  };
  expect(await look([2])).toEqual([2, false]);
  expect(await look([3, 2])).toEqual([2, false]);
  // One that was under way elsewhere comes first; what is under way here is not begun again.
  expect(await look([1])).toEqual([5, false]);
  expect(await look([1], [5])).toEqual([4, false]);
  expect(await look([0])).toEqual([undefined, true]);
  expect(await look([])).toEqual([undefined, true]);
  await rowsOf("UPDATE recomputations SET state = 'done'");
  expect(await look([0, 1, 2, 3])).toEqual([undefined, false]);
});

describe('commits of other nodes', () => {
  const write = (places: readonly JournalPlace[]): Promise<void> =>
    store.withConnection(async (connection) => {
      await connection.batch(
        'INSERT INTO journal (writer, part, seq, committedAt, body) VALUES (?, ?, ?, 1, ?)',
        places.map(({ writer, part, seq }) => [
          writer,
          part,
          seq,
          Buffer.from(packBatch({ series: [1], times: [seq], values: [seq] })),
        ]),
      );
    });
  const line = (writer: number, part: number, from: number, to: number): JournalPlace[] =>
    Array.from({ length: to - from + 1 }, (_, i) => ({ writer, part, seq: from + i }));

  it('come all of them, each once and in the order of its line, however many lines there are; a gap is noticed', async () => {
    await write([...line(71, 0, 1, 3), ...line(72, 1, 1, 5), ...line(73, 0, 1, 4)]);
    const came = new Map<string, number[]>();
    let missed = 0;
    const following = startFollowing({
      store,
      log,
      mine: [73],
      reached: [
        { writer: 71, part: 0, seq: 3 },
        { writer: 72, part: 1, seq: 2 },
      ],
      onCommit({ writer, part, seq }) {
        const name = `${writer}/${part}`;
        came.set(name, [...(came.get(name) ?? []), seq]);
      },
      onMissed: () => void missed++,
      isTold: () => true,
    });
    const all = () => [...came.values()].reduce((sum, { length }) => sum + length, 0);
    await until(() => all() === 3);
    // Between what is known and a new line nobody knew of, more than one lot.
    await write([...line(71, 0, 4, 253), ...line(71, 5, 1, 2), ...line(72, 1, 6, 305), ...line(73, 0, 5, 9)]);
    for (let i = 0; i < 50; i++) following.look();
    await until(() => all() === 3 + 250 + 2 + 300);
    expect(came.get('72/1')).toEqual(line(72, 1, 3, 305).map(({ seq }) => seq));
    expect(came.get('71/0')).toEqual(line(71, 0, 4, 253).map(({ seq }) => seq));
    expect(came.get('71/5')).toEqual([1, 2]);
    expect(came.has('73/0')).toBe(false);
    expect(missed).toBe(0);
    await write(line(72, 1, 310, 311));
    following.look();
    await until(() => came.get('72/1')!.at(-1) === 311);
    expect(missed).toBe(1);
    following.stop();
    await write(line(72, 1, 312, 312));
    following.look();
    await sleep(300);
    expect(came.get('72/1')!.at(-1)).toBe(311);
  });

  it('are told of at once after a pause, and then together however many there are', async () => {
    const said: number[] = [];
    const say = createSaying(() => said.push(performance.now()));
    say();
    await until(() => said.length === 1);
    const since = performance.now();
    while (performance.now() - since < 500) {
      say();
      await sleep(2);
    }
    await until(() => said.length > 1 && performance.now() - said.at(-1)! > 200);
    for (const [i, at] of said.slice(1).entries()) expect(at - said[i]!).toBeGreaterThan(95);
    expect(said.length).toBeLessThanOrEqual(7);
  });
});
