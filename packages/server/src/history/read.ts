import {
  applyCalibration,
  calibrate,
  firstAtOrAfter,
  calibrateColumns,
  calibrationAt,
  bucketColumns,
  bucketRollups,
  DAY_MS,
  EMPTY_COLUMNS,
  HOUR_MS,
  mergeColumns,
  planBuckets,
  rollUp,
  sliceColumns,
  TENS_MS,
  type Bucket,
  type CalibrationStep,
  type Columns,
  type Rollup,
  type Sample,
} from '@peatmoor/core';
import type { HistoryLine } from '@peatmoor/contract';
import type { Store } from '../store/store';
import { decodeChunk, rollupsOf, type ChunkRow } from './chunks';
import type { Recent } from './recent';

/** Readings of one datastream in one answer at the most. */
export const MOST_READINGS = 20_000;

/** A series with how its values are made right. */
export interface ReadSeries {
  seriesId: number;
  calibrations: readonly CalibrationStep[];
}

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

export function createHistoryReader(store: Store, recent: Recent): HistoryReader {
  const readColumns = async (
    series: readonly ReadSeries[],
    from: number,
    to: number,
  ): Promise<Map<number, Columns>> => {
    const ids = series.map(({ seriesId }) => seriesId);
    // Memory first: a reading that is folded meanwhile is then found twice, never not at all.
    const fresh = new Map(ids.map((id) => [id, recent.of(id)]));
    const rows =
      ids.length === 0
        ? []
        : await store.withConnection(
            async (connection) =>
              (await connection.query(
                `SELECT seriesId, body FROM chunks WHERE seriesId IN (${ids.join(',')}) AND day BETWEEN ? AND ? ORDER BY seriesId, day, part`,
                [Math.floor(from / DAY_MS), Math.floor((to - 1) / DAY_MS)],
              )) as { seriesId: number; body: Buffer }[],
          );
    const stored = new Map<number, Columns>();
    for (const { seriesId, body } of rows)
      stored.set(
        seriesId,
        mergeColumns(stored.get(seriesId) ?? { times: [], values: [] }, decodeChunk(body)),
      );
    return new Map(
      series.map(({ seriesId, calibrations }) => {
        const raw = mergeColumns(stored.get(seriesId) ?? { times: [], values: [] }, fresh.get(seriesId)!);
        return [seriesId, calibrateColumns(calibrations, sliceColumns(raw, from, to))];
      }),
    );
  };

  /** Rollups of several series, exact at both ends and where readings are not folded yet. */
  const readRollups = async (
    series: readonly ReadSeries[],
    from: number,
    to: number,
    spanMs: number,
    /** Only these days; `among` names them where they are few. */
    wanted: (day: number) => boolean = () => true,
    among: ReadonlySet<number> | null = null,
  ): Promise<Map<number, Rollup[]>> => {
    const ids = series.map(({ seriesId }) => seriesId);
    const stepsOf = new Map(series.map(({ seriesId, calibrations }) => [seriesId, calibrations]));
    const fresh = new Map(ids.map((id) => [id, sliceColumns(recent.of(id), from, to)]));
    const days = new Set<number>();
    for (const { times } of fresh.values()) for (const at of times) days.add(dayOf(at));
    // A day in which a calibration begins is made from its readings.
    for (const { calibrations } of series)
      for (const step of calibrations) if (step.from !== null) days.add(dayOf(step.from));
    if (from % spanMs !== 0) days.add(dayOf(from));
    if (to % spanMs !== 0) days.add(dayOf(to));
    const kept = spanMs === DAY_MS ? '1' : spanMs === HOUR_MS ? 'hours IS NOT NULL' : 'tens IS NOT NULL';
    const raw = days.size === 0 ? '0' : `day IN (${[...days].join(',')})`;
    const rows = await store.withConnection(
      async (connection) =>
        (await connection.query(
          `SELECT seriesId, day, count, min, max, sum, first, last, spread, ${spanMs === HOUR_MS ? 'hours' : 'NULL AS hours'}, ${spanMs === TENS_MS ? 'tens' : 'NULL AS tens'},
            IF(${raw} OR NOT (${kept}), body, NULL) AS body
            FROM chunks WHERE seriesId IN (${ids.join(',')}) AND day BETWEEN ? AND ?${among === null ? '' : ` AND day IN (${[...among, -1e6].join(',')})`} ORDER BY seriesId, day, part`,
          [dayOf(from), dayOf(to - 1)],
        )) as (ChunkRow & { seriesId: number })[],
    );
    const result = new Map<number, Rollup[]>(ids.map((id) => [id, []]));
    for (const chunks of byDay(rows)) {
      const { seriesId, day } = chunks[0]!;
      const list = result.get(seriesId)!;
      if (!wanted(day)) continue;
      if (!days.has(day)) {
        for (const chunk of chunks)
          for (const rollup of rollupsOf(chunk, spanMs))
            if (rollup.at >= from && rollup.at < to)
              list.push(calibrateRollup(stepsOf.get(seriesId)!, rollup));
        continue;
      }
      let whole: Columns = EMPTY_COLUMNS;
      for (const { body } of chunks) whole = mergeColumns(whole, decodeChunk(body!));
      whole = mergeColumns(whole, sliceColumns(fresh.get(seriesId)!, day * DAY_MS, (day + 1) * DAY_MS));
      const right = calibrateColumns(stepsOf.get(seriesId)!, sliceColumns(whole, from, to));
      list.push(...rollUp(right, spanMs));
    }
    const stored = new Set(rows.map(({ seriesId, day }) => `${seriesId}:${day}`));
    for (const [id, columns] of fresh) {
      const missing = new Set(
        columns.times.map(dayOf).filter((day) => wanted(day) && !stored.has(`${id}:${day}`)),
      );
      const list = result.get(id)!;
      for (const day of missing)
        list.push(
          ...rollUp(
            calibrateColumns(stepsOf.get(id)!, sliceColumns(columns, day * DAY_MS, (day + 1) * DAY_MS)),
            spanMs,
          ),
        );
      if (missing.size > 0) list.sort((a, b) => a.at - b.at);
    }
    return result;
  };

  /**
   * Buckets of whole days over a long period, summed by the database: a row a bucket instead of a row a day. Days that
   * need their readings (the ragged ends, and those with readings not folded yet) are left to readRollups.
   */
  const readDays = async (
    series: readonly ReadSeries[],
    from: number,
    to: number,
    spanMs: number,
  ): Promise<Map<number, Rollup[]>> => {
    const ids = series.map(({ seriesId }) => seriesId);
    const apart = new Set<number>([dayOf(from), dayOf(to - 1)]);
    for (const id of ids)
      for (const at of recent.of(id).times) if (at >= from && at < to) apart.add(dayOf(at));
    const sums = await store.withConnection(
      async (connection) =>
        (await connection.query(
          {
            rowsAsArray: true,
            sql: `SELECT seriesId, FLOOR(day / ?) AS bucket, SUM(count), MIN(min), MAX(max), SUM(sum) FROM chunks
              WHERE seriesId IN (${ids.join(',')}) AND day BETWEEN ? AND ? AND day NOT IN (${[...apart].join(',')})
              GROUP BY seriesId, bucket ORDER BY seriesId, bucket`,
          },
          [spanMs / DAY_MS, dayOf(from), dayOf(to - 1)],
        )) as [id: number, bucket: number, count: number, min: number, max: number, sum: number][],
    );
    const result = new Map<number, Rollup[]>(ids.map((id) => [id, []]));
    for (const [id, bucket, count, min, max, sum] of sums)
      result.get(id)!.push({
        at: Number(bucket) * spanMs,
        count: Number(count),
        min,
        max,
        sum: Number(sum),
        first: min,
        last: max,
        spread: Number.NaN,
      });
    for (const day of apart) {
      const start = Math.max(from, day * DAY_MS);
      const end = Math.min(to, (day + 1) * DAY_MS);
      const columns = await readColumns(series, start, end);
      for (const [id, one] of columns) result.get(id)!.push(...rollUp(one, DAY_MS));
    }
    for (const list of result.values()) list.sort((a, b) => a.at - b.at);
    return result;
  };

  const reader: HistoryReader = {
    async readings(series, from, to) {
      const columns = (await readColumns([series], from, to)).get(series.seriesId)!;
      const surplus = columns.times.length - MOST_READINGS;
      return surplus <= 0
        ? { ...columns, cut: false }
        : { times: columns.times.slice(surplus), values: columns.values.slice(surplus), cut: true };
    },
    async nearest({ seriesId, calibrations }, at, side) {
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
            `SELECT body FROM chunks WHERE seriesId = ? AND ${bound} ORDER BY ${order} LIMIT 2`,
            [seriesId, day, day, ms],
          )) as { body: Buffer }[],
      );
      let nearest: Sample | null = null;
      for (const { times, values } of [fresh, ...rows.map(({ body }) => decodeChunk(body))]) {
        const place = before ? firstAtOrAfter(times, at) - 1 : firstAtOrAfter(times, at + 1);
        const time = times[place];
        if (time === undefined) continue;
        if (nearest === null || (before ? time > nearest.at : time < nearest.at))
          nearest = { at: time, value: calibrate(calibrations, time, values[place]!) };
      }
      return nearest;
    },
    async rollups(series, bounds) {
      const from = bounds[0]!;
      const to = bounds.at(-1)!;
      const spanMs = [DAY_MS, HOUR_MS, TENS_MS].find((span) => bounds.every((bound) => bound % span === 0));
      if (spanMs !== undefined && isLinear(series.calibrations)) {
        // Only days with a bound inside need more than what is kept of the whole day.
        const split = new Set(bounds.filter((bound) => bound % DAY_MS !== 0).map(dayOf));
        if (spanMs === DAY_MS || split.size > (to - from) / DAY_MS / 3)
          return (await readRollups([series], from, to, spanMs)).get(series.seriesId)!;
        const whole = await readRollups([series], from, to, DAY_MS, (day) => !split.has(day));
        const apart = await readRollups([series], from, to, spanMs, (day) => split.has(day), split);
        return [...whole.get(series.seriesId)!, ...apart.get(series.seriesId)!].sort((a, b) => a.at - b.at);
      }
      // Bounds between the kept spans: a zone that is some quarter hours off.
      const result: Rollup[] = [];
      for await (const [part] of reader.parts([series], from, to)) result.push(...rollUp(part!, QUARTER_MS));
      return result;
    },
    async *parts(series, from, to) {
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
        const columns = await readColumns(series, start, end);
        yield ids.map((id) => columns.get(id)!);
      }
    },
    async lines(series, from, to, buckets) {
      if (series.length === 0) return [];
      const { spanMs, rollupMs } = planBuckets(from, to, buckets);
      if (rollupMs !== null && to - from > DAY_MS && series.every((one) => isLinear(one.calibrations))) {
        const plain = series.every(({ calibrations }) => calibrations.length === 0);
        const rollups =
          plain && spanMs > DAY_MS && spanMs % DAY_MS === 0
            ? await readDays(series, from, to, spanMs)
            : await readRollups(series, from, to, rollupMs);
        return series.map(({ key, seriesId }) =>
          toLine(key, spanMs, bucketRollups(rollups.get(seriesId)!, spanMs)),
        );
      }
      const columns = await readColumns(series, from, to);
      return series.map(({ key, seriesId }) =>
        toLine(key, spanMs, bucketColumns(columns.get(seriesId)!, spanMs)),
      );
    },
  };
  return reader;
}

