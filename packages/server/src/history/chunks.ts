import { setImmediate as nextTurn } from 'node:timers/promises';
import { promisify } from 'node:util';
import { deflateRaw, deflateRawSync, inflateRawSync } from 'node:zlib';
import type { Connection } from 'mariadb';
import {
  DAY_MS,
  HOUR_MS,
  mergeColumns,
  orderColumns,
  packColumns,
  packRollups,
  rollUp,
  sliceColumns,
  TENS_MS,
  unpackColumns,
  unpackRollups,
  type Columns,
  type Rollup,
} from '@peatmoor/core';

/** A day with fewer readings than this is read as quickly from the readings as from its rollups. */
const FEWEST_FOR_HOURS = 400;
const FEWEST_FOR_TENS = 2000;

const deflate = promisify(deflateRaw);
/** Readings that are packed or unpacked in one go; after as many, what else waits in this process has its turn. */
const READINGS_A_TURN = 20_000;

/** Gives way to devices and pages now and then during long work; the work told is in readings. */
function turnTaker(): (readings: number) => Promise<void> {
  let done = 0;
  return async (readings) => {
    done += readings;
    if (done < READINGS_A_TURN) return;
    done = 0;
    await nextTurn();
  };
}

/** A chunk's bytes: packed columns, deflated beside the main thread. */
function encodeChunk(columns: Columns): Promise<Buffer> {
  return deflate(packColumns(columns));
}

export function decodeChunk(body: Buffer): Columns {
  return unpackColumns(inflateRawSync(body));
}

/** What of a chunk row tells its rollups; `body` only where they must come from the readings. */
export interface ChunkRow extends Omit<Rollup, 'at'> {
  day: number;
  hours: Buffer | null;
  tens: Buffer | null;
  body: Buffer | null;
}

/** Rollups of a stored day at one of the kept spans. */
export function rollupsOf(row: ChunkRow, spanMs: number): Rollup[] {
  if (spanMs === DAY_MS) {
    const { count, min, max, sum, first, last } = row;
    return [{ at: row.day * DAY_MS, count, min, max, sum, first, last }];
  }
  const kept = spanMs === HOUR_MS ? row.hours : row.tens;
  if (kept !== null) return unpackRollups(inflateRawSync(kept), spanMs);
  return rollUp(decodeChunk(row.body!), spanMs);
}

/**
 * Merges new readings into day chunks and notes the newest reading of each series. Readings of series that no
 * longer exist are left out. To be called in a transaction.
 */
export async function mergeIntoChunks(
  connection: Connection,
  bySeries: ReadonlyMap<number, Columns>,
): Promise<void> {
  const ids = [...bySeries.keys()];
  if (ids.length === 0) return;
  const known = (await connection.query(
    `SELECT id, workspaceId FROM series WHERE id IN (${ids.join(',')})`,
  )) as { id: number; workspaceId: number }[];
  const parts = known.flatMap(({ id, workspaceId }) =>
    splitDays(bySeries.get(id)!).map(({ day, columns }) => ({ id, workspaceId, day, columns })),
  );
  for (let start = 0; start < parts.length; start += 400)
    await mergeParts(connection, parts.slice(start, start + 400));
  const newest = known.map(({ id }) => {
    const { times, values } = bySeries.get(id)!;
    const last = orderColumns({ times, values });
    return [last.times.at(-1)!, last.values.at(-1)!, last.times.at(-1)!, id];
  });
  if (newest.length > 0)
    await connection.batch(
      'UPDATE series SET newestValue = IF(newestAt IS NULL OR newestAt <= ?, ?, newestValue), newestAt = GREATEST(COALESCE(newestAt, 0), ?) WHERE id = ?',
      newest,
    );
}

export interface Part {
  id: number;
  workspaceId: number;
  day: number;
  columns: Columns;
}

async function mergeParts(connection: Connection, parts: Part[]): Promise<void> {
  const pairs = parts.map(({ id, day }) => `(${id},${day})`).join(',');
  const stored = (await connection.query(
    `SELECT seriesId, day, body FROM chunks WHERE (seriesId, day) IN (${pairs}) FOR UPDATE`,
  )) as {
    seriesId: number;
    day: number;
    body: Buffer;
  }[];
  const before = new Map(stored.map(({ seriesId, day, body }) => [`${seriesId}:${day}`, body]));
  const worked = turnTaker();
  const merged: Part[] = [];
  for (const part of parts) {
    const earlier = before.get(`${part.id}:${part.day}`);
    const columns = earlier === undefined ? part.columns : mergeColumns(decodeChunk(earlier), part.columns);
    merged.push({ ...part, columns });
    await worked(columns.times.length);
  }
  await writeDays(connection, merged);
}

/** Writes whole days of series, with the rollups made from them; a day without readings goes. In a transaction. */
export async function writeDays(connection: Connection, parts: readonly Part[]): Promise<void> {
  const full = parts.filter(({ columns }) => columns.times.length > 0);
  const worked = turnTaker();
  const rows: unknown[][] = [];
  for (const { id, workspaceId, day, columns } of full) {
    const { count, min, max, sum, first, last } = rollUp(columns, DAY_MS)[0]!;
    const hours = count < FEWEST_FOR_HOURS ? null : encodeRollups(columns, HOUR_MS);
    const tens = count < FEWEST_FOR_TENS ? null : encodeRollups(columns, TENS_MS);
    const body = await encodeChunk(columns);
    rows.push([id, day, workspaceId, count, min, max, sum, first, last, hours, tens, body]);
    await worked(count);
  }
  if (rows.length > 0)
    await connection.batch(
      'REPLACE INTO chunks (seriesId, day, workspaceId, count, min, max, sum, first, last, hours, tens, body) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)',
      rows,
    );
  for (const { id, day, columns } of parts)
    if (columns.times.length === 0)
      await connection.execute('DELETE FROM chunks WHERE seriesId = ? AND day = ?', [id, day]);
}

function encodeRollups(columns: Columns, spanMs: number): Buffer {
  return deflateRawSync(packRollups(rollUp(columns, spanMs), spanMs));
}

function splitDays(columns: Columns): { day: number; columns: Columns }[] {
  const ordered = orderColumns(columns);
  const days: { day: number; columns: Columns }[] = [];
  for (let i = 0; i < ordered.times.length;) {
    const day = Math.floor(ordered.times[i]! / DAY_MS);
    const part = sliceColumns(ordered, day * DAY_MS, (day + 1) * DAY_MS);
    days.push({ day, columns: part });
    i += part.times.length;
  }
  return days;
}
