import { DAY_MS, HOUR_MS, joinRollups, rollUp, TENS_MS, type Rollup } from './rollup';
import type { Columns } from './series';

/** A bucket of a chart: a rollup with its mean. Empty buckets are left out, so gaps stay visible. */
export interface Bucket extends Rollup {
  mean: number;
}

/** A period cut into equal buckets: `count` buckets of `spanMs`, the first starting at `from`. */
export interface BucketPlan {
  from: number;
  to: number;
  spanMs: number;
  /** Span of the widest rollups that carry the buckets without loss: day, hour, ten minutes; null for the readings. */
  rollupMs: number | null;
}

const NICE_SPANS_MS = [
  100,
  200,
  500,
  1000,
  2000,
  5000,
  10_000,
  15_000,
  30_000,
  60_000,
  120_000,
  300_000,
  600_000,
  900_000,
  1_800_000,
  HOUR_MS,
  2 * HOUR_MS,
  3 * HOUR_MS,
  6 * HOUR_MS,
  12 * HOUR_MS,
  24 * HOUR_MS,
];
/** Spans that are kept rolled up, the widest first. */
const ROLLUP_SPANS_MS = [DAY_MS, HOUR_MS, TENS_MS];

/**
 * Chooses bucket bounds for a period (epoch ms) so that at most `most` buckets cover it and bounds fall on
 * round times. Spans of an hour and more are whole hours, so that hour rollups carry them.
 */
export function planBuckets(from: number, to: number, most: number): BucketPlan {
  const wanted = Math.max(1, (to - from) / Math.max(1, most - 1));
  const day = 24 * HOUR_MS;
  const spanMs = NICE_SPANS_MS.find((span) => span >= wanted) ?? Math.ceil(wanted / day) * day;
  const start = Math.floor(from / spanMs) * spanMs;
  const rollupMs = ROLLUP_SPANS_MS.find((span) => spanMs % span === 0) ?? null;
  return { from: start, to: Math.ceil(to / spanMs) * spanMs, spanMs, rollupMs };
}

/** Buckets made from readings themselves. */
export function bucketColumns(columns: Columns, spanMs: number): Bucket[] {
  return rollUp(columns, spanMs).map(withMean);
}

/** Buckets made by joining rollups (in order of time) that lie wholly within one bucket each. */
export function bucketRollups(rollups: readonly Rollup[], spanMs: number): Bucket[] {
  const joined: Rollup[] = [];
  for (const rollup of rollups) {
    const at = Math.floor(rollup.at / spanMs) * spanMs;
    const last = joined.at(-1);
    if (last !== undefined && last.at === at) joined[joined.length - 1] = joinRollups(last, rollup);
    else joined.push({ ...rollup, at });
  }
  return joined.map(withMean);
}

function withMean(rollup: Rollup): Bucket {
  return { ...rollup, mean: rollup.sum / rollup.count };
}
