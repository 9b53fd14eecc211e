import fs from 'node:fs';
import path from 'node:path';
import type { Client } from '@peatmoor/contract';
import {
  addTo,
  createDevice,
  createKind,
  inRawTransaction,
  listIn,
  mergeIntoChunks,
  type Store,
} from '@peatmoor/server';
import { QUILLMERE_DEVICES, QUILLMERE_KINDS, quillmereHistory } from '@peatmoor/standins';
import { median } from './measure';

const DAY_MS = 86_400_000;

/** A made-up line: what it is of, how often, for how long, and its value at the n-th reading. */
interface Line {
  device: string;
  title: string;
  everyMs: number;
  days: number;
  value: (n: number) => number;
}

/** A steady pseudo-random number from 0 to 1. */
const noise = (n: number): number => {
  const x = Math.sin(n * 12.9898) * 43758.5453;
  return x - Math.floor(x);
};
const LINES: Line[] = [
  {
    device: 'year',
    title: 'a year, every 5 s, one decimal',
    everyMs: 5000,
    days: 365,
    value: (n) => Math.round((8 + 4 * Math.sin(n / 2751) + noise(n)) * 10) / 10,
  },
  {
    device: 'decade',
    title: 'ten years, a minute, one decimal',
    everyMs: 60_000,
    days: 3652,
    value: (n) => Math.round((8 + 4 * Math.sin(n / 229) + noise(n)) * 10) / 10,
  },
  {
    device: 'single',
    title: 'noisy single-precision floats, every 5 s',
    everyMs: 5000,
    days: 30,
    value: (n) => Math.fround(20 + noise(n)),
  },
];

/** Fills a new store with long histories and the demo's month, in the workspace that is there. */
export async function fillHistories(store: Store, workspaceId: number): Promise<void> {
  const until = Math.floor(Date.now() / DAY_MS) * DAY_MS;
  for (const line of LINES) await fillLine(store, workspaceId, line, until);
  for (const [name, kind] of Object.entries(QUILLMERE_KINDS)) {
    const kindId = await store.transaction(
      async (transaction) =>
        (await createKind(store, workspaceId, structuredClone(kind) as never, transaction)).id,
    );
    for (const { id } of QUILLMERE_DEVICES.filter((one) => one.kind === name))
      await createDevice(store, workspaceId, { id, name: id, kindId });
  }
  const devices = await listIn(store.models.devices, workspaceId);
  const streams = await listIn(store.models.streams, workspaceId);
  for (const { device, key, times, values } of quillmereHistory(until)) {
    const row = devices.find(({ id }) => id === device)!;
    const stream = streams.find((one) => one.key === key && one.kindId === row.kindId)!;
    const series = await addTo(store.models.series, workspaceId, {
      deviceRowId: row.rowId,
      streamId: stream.id,
      newestAt: null,
      newestValue: null,
    });
    await inRawTransaction(store, (connection) =>
      mergeIntoChunks(connection, new Map([[series.id, { times, values }]])),
    );
  }
}

/** A year of a reading every 5 s, of the device `year`, in the workspace that is there. */
export const fillYear = (store: Store, workspaceId: number): Promise<void> =>
  fillLine(store, workspaceId, LINES[0]!, Math.floor(Date.now() / DAY_MS) * DAY_MS);

async function fillLine(store: Store, workspaceId: number, line: Line, until: number): Promise<void> {
  const kindId = await store.transaction(
    async (transaction) =>
      (
        await createKind(
          store,
          workspaceId,
          { title: line.device, streams: [{ key: 'level', title: 'Level', type: 'number' }] },
          transaction,
        )
      ).id,
  );
  const series = await seriesOf(store, workspaceId, line.device, kindId, 'level');
  for (let day = line.days; day > 0; day -= 30) {
    const times: number[] = [];
    const values: number[] = [];
    const end = until - Math.max(0, day - 30) * DAY_MS;
    // A sensor's clock is never quite even: some milliseconds more or less.
    for (let at = until - day * DAY_MS; at < end; at += line.everyMs) {
      const n = at / line.everyMs;
      times.push(at + Math.floor(noise(n + 0.5) * 20));
      values.push(line.value(n));
    }
    await inRawTransaction(store, (connection) =>
      mergeIntoChunks(connection, new Map([[series, { times, values }]])),
    );
  }
}

