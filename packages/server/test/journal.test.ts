import fs from 'node:fs';
import { pino } from 'pino';
import { BatchBuilder } from '@peatmoor/core';
import { startManagedDatabase, type ManagedDatabase } from '../src/database/managed';
import {
  keepOffsets,
  passJournal,
  READERS,
  readersBehind,
  readJournal,
  trimJournal,
} from '../src/journal/reader';
import { leaveOut, placesOf, type PartOfGroup } from '../src/journal/messages';
import { readParts, sharesOf } from '../src/journal/parts';
import { startJournalWorker } from '../src/journal/worker';
import { startJournalWriter, type Committed, type JournalWriter } from '../src/journal/writer';
import { inRawTransaction, openStore, type Store } from '../src/store/store';
import { newFolder, until } from '../../../test/support/service';

const log = pino({ level: 'silent' });
let folder: string;
let database: ManagedDatabase;
let store: Store;

beforeAll(async () => {
  folder = newFolder();
  database = await startManagedDatabase(folder, log);
  store = await openStore(database, log);
});
afterAll(async () => {
  await store.close();
  await database.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

async function newWriter() {
  const committed: Committed[] = [];
  const writer = await startJournalWriter(store, log, (one) => committed.push(one));
  return { writer, committed };
}
const durable = (writer: Pick<JournalWriter, 'onDurable'>) =>
  new Promise<void>((resolve) => writer.onDurable(() => resolve()));
const read = (reader: 'folding' | 'rules' | 'computing', most = 1000) =>
  inRawTransaction(
    store,
    async (connection) => (await readJournal(connection, { reader, part: 0 }, most)).entries,
  );

describe('the journal', () => {
  it('says durable only when a reader finds the readings there', async () => {
    const { writer } = await newWriter();
    writer.add(0, 1, 1000, 1.5);
    await durable(writer);
    const entries = (await read('folding')).filter((entry) => entry.writer === writer.id);
    expect(entries.map(({ batch }) => Array.from(batch.values))).toEqual([[1.5]]);
    await writer.stop();
  });

  it('gathers what comes while one commit is under way, and numbers commits without a gap', async () => {
    const { writer, committed } = await newWriter();
    const order: number[] = [];
    for (let i = 0; i < 500; i++) {
      writer.add(0, 7, i, i);
      writer.onDurable(() => order.push(i));
      if (i % 50 === 0) await new Promise((resolve) => setImmediate(resolve));
    }
    await durable(writer);
    expect(order).toEqual(Array.from({ length: 500 }, (_, i) => i));
    expect(committed.length).toBeLessThan(100);
    expect(committed.map(({ seq }) => seq)).toEqual(committed.map((_, i) => i + 1));
    expect(committed.flatMap(({ batch }) => Array.from(batch.values))).toEqual(order);
    await writer.stop();
  });

  it('calls back at once where nothing is under way, and after the last commit where something is', async () => {
    const { writer, committed } = await newWriter();
    let called = false;
    writer.onDurable(() => (called = true));
    expect(called).toBe(true);
    const before = writer.commitNumber();
    writer.add(0, 1, 1, 1);
    expect(writer.commitNumber()).toBe(before);
    await durable(writer);
    expect(writer.commitNumber()).not.toBe(before);
    expect(committed).toHaveLength(1);
    await writer.stop();
  });

  it('writes texts, locations and images in the same commit, each once however often it is sent', async () => {
    await store.withConnection((connection) =>
      connection.query(
        'INSERT INTO series (id, workspaceId, deviceRowId, streamId) VALUES (900, 1, 900, 900)',
      ),
    );
    const { writer, committed } = await newWriter();
    for (let i = 0; i < 3; i++) {
      writer.addOther(0, { series: 900, at: 5000, value: 'dry', bytes: 6 });
      writer.addOther(0, {
        series: 900,
        at: 6000,
        value: { lat: 1, lon: 2, alt: null },
        bytes: 40,
      });
      writer.add(0, 900, 7000, 1);
    }
    await durable(writer);
    const count = async (table: string) =>
      store.withConnection(
        async (connection) =>
          (
            (await connection.query(`SELECT COUNT(*) AS n FROM ${table} WHERE seriesId = 900`)) as {
              n: number;
            }[]
          )[0]!.n,
      );
    expect([await count('texts'), await count('locations')]).toEqual([1, 1]);
    expect(committed[0]!.others).toHaveLength(6);
    await writer.stop();
  });

  it('takes nothing while the database is gone, and goes on by itself with nothing lost or doubled', async () => {
    const { writer, committed } = await newWriter();
    writer.add(0, 3, 1, 1);
    await durable(writer);
    process.kill(database.pid()!, 'SIGKILL');
    await new Promise((resolve) => setTimeout(resolve, 50));
    writer.add(0, 3, 2, 2);
    const second = durable(writer);
    await until(() => !writer.takes(), 'that nothing more is taken');
    expect(writer.status()).toMatchObject({ down: true, queued: 1 });
    await Promise.all([second, writer.ready()]);
    expect(writer.takes()).toBe(true);
    writer.add(0, 3, 3, 3);
    await durable(writer);
    const mine = (await read('rules')).filter((entry) => entry.writer === writer.id);
    expect(mine.flatMap(({ batch }) => Array.from(batch.values))).toEqual([1, 2, 3]);
    expect(committed.map(({ seq }) => seq)).toEqual([1, 2, 3]);
    await writer.stop();
  });

  it('is read in the order in which several services committed, however little is read at once', async () => {
    const writers = [(await newWriter()).writer, (await newWriter()).writer];
    for (let i = 1; i <= 8; i++) {
      const writer = writers[i % 3 === 0 ? 1 : 0]!;
      writer.add(0, 5, i, i);
      await durable(writer);
      await new Promise((resolve) => setTimeout(resolve, 3));
    }
    for (const most of [1, 2, 3, 5, 100]) {
      const ids = writers.map(({ id }) => id);
      const seen: number[] = [];
      const reached = new Map<string, number>();
      for (let more = true; more;)
        await inRawTransaction(store, async (connection) => {
          const looked = await readJournal(connection, { reader: 'computing', part: 0 }, most, reached);
          more = looked.more;
          for (const { writer, part, seq, batch } of looked.entries) {
            reached.set(`${writer}/${part}`, seq);
            if (ids.includes(writer)) seen.push(...Array.from(batch.values));
          }
        });
      expect([most, seen]).toEqual([most, [1, 2, 3, 4, 5, 6, 7, 8]]);
    }
    for (const writer of writers) await writer.stop();
  });

  it('is read by each reader from where it had come, and cut off behind all of them', async () => {
    const { writer } = await newWriter();
    for (let i = 1; i <= 6; i++) {
      writer.add(0, 5, i, i);
      await durable(writer);
    }
    const mine = async (reader: 'folding' | 'rules' | 'computing') =>
      (await read(reader)).filter((entry) => entry.writer === writer.id).map(({ seq }) => seq);
    expect(await mine('rules')).toEqual([1, 2, 3, 4, 5, 6]);
    await inRawTransaction(store, (connection) =>
      keepOffsets(connection, 'rules', [
        { writer: writer.id, part: 0, seq: 4 },
        { writer: writer.id, part: 0, seq: 2 },
      ]),
    );
    expect(await mine('rules')).toEqual([5, 6]);
    expect(await mine('folding')).toEqual([1, 2, 3, 4, 5, 6]);
    await inRawTransaction(store, (connection) => trimJournal(connection, 0, Date.now()));
    expect(await mine('folding')).toEqual([1, 2, 3, 4, 5, 6]);
    await inRawTransaction(store, async (connection) => {
      await keepOffsets(connection, 'folding', [{ writer: writer.id, part: 0, seq: 5 }]);
      await trimJournal(connection, 0, Date.now());
    });
    expect((await mine('computing')).length).toBe(6);
    const before = await store.withConnection(readersBehind);
    await inRawTransaction(store, async (connection) => {
      await passJournal(connection, { reader: 'computing', part: 0 });
      await trimJournal(connection, 0, null);
    });
    expect(before.computing).toBeGreaterThanOrEqual(6);
    expect((await store.withConnection(readersBehind)).computing).toBe(0);
    const left = await store.withConnection(
      async (connection) =>
        (await connection.query('SELECT seq FROM journal WHERE writer = ? ORDER BY seq', [writer.id])) as {
          seq: number;
        }[],
    );
    expect(left.map(({ seq }) => Number(seq))).toEqual([5, 6]);
    // What the clock said when the rows were committed that are gone is known all the same.
    const marks = (await store.withConnection((connection) =>
      connection.query('SELECT clockAt FROM journalWriters WHERE id = ?', [writer.id]),
    )) as { clockAt: number }[];
    expect(Number(marks[0]!.clockAt)).toBeGreaterThan(Date.now() - 60_000);
    await writer.stop();
  });

  it('begins a commit at once after a pause, and others so long apart as is said', async () => {
    const apartMs = 60;
    const committed: Committed[] = [];
    const writer = await startJournalWriter(store, log, (one) => committed.push(one), {
      apartMs: () => apartMs,
    });
    const since = performance.now();
    writer.add(1, 10, 0, 0);
    await new Promise<void>((resolve) => writer.onDurable(() => resolve()));
    for (let n = 1; n <= 60; n++) {
      writer.add(1, 10, n, n);
      await new Promise((resolve) => setTimeout(resolve, 4));
    }
    await new Promise<void>((resolve) => writer.onDurable(() => resolve()));
    const tookMs = performance.now() - since;
    // Each but the first waits; however slow the machine, no more of them fit.
    expect(committed.length).toBeGreaterThan(1);
    expect(committed.length).toBeLessThanOrEqual(Math.ceil(tookMs / apartMs) + 1);
    expect(committed.reduce((sum, { batch }) => sum + batch.series.length, 0)).toBe(61);
    await writer.stop();
  });

  it('keeps each workspace in its part, each part numbered and read by itself; one commit is there in all of them', async () => {
    const committed: Committed[] = [];
    const writer = await startJournalWriter(store, log, (one) => committed.push(one), { parts: 3 });
    for (let round = 0; round < 4; round++) {
      for (let workspace = 1; workspace <= 5; workspace++) {
        // The first one has something in every second round only.
        if (workspace === 3 && round % 2 === 1) continue;
        writer.add(workspace, workspace * 10, round, workspace);
      }
      if (round === 1) writer.addFact('all', { kind: 'began', at: 1, from: 0 });
      if (round === 2) writer.addFact(4, { kind: 'online', device: 4, at: 2 });
      await durable(writer);
    }
    const seen = async (part: number) =>
      (
        await inRawTransaction(store, (connection) =>
          readJournal(connection, { reader: 'folding', part }, 1000),
        )
      ).entries
        .filter((entry) => entry.writer === writer.id)
        .map(({ seq, batch, facts }) => [seq, Array.from(batch.series), facts.map(({ kind }) => kind)]);
    expect(await seen(0)).toEqual([
      [1, [30], []],
      [2, [], ['began']],
      [3, [30], []],
    ]);
    expect(await seen(1)).toEqual([
      [1, [10, 40], []],
      [2, [10, 40], ['began']],
      [3, [10, 40], ['online']],
      [4, [10, 40], []],
    ]);
    expect((await seen(2)).length).toBe(4);
    expect(committed.map(({ part, seq }) => `${part}/${seq}`)).toEqual(
      ['0/1 1/1 2/1', '0/2 1/2 2/2', '0/3 1/3 2/3', '1/4 2/4'].flatMap((one) => one.split(' ')),
    );
    // Passing over a part leaves the others to be read.
    await inRawTransaction(store, (connection) => passJournal(connection, { reader: 'folding', part: 1 }));
    expect([(await seen(0)).length, (await seen(1)).length, (await seen(2)).length]).toEqual([3, 0, 4]);
    await writer.stop();
  });

  it('has the number of parts that it was made with; it changes only where all is read and nobody is there', async () => {
    const change = (statement: string) =>
      store.withConnection((connection) => connection.query(statement) as Promise<unknown>);
    // One that was there before there were parts has one, whatever the setting says.
    await change("DELETE FROM shape WHERE name = 'journalParts'");
    expect(await readParts(store, null)).toBe(1);
    await expect(readParts(store, 6)).rejects.toThrow('while no service uses the database');
    await change('UPDATE journalWriters SET heartbeatAt = NOW(3) - INTERVAL 1 HOUR');
    await expect(readParts(store, 6)).rejects.toThrow('not read yet');
    for (const reader of ['folding', 'rules', 'computing'] as const)
      await inRawTransaction(store, (connection) => passJournal(connection, { reader, part: 'all' }));
    expect(await readParts(store, 6)).toBe(6);
    expect(await readParts(store, null)).toBe(6);
    // A new one takes the setting.
    await change("DELETE FROM shape WHERE name = 'journalParts'");
    await change('DELETE FROM journalWriters');
    expect(await readParts(store, 4)).toBe(4);
  });

  it('is shared so that each node has as much of each reader, and every part has one node', () => {
    const who = { holder: 'x', sole: false };
    for (const count of [1, 2, 3, 6])
      for (const reader of READERS) {
        const mine = Array.from({ length: count }, (_, index) =>
          sharesOf(6, who, () => ({ index, count })).flatMap(({ part, isMine }) =>
            isMine(reader) ? [part] : [],
          ),
        );
        expect([count, reader, mine.map((parts) => parts.length)]).toEqual([
          count,
          reader,
          Array.from({ length: count }, () => 6 / count),
        ]);
        expect(mine.flat().sort()).toEqual([0, 1, 2, 3, 4, 5]);
      }
    // With one part the readers are at different nodes; a node that goes has none.
    const [one] = sharesOf(1, who, () => ({ index: 1, count: 3 }));
    expect(READERS.map((reader) => one!.isMine(reader))).toEqual([false, true, false]);
    const [going] = sharesOf(1, who, () => ({ index: -1, count: 2 }));
    expect(READERS.some((reader) => going!.isMine(reader))).toBe(false);
  });

  it('work that was handed over is taken again at once where the other node is gone', async () => {
    let mine = true;
    const worker = startJournalWorker(
      { store, log, share: { part: 0, parts: 1, holder: 'here', sole: false, isMine: () => mine } },
      {
        name: 'computing',
        entries: 10,
        looks: 1,
        readings: 10,
        everyMs: 50,
        gatherMs: () => 0,
        begin: () => undefined,
        prepare: () => Promise.resolve('pass'),
        step: () => Promise.resolve({}),
      },
    );
    const now = performance.now.bind(performance);
    let ahead = 0;
    const clock = jest.spyOn(performance, 'now').mockImplementation(() => now() + ahead);
    try {
      await until(() => Promise.resolve(worker.holds()));
      mine = false;
      await worker.settled();
      ahead = 11_000;
      await until(() => Promise.resolve(!worker.holds()), 'it is handed over');
      // Nobody takes it: whoever should was paused before, and counts as dead only now.
      mine = true;
      const since = now();
      await until(() => Promise.resolve(worker.holds()), 'it is taken again');
      expect(now() - since).toBeLessThan(3000);
    } finally {
      clock.mockRestore();
      await worker.stop();
    }
  });

  it('takes nothing once it is stopped', async () => {
    const { writer } = await newWriter();
    await writer.stop();
    expect(writer.takes()).toBe(false);
  });
});

it('a commit is written without a message that was there already, and with all else', () => {
  const part = (): PartOfGroup => ({ part: 1, builder: new BatchBuilder(), others: [], facts: [] });
  const one = part();
  one.builder.add(1, 10, 0.5);
  const from = placesOf([undefined, one]);
  one.builder.add(1, 11, 1.5);
  one.builder.add(2, 11, 2.5);
  one.others.push({ series: 3, at: 11, value: 'told', bytes: 8 });
  one.facts.push({ kind: 'told', series: 3, at: 11, value: 'told' });
  const to = placesOf([undefined, one]);
  one.builder.add(1, 12, 3.5);
  one.others.push({ series: 3, at: 12, value: 'kept', bytes: 8 });
  const [kept] = leaveOut([one], [{ from, to }]);
  const { times, values } = kept!.builder.batch();
  expect([[...(times as Float64Array)], [...(values as Float64Array)]]).toEqual([
    [10, 12],
    [0.5, 3.5],
  ]);
  expect(kept!.others.map(({ value }) => value)).toEqual(['kept']);
  expect(kept!.facts).toEqual([]);
  // A part that was not there yet when the message began is left out from its beginning.
  const [none] = leaveOut([one], [{ from: [], to: placesOf([undefined, one]) }]);
  expect([none!.builder.length, none!.others.length]).toEqual([0, 0]);
});
