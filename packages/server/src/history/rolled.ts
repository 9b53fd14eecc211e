import {
  applyCalibration,
  calibrateColumns,
  calibrationAt,
  DAY_MS,
  EMPTY_COLUMNS,
  HOUR_MS,
  mergeColumns,
  rollUp,
  sliceColumns,
  TENS_MS,
  type CalibrationStep,
  type Columns,
  type Rollup,
} from '@peatmoor/core';
import { rollupsOf, type ChunkPlace, type ChunkRow } from './chunks';
import { columnsOf, dayOf, readColumns, type ReadSeries, type Sources } from './readings';

/** Rollups of several series, exact at both ends and where readings are not folded yet. */
export async function readRollups(
  sources: Sources,
  series: readonly ReadSeries[],
  from: number,
  to: number,
  spanMs: number,
  /** Only these days; `among` names them where they are few. */
  wanted: (day: number) => boolean = () => true,
  among: ReadonlySet<number> | null = null,
): Promise<Map<number, Rollup[]>> {
  const { store, recent, onDamaged } = sources;
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
        `SELECT seriesId, day, part, count, min, max, sum, first, last, spread, ${spanMs === HOUR_MS ? 'hours' : 'NULL AS hours'}, ${spanMs === TENS_MS ? 'tens' : 'NULL AS tens'},
          IF(${raw} OR NOT (${kept}), body, NULL) AS body
          FROM chunks WHERE seriesId IN (${ids.join(',')}) AND day BETWEEN ? AND ?${among === null ? '' : ` AND day IN (${[...among, -1e6].join(',')})`} ORDER BY seriesId, day, part`,
        [dayOf(from), dayOf(to - 1)],
      )) as (ChunkRow & ChunkPlace)[],
  );
  const result = new Map<number, Rollup[]>(ids.map((id) => [id, []]));
  for (const chunks of byDay(rows)) {
    const { seriesId, day } = chunks[0]!;
    const list = result.get(seriesId)!;
    if (!wanted(day)) continue;
    if (!days.has(day)) {
      for (const chunk of chunks)
        for (const rollup of readableRollups(chunk, spanMs, onDamaged))
          if (rollup.at >= from && rollup.at < to) list.push(calibrateRollup(stepsOf.get(seriesId)!, rollup));
      continue;
    }
    let whole: Columns = EMPTY_COLUMNS;
    for (const chunk of chunks)
      whole = mergeColumns(whole, columnsOf(sources, { ...chunk, body: chunk.body! }));
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
}

/** What is kept beside a chunk; nothing where its bytes are damaged. */
function readableRollups(
  chunk: ChunkRow & ChunkPlace,
  spanMs: number,
  onDamaged: Sources['onDamaged'],
): Rollup[] {
  try {
    return rollupsOf(chunk, spanMs);
  } catch {
    onDamaged?.(chunk);
    return [];
  }
}

/**
 * Buckets of whole days over a long period, summed by the database: a row a bucket instead of a row a day. Days that
 * need their readings (the ragged ends, and those with readings not folded yet) are left to readRollups.
 */
export async function readDays(
  sources: Sources,
  series: readonly ReadSeries[],
  from: number,
  to: number,
  spanMs: number,
): Promise<Map<number, Rollup[]>> {
  const { store, recent } = sources;
  const ids = series.map(({ seriesId }) => seriesId);
  const apart = new Set<number>([dayOf(from), dayOf(to - 1)]);
  for (const id of ids) for (const at of recent.of(id).times) if (at >= from && at < to) apart.add(dayOf(at));
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
    const columns = await readColumns(sources, series, start, end);
    for (const [id, one] of columns) result.get(id)!.push(...rollUp(one, DAY_MS));
  }
  for (const list of result.values()) list.sort((a, b) => a.at - b.at);
  return result;
}

/** True where rollups can be made right without the readings: straight lines only. */
export function isLinear(steps: readonly CalibrationStep[]): boolean {
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