/** True where rollups can be made right without the readings: straight lines only. */
function isLinear(steps: readonly CalibrationStep[]): boolean {
  return steps.every(({ calibration }) => calibration.form === 'linear');
}

/** A rollup made right by the straight line that holds at its time. */
function calibrateRollup(steps: readonly CalibrationStep[], rollup: Rollup): Rollup {
  const calibration = steps.length === 0 ? null : calibrationAt(steps, rollup.at);
  if (calibration === null || calibration.form !== 'linear') return rollup;
  const right = (value: number): number => applyCalibration(calibration, value);
  const ends = [right(rollup.min), right(rollup.max)];
  return {
    at: rollup.at,
    count: rollup.count,
    min: Math.min(...ends),
    max: Math.max(...ends),
    sum: rollup.sum * calibration.scale + rollup.count * calibration.offset,
    first: right(rollup.first),
    last: right(rollup.last),
    spread: rollup.spread * calibration.scale ** 2,
  };
}

/** Rows in order of series and day, a list for each day of each series. */
function byDay<R extends { seriesId: number; day: number }>(rows: readonly R[]): R[][] {
  const days: R[][] = [];
  for (const row of rows) {
    const last = days.at(-1)?.[0];
    if (last?.seriesId === row.seriesId && last.day === row.day) days.at(-1)!.push(row);
    else days.push([row]);
  }
  return days;
}

/** Infinite times, as far as days are counted. */
const clampDay = (at: number): number => Math.max(-8.64e15, Math.min(8.64e15, at));
const QUARTER_MS = 900_000;
const dayOf = (at: number): number => Math.floor(at / DAY_MS);

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