async function seriesOf(
  store: Store,
  workspaceId: number,
  device: string,
  kindId: number,
  key: string,
): Promise<number> {
  const { row } = await createDevice(store, workspaceId, { id: device, name: device, kindId });
  const [stream] = await listIn(store.models.streams, workspaceId, { where: { kindId, key } });
  const series = await addTo(store.models.series, workspaceId, {
    deviceRowId: row.rowId,
    streamId: stream!.id,
    newestAt: null,
    newestValue: null,
  });
  return series.id;
}

/** Bytes a reading at rest, older than a day, all of the chunk table counted; by kind of series. */
export async function bytesAtRest(store: Store): Promise<[string, number, number][]> {
  const sizes = await store.withConnection(
    async (connection) =>
      (await connection.query(
        `SELECT d.id AS device, SUM(c.count) AS readings, COUNT(*) AS days,
          SUM(LENGTH(c.body) + COALESCE(LENGTH(c.hours), 0) + COALESCE(LENGTH(c.tens), 0)) AS bytes
          FROM chunks c JOIN series s ON s.id = c.seriesId JOIN devices d ON d.rowId = s.deviceRowId GROUP BY d.id`,
      )) as { device: string; readings: number; days: number; bytes: number }[],
  );
  // Beside its blobs a row has its columns (16 + 5 × 8 bytes), a header and the transaction's columns.
  const ROW = 16 + 40 + 26;
  const rowsOf = (title: string, fits: (device: string) => boolean): [string, number, number] => {
    const mine = sizes.filter(({ device }) => fits(device));
    const readings = mine.reduce((sum, one) => sum + Number(one.readings), 0);
    const bytes = mine.reduce((sum, one) => sum + Number(one.bytes) + Number(one.days) * ROW, 0);
    return [title, readings, bytes / readings];
  };
  return [
    ...LINES.map(({ device, title }) => rowsOf(title, (one) => one === device)),
    rowsOf('the demo’s series, thirty days', (one) => !LINES.some(({ device }) => device === one)),
  ];
}

/** Size of the table's file on disk, in bytes: what the figures above become with pages and indexes. */
export function fileBytes(dataFolder: string): number {
  return fs.statSync(path.join(dataFolder, 'mariadb', 'peatmoor', 'chunks.ibd')).size;
}

/** Milliseconds that an envelope of 1,000 buckets takes over the API, for a year, a day and ten years; medians. */
export async function envelopeTimes(
  client: Client,
): Promise<{ what: string; ms: number; buckets: number }[]> {
  const to = Math.floor(Date.now() / DAY_MS) * DAY_MS - 1_234_567;
  const results: { what: string; ms: number; buckets: number }[] = [];
  for (const [what, device, days] of [
    ['a day of 5-s readings', 'year', 1],
    ['a month of 5-s readings', 'year', 30],
    ['a year of 5-s readings', 'year', 364],
    ['ten years of 1-min readings', 'decade', 3650],
  ] as const) {
    const times: number[] = [];
    let buckets = 0;
    for (let round = 0; round < 15; round++) {
      const start = performance.now();
      const { lines } = await client.call('history', {
        params: { device },
        query: { streams: 'level', from: to - days * DAY_MS - 77_777, to, buckets: 1000 },
      });
      times.push(performance.now() - start);
      buckets = lines[0]!.times.length;
    }
    results.push({ what, ms: median(times.slice(3)), buckets });
  }
  return results;
}
