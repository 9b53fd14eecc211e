import fs from 'node:fs';
import fc from 'fast-check';
import { bucketColumns, DAY_MS, HOUR_MS, orderColumns, TENS_MS, type Columns } from '@peatmoor/core';
import { pino } from 'pino';
import { startManagedDatabase, type ManagedDatabase } from '../../src/database/managed';
import { decodeChunk, mergeIntoChunks, writeDays } from '../../src/history/chunks';
import { startKeeping } from '../../src/history/keeping';
import { createHistoryReader } from '../../src/history/read';
import { createRecent, type Recent } from '../../src/history/recent';
import { inRawTransaction, openStore, type Store } from '../../src/store/store';
import { newFolder } from '../../../../test/support/service';

const log = pino({ level: 'silent' });
let folder: string;
let database: ManagedDatabase;
let store: Store;
let recent: Recent;
let series = 0;

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

/** A series as it was measured. */
const plain = (seriesId: number) => ({ seriesId, calibrations: [] });
const START = Math.floor(Date.UTC(2026, 1, 3) / DAY_MS) * DAY_MS;
/** A reading within five days, in steps that make repeated times likely. */
const reading = fc.tuple(fc.integer({ min: 0, max: 5 * 24 * 12 }), fc.integer({ min: -50, max: 50 }));
const batches = fc.array(fc.array(reading, { minLength: 1, maxLength: 30 }), { minLength: 1, maxLength: 6 });
const columnsOf = (pairs: readonly [number, number][]): Columns => ({
  times: pairs.map(([step]) => START + step * 300_000 + 7),
  values: pairs.map(([, value]) => value / 10),
});

async function newSeries(): Promise<number> {
  series++;
  await store.withConnection((connection) =>
    connection.query('INSERT INTO series (id, workspaceId, deviceRowId, streamId) VALUES (?, 1, ?, 1)', [
      series,
      series,
    ]),
  );
  recent = createRecent();
  return series;
}
const fold = (id: number, columns: Columns, full?: number) =>
  inRawTransaction(store, (connection) => mergeIntoChunks(connection, new Map([[id, columns]]), { full }));
/** Chunks of a series never overlap, and say truly where they begin and end. */
async function chunksApart(id: number): Promise<void> {
  const rows = await store.withConnection(
    async (connection) =>
      (await connection.query(
        'SELECT day, part, toMs, count, body FROM chunks WHERE seriesId = ? ORDER BY day, part',
        [id],
      )) as { day: number; part: number; toMs: number; count: number; body: Buffer }[],
  );
  let last = -Infinity;
  for (const { day, part, toMs, count, body } of rows) {
    const { times } = decodeChunk(body);
    expect([times.length, times[0], times.at(-1)]).toEqual([count, day * DAY_MS + part, day * DAY_MS + toMs]);
    expect(times[0]).toBeGreaterThan(last);
    last = times.at(-1)!;
  }
}
const asRows = (columns: Columns) => columns.times.map((at, i) => [at, columns.values[i]]);

