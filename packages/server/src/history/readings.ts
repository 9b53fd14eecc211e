import {
  calibrate,
  calibrateColumns,
  DAY_MS,
  EMPTY_COLUMNS,
  firstAtOrAfter,
  mergeColumns,
  sliceColumns,
  type CalibrationStep,
  type Columns,
  type Sample,
} from '@peatmoor/core';
import type { Store } from '../store/store';
import { decodeChunk, type ChunkPlace } from './chunks';
import type { Recent } from './recent';

/** Where readings are: folded in the store, and the newest in memory. */
export interface Sources {
  store: Store;
  recent: Recent;
  /** Hears of a stored chunk whose bytes are damaged; its readings are left out. */
  onDamaged?: (place: ChunkPlace) => void;
}

/** Readings of a stored chunk; none where its bytes are damaged. */
export function columnsOf({ onDamaged }: Sources, row: ChunkPlace & { body: Buffer }): Columns {
  try {
    return decodeChunk(row.body);
  } catch {
    onDamaged?.(row);
    return EMPTY_COLUMNS;
  }
}

/** A series with how its values are made right. */
export interface ReadSeries {
  seriesId: number;
  calibrations: readonly CalibrationStep[];
}

export const dayOf = (at: number): number => Math.floor(at / DAY_MS);
/** Infinite times, as far as days are counted. */
const clampDay = (at: number): number => Math.max(-8.64e15, Math.min(8.64e15, at));

/** Readings of several series with from ≤ time < to, by series: what is stored and what is in memory, made right. */
export async function readColumns(
  sources: Sources,
  series: readonly ReadSeries[],
  from: number,
  to: number,
): Promise<Map<number, Columns>> {
  const { store, recent } = sources;
  const ids = series.map(({ seriesId }) => seriesId);
  // Memory first: a reading that is folded meanwhile is then found twice, never not at all.
  const fresh = new Map(ids.map((id) => [id, recent.of(id)]));
  const rows =
    ids.length === 0
      ? []
      : await store.withConnection(
          async (connection) =>
            (await connection.query(
              `SELECT seriesId, day, part, body FROM chunks WHERE seriesId IN (${ids.join(',')}) AND day BETWEEN ? AND ? ORDER BY seriesId, day, part`,
              [Math.floor(from / DAY_MS), Math.floor((to - 1) / DAY_MS)],
            )) as (ChunkPlace & { body: Buffer })[],
        );
  const stored = new Map<number, Columns>();
  for (const row of rows)
    stored.set(
      row.seriesId,
      mergeColumns(stored.get(row.seriesId) ?? { times: [], values: [] }, columnsOf(sources, row)),
    );
  return new Map(
    series.map(({ seriesId, calibrations }) => {
      const raw = mergeColumns(stored.get(seriesId) ?? { times: [], values: [] }, fresh.get(seriesId)!);
      return [seriesId, calibrateColumns(calibrations, sliceColumns(raw, from, to))];
    }),
  );
}

/** The newest reading of a series before a time, or the oldest after it; null for none. */
export async function readNearest(
  sources: Sources,
  { seriesId, calibrations }: ReadSeries,
  at: number,
  side: 'before' | 'after',
): Promise<Sample | null> {
  const { store, recent } = sources;
  const before = side === 'before';
  const fresh = recent.of(seriesId);
  const day = dayOf(clampDay(at));
  const ms = (before ? Math.ceil : Math.floor)(clampDay(at) - day * DAY_MS);
  // Chunks of a series never overlap; a second one is looked at where the first begins or ends just here.
  const [bound, order] = before
    ? ['(day < ? OR (day = ? AND part <= ?))', 'day DESC, part DESC']
    : ['(day > ? OR (day = ? AND toMs >= ?))', 'day, part'];
  const rows = await store.withConnection(
    async (connection) =>
      (await connection.query(
        `SELECT seriesId, day, part, body FROM chunks WHERE seriesId = ? AND ${bound} ORDER BY ${order} LIMIT 2`,
        [seriesId, day, day, ms],
      )) as (ChunkPlace & { body: Buffer })[],
  );
  let nearest: Sample | null = null;
  for (const { times, values } of [fresh, ...rows.map((row) => columnsOf(sources, row))]) {
    const place = before ? firstAtOrAfter(times, at) - 1 : firstAtOrAfter(times, at + 1);
    const time = times[place];
    if (time === undefined) continue;
    if (nearest === null || (before ? time > nearest.at : time < nearest.at))
      nearest = { at: time, value: calibrate(calibrations, time, values[place]!) };
  }
  return nearest;
}

/** Readings of several series with from ≤ time < to, a day at a time; days without any are passed over. */
export async function* readParts(
  sources: Sources,
  series: readonly ReadSeries[],
  from: number,
  to: number,
): AsyncGenerator<Columns[]> {
  const { store, recent } = sources;
  const ids = series.map(({ seriesId }) => seriesId);
  if (ids.length === 0) return;
  const days = new Set<number>(ids.flatMap((id) => recent.of(id).times.map(dayOf)));
  const stored = await store.withConnection(
    async (connection) =>
      (await connection.query(
        `SELECT DISTINCT day FROM chunks WHERE seriesId IN (${ids.join(',')}) AND day BETWEEN ? AND ?`,
        [dayOf(clampDay(from)), dayOf(clampDay(to) - 1)],
      )) as { day: number }[],
  );
  for (const { day } of stored) days.add(day);
  for (const day of [...days].sort((a, b) => a - b)) {
    const start = Math.max(from, day * DAY_MS);
    const end = Math.min(to, (day + 1) * DAY_MS);
    if (start >= end) continue;
    const columns = await readColumns(sources, series, start, end);
    yield ids.map((id) => columns.get(id)!);
  }
}
