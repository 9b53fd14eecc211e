import {
  bucketColumns,
  bucketRollups,
  DAY_MS,
  HOUR_MS,
  planBuckets,
  rollUp,
  TENS_MS,
  type Bucket,
  type Columns,
  type Rollup,
  type Sample,
} from '@peatmoor/core';
import type { HistoryLine } from '@peatmoor/contract';
import type { Logger } from 'pino';
import { outsideTransactions } from '../store/oneConnection';
import { putAside, type ChunkPlace } from './chunks';
import type { Store } from '../store/store';
import { dayOf, readColumns, readNearest, readParts, type ReadSeries } from './readings';
import type { Recent } from './recent';
import { isLinear, readDays, readRollups } from './rolled';

export type { ReadSeries } from './readings';

/** Readings of one datastream in one answer at the most. */
export const MOST_READINGS = 20_000;

/** Gives values as they are shown: calibrated. Raw ones stay as they are stored. */
export interface HistoryReader {
  /** Readings with from ≤ time < to, the newest MOST_READINGS of them. */
  readings(series: ReadSeries, from: number, to: number): Promise<Columns & { cut: boolean }>;
  /** The newest reading before a time, or the oldest after it; null for none. */
  nearest(series: ReadSeries, at: number, side: 'before' | 'after'): Promise<Sample | null>;
  /** Rollups that lie each within one step of ascending bounds, as wide as those allow. */
  rollups(series: ReadSeries, bounds: readonly number[]): Promise<Rollup[]>;
  /** Readings of several series with from ≤ time < to, a day at a time; days without any are passed over. */
  parts(series: readonly ReadSeries[], from: number, to: number): AsyncGenerator<Columns[]>;
  /** Buckets over a period for several series at once, in the order asked for. */
  lines(
    series: readonly (ReadSeries & { key: string })[],
    from: number,
    to: number,
    buckets: number,
  ): Promise<HistoryLine[]>;
}

export function createHistoryReader(store: Store, recent: Recent, log: Logger | null = null): HistoryReader {
  const onDamaged = (place: ChunkPlace): void =>
    void outsideTransactions(() =>
      putAside(store, place, log).catch((error: Error) =>
        log?.warn({ err: error }, 'a damaged chunk could not be set aside'),
      ),
    );
  const sources = { store, recent, onDamaged };
  const reader: HistoryReader = {
    async readings(series, from, to) {
      const columns = (await readColumns(sources, [series], from, to)).get(series.seriesId)!;
      const surplus = columns.times.length - MOST_READINGS;
      return surplus <= 0
        ? { ...columns, cut: false }
        : { times: columns.times.slice(surplus), values: columns.values.slice(surplus), cut: true };
    },
    nearest: (series, at, side) => readNearest(sources, series, at, side),
    async rollups(series, bounds) {
      const from = bounds[0]!;
      const to = bounds.at(-1)!;
      const spanMs = [DAY_MS, HOUR_MS, TENS_MS].find((span) => bounds.every((bound) => bound % span === 0));
      if (spanMs !== undefined && isLinear(series.calibrations)) {
        // Only days with a bound inside need more than what is kept of the whole day.
        const split = new Set(bounds.filter((bound) => bound % DAY_MS !== 0).map(dayOf));
        if (spanMs === DAY_MS || split.size > (to - from) / DAY_MS / 3)
          return (await readRollups(sources, [series], from, to, spanMs)).get(series.seriesId)!;
        const whole = await readRollups(sources, [series], from, to, DAY_MS, (day) => !split.has(day));
        const apart = await readRollups(sources, [series], from, to, spanMs, (day) => split.has(day), split);
        return [...whole.get(series.seriesId)!, ...apart.get(series.seriesId)!].sort((a, b) => a.at - b.at);
      }
      // Bounds between the kept spans: a zone that is some quarter hours off.
      const result: Rollup[] = [];
      for await (const [part] of reader.parts([series], from, to)) result.push(...rollUp(part!, QUARTER_MS));
      return result;
    },
    parts: (series, from, to) => readParts(sources, series, from, to),
    async lines(series, from, to, buckets) {
      if (series.length === 0) return [];
      const { spanMs, rollupMs } = planBuckets(from, to, buckets);
      if (rollupMs !== null && to - from > DAY_MS && series.every((one) => isLinear(one.calibrations))) {
        const plain = series.every(({ calibrations }) => calibrations.length === 0);
        const rollups =
          plain && spanMs > DAY_MS && spanMs % DAY_MS === 0
            ? await readDays(sources, series, from, to, spanMs)
            : await readRollups(sources, series, from, to, rollupMs);
        return series.map(({ key, seriesId }) =>
          toLine(key, spanMs, bucketRollups(rollups.get(seriesId)!, spanMs)),
        );
      }
      const columns = await readColumns(sources, series, from, to);
      return series.map(({ key, seriesId }) =>
        toLine(key, spanMs, bucketColumns(columns.get(seriesId)!, spanMs)),
      );
    },
  };
  return reader;
}

const QUARTER_MS = 900_000;

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
