import { deflateRawSync, inflateRawSync } from 'node:zlib';
import type { Connection } from 'mariadb';
import {
  DAY_MS,
  HOUR_MS,
  mergeColumns,
  orderColumns,
  packColumns,
  rollUp,
  sliceColumns,
  unpackColumns,
  type Columns,
} from '@peatmoor/core';

/** A chunk's bytes: packed columns, deflated. */
export function encodeChunk(columns: Columns): Buffer {
  return deflateRawSync(packColumns(columns));
}

export function decodeChunk(body: Buffer): Columns {
  return unpackColumns(inflateRawSync(body));
}

/**
 * Merges new readings into day chunks, rebuilds the hour rollups they touch and notes the newest reading of each
 * series. Readings of series that no longer exist are left out. To be called in a transaction.
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

interface Part {
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
  const before = new Map(stored.map(({ seriesId, day, body }) => [`${seriesId}:${day}`, decodeChunk(body)]));
  const chunks: unknown[][] = [];
  const hours: unknown[][] = [];
  for (const { id, workspaceId, day, columns } of parts) {
    const earlier = before.get(`${id}:${day}`);
    const merged = earlier === undefined ? columns : mergeColumns(earlier, columns);
    chunks.push([id, day, workspaceId, merged.times.length, encodeChunk(merged)]);
    for (const hour of new Set(columns.times.map((at) => Math.floor(at / HOUR_MS)))) {
      const [rollup] = rollUp(sliceColumns(merged, hour * HOUR_MS, (hour + 1) * HOUR_MS), HOUR_MS);
      const { count, min, max, sum, first, last } = rollup!;
      hours.push([id, hour, workspaceId, count, min, max, sum, first, last]);
    }
  }
  await connection.batch(
    'REPLACE INTO chunks (seriesId, day, workspaceId, count, body) VALUES (?, ?, ?, ?, ?)',
    chunks,
  );
  await connection.batch(
    'REPLACE INTO hours (seriesId, hour, workspaceId, count, min, max, sum, first, last) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)',
    hours,
  );
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
