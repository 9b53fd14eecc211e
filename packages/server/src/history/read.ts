import {
  bucketColumns,
  bucketRollups,
  DAY_MS,
  HOUR_MS,
  mergeColumns,
  planBuckets,
  sliceColumns,
  type Bucket,
  type Columns,
  type Rollup,
} from '@peatmoor/core';
import type { HistoryLine } from '@peatmoor/contract';
import type { Store } from '../store/store';
import { decodeChunk } from './chunks';
import type { Recent } from './recent';

/** Readings of one datastream in one answer at the most. */
export const MOST_READINGS = 20_000;

export interface HistoryReader {
  /** Readings with from ≤ time < to, the newest MOST_READINGS of them. */
  readings(workspaceId: number, seriesId: number, from: number, to: number): Promise<Columns>;
  /** Buckets over a period for several series at once, in the order asked for. */
  lines(
    workspaceId: number,
    series: readonly { key: string; seriesId: number }[],
    from: number,
    to: number,
    buckets: number,
  ): Promise<HistoryLine[]>;
}

export function createHistoryReader(store: Store, recent: Recent): HistoryReader {
  const readColumns = async (
    workspaceId: number,
    ids: readonly number[],
    from: number,
    to: number,
  ): Promise<Map<number, Columns>> => {
    // Memory first: a reading that is folded meanwhile is then found twice, never not at all.
    const fresh = new Map(ids.map((id) => [id, recent.of(id)]));
    const rows =
      ids.length === 0
        ? []
        : await store.withConnection(
            async (connection) =>
              (await connection.query(
                `SELECT seriesId, body FROM chunks WHERE workspaceId = ? AND seriesId IN (${ids.join(',')}) AND day BETWEEN ? AND ? ORDER BY seriesId, day`,
                [workspaceId, Math.floor(from / DAY_MS), Math.floor((to - 1) / DAY_MS)],
              )) as { seriesId: number; body: Buffer }[],
          );
    const stored = new Map<number, Columns>();
    for (const { seriesId, body } of rows)
      stored.set(
        seriesId,
        mergeColumns(stored.get(seriesId) ?? { times: [], values: [] }, decodeChunk(body)),
      );
    return new Map(
      ids.map((id) => [
        id,
        sliceColumns(mergeColumns(stored.get(id) ?? { times: [], values: [] }, fresh.get(id)!), from, to),
      ]),
    );
  };

  const readHours = async (
    workspaceId: number,
    ids: readonly number[],
    from: number,
    to: number,
  ): Promise<Map<number, Rollup[]>> => {
    const rows = await store.withConnection(
      async (connection) =>
        (await connection.query(
          `SELECT seriesId, hour, count, min, max, sum, first, last FROM hours WHERE workspaceId = ? AND seriesId IN (${ids.join(',')}) AND hour >= ? AND hour < ? ORDER BY seriesId, hour`,
          [workspaceId, from / HOUR_MS, to / HOUR_MS],
        )) as (Rollup & { seriesId: number; hour: number })[],
    );
    const result = new Map<number, Rollup[]>(ids.map((id) => [id, []]));
    for (const { seriesId, hour, count, min, max, sum, first, last } of rows)
      result.get(seriesId)!.push({ at: hour * HOUR_MS, count: Number(count), min, max, sum, first, last });
    return result;
  };

  return {
    async readings(workspaceId, seriesId, from, to) {
      const columns = (await readColumns(workspaceId, [seriesId], from, to)).get(seriesId)!;
      const surplus = columns.times.length - MOST_READINGS;
      return surplus <= 0
        ? columns
        : { times: columns.times.slice(surplus), values: columns.values.slice(surplus) };
    },
    async lines(workspaceId, series, from, to, buckets) {
      if (series.length === 0) return [];
      const ids = series.map(({ seriesId }) => seriesId);
      const plan = planBuckets(from, to, buckets);
      if (!plan.fromHours) {
        const columns = await readColumns(workspaceId, ids, plan.from, plan.to);
        return series.map(({ key, seriesId }) =>
          toLine(key, plan.spanMs, bucketColumns(columns.get(seriesId)!, plan.spanMs)),
        );
      }
      // Hours that hold readings not yet folded are rolled up from the readings themselves.
      const freshFrom = Math.min(plan.to, ...ids.flatMap((id) => recent.of(id).times.slice(0, 1)));
      const edge = Math.max(plan.from, Math.floor(freshFrom / HOUR_MS) * HOUR_MS);
      const tail = await readColumns(workspaceId, ids, edge, plan.to);
      const hours = await readHours(workspaceId, ids, plan.from, edge);
      return series.map(({ key, seriesId }) => {
        const rollups = [...hours.get(seriesId)!, ...bucketColumns(tail.get(seriesId)!, HOUR_MS)];
        return toLine(key, plan.spanMs, bucketRollups(rollups, plan.spanMs));
      });
    },
  };
}

function toLine(key: string, spanMs: number, buckets: Bucket[]): HistoryLine {
  return {
    key,
    spanMs,
    times: buckets.map(({ at }) => at),
    values: buckets.map(({ mean }) => mean),
    min: buckets.map(({ min }) => min),
    max: buckets.map(({ max }) => max),
    count: buckets.map(({ count }) => count),
    cut: 0,
  };
}
