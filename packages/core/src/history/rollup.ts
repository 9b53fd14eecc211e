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
}

/** Rolls ordered readings up into spans of `spanMs`, aligned to the epoch; spans without readings are left out. */
export function rollUp(columns: Columns, spanMs: number): Rollup[] {
  const rollups: Rollup[] = [];
  let open: Rollup | undefined;
  for (let i = 0; i < columns.times.length; i++) {
    const at = Math.floor(columns.times[i]! / spanMs) * spanMs;
    const value = columns.values[i]!;
    if (open === undefined || open.at !== at) {
      open = { at, count: 0, min: value, max: value, sum: 0, first: value, last: value };
      rollups.push(open);
    }
    open.count++;
    open.sum += value;
    open.last = value;
    if (value < open.min) open.min = value;
    if (value > open.max) open.max = value;
  }
  return rollups;
}

/** Joins two rollups, the earlier first, into one that starts with the earlier. */
export function joinRollups(earlier: Rollup, later: Rollup): Rollup {
  return {
    at: earlier.at,
    count: earlier.count + later.count,
    min: Math.min(earlier.min, later.min),
    max: Math.max(earlier.max, later.max),
    sum: earlier.sum + later.sum,
    first: earlier.first,
    last: later.last,
  };
}
