import type { Columns } from './series';

export const TENS_MS = 600_000;
export const HOUR_MS = 3_600_000;
export const DAY_MS = 86_400_000;

/** What is kept of one span of readings. */
export interface Rollup {
  /** Start of the span, epoch ms. */
  at: number;
  count: number;
  min: number;
  max: number;
  sum: number;
  first: number;
  last: number;
  /** Sum of the squared deviations from the mean: variance × count. Joined without loss (Chan, Golub, LeVeque 1979). */
  spread: number;
}

/**
 * Rolls ordered readings up into spans of `spanMs`, aligned to the epoch; spans without readings are left out. A sum
 * beyond the largest number is kept as that.
 */
export function rollUp(columns: Columns, spanMs: number): Rollup[] {
  const rollups: Rollup[] = [];
  let open: Rollup | undefined;
  let mean = 0;
  for (let i = 0; i < columns.times.length; i++) {
    const at = Math.floor(columns.times[i]! / spanMs) * spanMs;
    const value = columns.values[i]!;
    if (open === undefined || open.at !== at) {
      open = { at, count: 0, min: value, max: value, sum: 0, first: value, last: value, spread: 0 };
      rollups.push(open);
      mean = 0;
    }
    open.count++;
    open.sum = finite(open.sum + value);
    // Welford's method: stable where many values lie close to each other.
    const before = value - mean;
    mean = finite(mean + before / open.count);
    open.spread = finite(open.spread + Math.abs(before * (value - mean)));
    open.last = value;
    if (value < open.min) open.min = value;
    if (value > open.max) open.max = value;
  }
  return rollups;
}

/** Joins two rollups, the earlier first, into one that starts with the earlier. */
export function joinRollups(earlier: Rollup, later: Rollup): Rollup {
  const count = earlier.count + later.count;
  const apart = later.sum / later.count - earlier.sum / earlier.count;
  return {
    at: earlier.at,
    count,
    min: Math.min(earlier.min, later.min),
    max: Math.max(earlier.max, later.max),
    sum: finite(earlier.sum + later.sum),
    first: earlier.first,
    last: later.last,
    spread: joinSpreads(earlier, later, apart * apart * ((earlier.count * later.count) / count)),
  };
}

/** NaN where it was not kept of one of them. */
function joinSpreads(earlier: Rollup, later: Rollup, between: number): number {
  const within = earlier.spread + later.spread;
  return Number.isNaN(within) ? within : finite(within + between);
}

/** A sum without the last digits, which adding up makes and nobody measured (0.1 + 0.2). */
export function roundSum(sum: number): number {
  return finite(Number(sum.toPrecision(15)));
}

/** A sum as it can be kept: the largest number where it is beyond all. */
export function finite(sum: number): number {
  return !(sum <= Number.MAX_VALUE) ? Number.MAX_VALUE : sum < -Number.MAX_VALUE ? -Number.MAX_VALUE : sum;
}