describe('history under late, repeated and deleted readings', () => {
  it('is what one ordered list of all readings would give, at every span', async () => {
    await fc.assert(
      fc.asyncProperty(
        batches,
        fc.integer({ min: 0, max: 4 }),
        fc.nat(),
        fc.nat(),
        fc.constantFrom(2, 7, 20_000),
        async (parts, unfolded, a, b, full) => {
          const id = await newSeries();
          // The last batches are still in the journal, the others folded, each in its own turn.
          for (const [i, part] of parts.entries()) {
            const columns = columnsOf(part);
            if (i < parts.length - unfolded) await fold(id, columns, full);
            else
              recent.add({
                writer: 1,
                part: 0,
                seq: i,
                facts: [],
                batch: { series: columns.times.map(() => id), ...columns },
                others: [],
              });
          }
          const all = orderColumns(columnsOf(parts.flat()));
          await chunksApart(id);
          const reader = createHistoryReader(store, recent);
          const raw = await reader.readings(plain(id), START, START + 6 * DAY_MS);
          expect(asRows(raw)).toEqual(asRows(all));
          for (const at of [all.times[a % all.times.length]!, all.times[b % all.times.length]! + 1]) {
            const before = all.times.findLastIndex((one) => one < at);
            const after = all.times.findIndex((one) => one > at);
            expect((await reader.nearest(plain(id), at, 'before'))?.at).toBe(all.times[before]);
            expect((await reader.nearest(plain(id), at, 'after'))?.at).toBe(
              after < 0 ? undefined : all.times[after],
            );
          }
          const span = 5 * DAY_MS;
          const from = START + (a % span);
          const to = from + 1 + (b % span);
          const inside = all.times.flatMap((at, i) =>
            at >= from && at < to ? [[at, all.values[i]!] as const] : [],
          );
          const wanted: Columns = {
            times: inside.map(([at]) => at),
            values: inside.map(([, value]) => value),
          };
          for (const buckets of [7, 100, 600]) {
            const [line] = await reader.lines([{ key: 'x', ...plain(id) }], from, to, buckets);
            const pure = bucketColumns(wanted, line!.spanMs);
            expect(line!.times).toEqual(pure.map(({ at }) => at));
            expect(line!.min).toEqual(pure.map(({ min }) => min));
            expect(line!.max).toEqual(pure.map(({ max }) => max));
            expect(line!.count).toEqual(pure.map(({ count }) => count));
            for (const [i, { mean }] of pure.entries()) expect(line!.values[i]).toBeCloseTo(mean, 9);
          }
        },
      ),
      { numRuns: 25 },
    );
  });

  it('reads the same from kept rollups as from the readings of a full day', async () => {
    const id = await newSeries();
    const times = Array.from({ length: 6000 }, (_, i) => START + i * 14_000);
    await fold(id, { times, values: times.map((_, i) => Math.sin(i / 50) * 10) });
    const stored = await store.withConnection(
      async (connection) =>
        (await connection.query(
          'SELECT hours IS NOT NULL AS hours, tens IS NOT NULL AS tens FROM chunks WHERE seriesId = ?',
          [id],
        )) as { hours: number; tens: number }[],
    );
    expect(stored[0]).toEqual({ hours: 1, tens: 1 });
    const reader = createHistoryReader(store, recent);
    const all = await reader.readings(plain(id), START, START + DAY_MS);
    for (const spanMs of [TENS_MS, HOUR_MS, DAY_MS]) {
      const bounds = Array.from({ length: DAY_MS / spanMs + 1 }, (_, i) => START + i * spanMs);
      const rollups = await reader.rollups(plain(id), bounds);
      const pure = bucketColumns(all, spanMs);
      expect(
        rollups.map(({ at, count, min, max, first, last }) => [at, count, min, max, first, last]),
      ).toEqual(pure.map(({ at, count, min, max, first, last }) => [at, count, min, max, first, last]));
    }
  });

  it('sums long periods by days, exact at both ends and with what is not folded yet', async () => {
    const id = await newSeries();
    const times = Array.from({ length: 900 }, (_, i) => START + i * (DAY_MS / 2) + 1234);
    const values = times.map((_, i) => Math.round(Math.sin(i / 9) * 1000) / 10);
    await fold(id, { times: times.slice(0, 800), values: values.slice(0, 800) });
    const fresh = { times: times.slice(790), values: values.slice(790) };
    recent.add({
      writer: 1,
      part: 0,
      seq: 1,
      facts: [],
      batch: { series: fresh.times.map(() => id), ...fresh },
      others: [],
    });
    const reader = createHistoryReader(store, recent);
    for (const [from, to] of [
      [START + 7, START + 440 * DAY_MS],
      [START + 3 * DAY_MS + 1235, START + 399 * DAY_MS + 1234],
      [START - 50 * DAY_MS, START + 500 * DAY_MS],
    ] as const)
      for (const buckets of [10, 60, 150]) {
        const [line] = await reader.lines([{ key: 'x', ...plain(id) }], from, to, buckets);
        const inside = times.flatMap((at, i) => (at >= from && at < to ? [[at, values[i]!] as const] : []));
        const pure = bucketColumns(
          { times: inside.map(([at]) => at), values: inside.map(([, value]) => value) },
          line!.spanMs,
        );
        expect(line!.times).toEqual(pure.map(({ at }) => at));
        expect([line!.count, line!.min, line!.max]).toEqual([
          pure.map(({ count }) => count),
          pure.map(({ min }) => min),
          pure.map(({ max }) => max),
        ]);
        for (const [i, { mean }] of pure.entries()) expect(line!.values[i]).toBeCloseTo(mean, 9);
      }
  });

  it('a day without readings has no chunk', async () => {
    const id = await newSeries();
    await fold(id, columnsOf([[1, 1]]));
    await inRawTransaction(store, (connection) =>
      writeDays(connection, [{ id, day: Math.floor(START / DAY_MS), columns: { times: [], values: [] } }]),
    );
    expect(
      asRows(await createHistoryReader(store, recent).readings(plain(id), START, START + DAY_MS)),
    ).toEqual([]);
  });
});

describe('keeping readings only so long', () => {
  it('deletes the days that are older, and leaves what is kept for ever', async () => {
    const now = START + 10 * DAY_MS;
    const lasting = await newSeries();
    const month = await newSeries();
    await store.withConnection(async (connection) => {
      const columns =
        "INSERT INTO streams (id, workspaceId, kindId, `key`, title, type, rangePolicy, direction, aliases, description, choices, boardPin, keepDays, unconfirmed) VALUES (?, 1, ?, 'x', 'X', 'number', 'refuse', 'report', '[]', '', '[]', '', ?, 0)";
      await connection.query("INSERT IGNORE INTO workspaces (id, title, createdAt) VALUES (1, 'Moss', 1)");
      await connection.query(
        "INSERT INTO kinds (id, workspaceId, title, intervalS, acceptNew, notes, board, icon, createdAt) VALUES (901, 1, 'A', 60, 0, '', '', '', 1), (902, 1, 'B', 60, 0, '', '', '', 1)",
      );
      await connection.query(columns, [901, 901, null]);
      await connection.query(columns, [902, 902, 3]);
      await connection.query('UPDATE series SET streamId = 901 WHERE id = ?', [lasting]);
      await connection.query('UPDATE series SET streamId = 902 WHERE id = ?', [month]);
    });
    const days: Columns = {
      times: Array.from({ length: 10 }, (_, i) => START + i * DAY_MS + HOUR_MS),
      values: Array.from({ length: 10 }, (_, i) => i),
    };
    await fold(lasting, days);
    await fold(month, days);
    const keeping = startKeeping(store, log);
    expect(await keeping.tidy(now)).toBe(7);
    expect(await keeping.tidy(now)).toBe(0);
    keeping.stop();
    const reader = createHistoryReader(store, createRecent());
    expect((await reader.readings(plain(lasting), START, now)).values).toHaveLength(10);
    expect((await reader.readings(plain(month), START, now)).values).toEqual([7, 8, 9]);
  });
});
