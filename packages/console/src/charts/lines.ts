import { firstAtOrAfter } from '@peatmoor/core';
import type { HistoryLine } from '@peatmoor/contract';

/**
 * What is drawn of one source: times in seconds (as the chart wants them), the middle of each with the least and the greatest
 * around it; null where a gap is.
 */
export interface ChartColumns {
  times: number[];
  values: (number | null)[];
  low: (number | null)[];
  high: (number | null)[];
}

/**
 * A source's history with what came live since, as chart columns; a hole longer than `gapMs` breaks the line. A bucket of
 * several readings is drawn at its middle, with the least and greatest of it, so that no spike is hidden by a mean.
 */
export function chartColumns(
  line: HistoryLine | undefined,
  tail: readonly { at: number; value: number }[],
  from: number,
  gapMs: number,
): ChartColumns {
  const columns: ChartColumns = { times: [], values: [], low: [], high: [] };
  let last: number | null = null;
  const put = (at: number, value: number | null, low: number | null, high: number | null): void => {
    columns.times.push(at / 1000);
    columns.values.push(value);
    columns.low.push(low);
    columns.high.push(high);
  };
  const add = (at: number, value: number, low: number, high: number): void => {
    if (at < from) return;
    if (last !== null && at - last > gapMs) put(last + 1, null, null, null);
    put(at, value, low, high);
    last = at;
  };
  line?.times.forEach((at, i) =>
    add(
      at + line.spanMs / 2,
      line.values[i]!,
      line.min[i] ?? line.values[i]!,
      line.max[i] ?? line.values[i]!,
    ),
  );
  const end = line === undefined || line.times.length === 0 ? from : line.times.at(-1)! + line.spanMs;
  for (const { at, value } of tail) if (at > end) add(at, value, value, value);
  return columns;
}

/** How far apart readings usually are, in ms: the middle of all distances; 0 for fewer than three. */
export function usualSpacing(times: readonly number[]): number {
  if (times.length < 3) return 0;
  const distances = times.slice(1).map((at, i) => at - times[i]!);
  return distances.sort((a, b) => a - b)[distances.length >> 1]!;
}

/** A hole longer than this is no pause between readings, in ms: longer than was usual just then, and than one bucket. */
export const usualGap = ({ times, spanMs }: Pick<HistoryLine, 'times' | 'spanMs'>): number =>
  Math.max(usualSpacing(times) * 2.5, spanMs * 1.5);

/** Parts of columns between which there are gaps, as places from and to (not included). */
export function runsOf({ values }: ChartColumns): [from: number, to: number][] {
  const runs: [number, number][] = [];
  for (let from = 0, i = 0; i <= values.length; i++) {
    if (i < values.length && values[i] !== null) continue;
    if (i > from) runs.push([from, i]);
    from = i + 1;
  }
  return runs;
}

/** The place of the point nearest to a time (s), or null where there is none within `within` (s). */
export function nearestPoint({ times, values }: ChartColumns, at: number, within: number): number | null {
  const next = firstAtOrAfter(times, at);
  let best: number | null = null;
  // A gap has a place of its own beside the point before it.
  for (let i = Math.max(0, next - 2); i <= Math.min(times.length - 1, next + 1); i++) {
    if (values[i] === null || Math.abs(times[i]! - at) > within) continue;
    if (best === null || Math.abs(times[i]! - at) < Math.abs(times[best]! - at)) best = i;
  }
  return best;
}

/** Where a line is broken: from the reading before the gap to the one after it, epoch ms. */
export function gapsIn({ times, values }: ChartColumns): [from: number, to: number][] {
  const gaps: [number, number][] = [];
  for (let i = 1; i + 1 < times.length; i++)
    if (values[i] === null && values[i - 1] !== null && values[i + 1] !== null)
      gaps.push([times[i - 1]! * 1000, times[i + 1]! * 1000]);
  return gaps;
}

/** What lies between two times (s), both included. */
export function partOf({ times, values, low, high }: ChartColumns, from: number, to: number): ChartColumns {
  const start = firstAtOrAfter(times, from);
  let end = firstAtOrAfter(times, to);
  while (end < times.length && times[end]! <= to) end++;
  return {
    times: times.slice(start, end),
    values: values.slice(start, end),
    low: low.slice(start, end),
    high: high.slice(start, end),
  };
}

/** What lies between two markers: the change, how fast that is, and the mean over time. */
export interface Measured {
  from: number;
  to: number;
  delta: number;
  /** Change in an hour. */
  perHour: number;
  mean: number;
}

/** Measures a line between two times (s); null where there is nothing near one of them. */
export function measure(columns: ChartColumns, a: number, b: number, within: number): Measured | null {
  const [from, to] = a <= b ? [a, b] : [b, a];
  const [first, last] = [nearestPoint(columns, from, within), nearestPoint(columns, to, within)];
  if (first === null || last === null || to <= from) return null;
  const delta = columns.values[last]! - columns.values[first]!;
  const inside = partOf(columns, columns.times[first]!, columns.times[last]!);
  let [area, time] = [0, 0];
  for (let i = 1; i < inside.times.length; i++) {
    const [left, right] = [inside.values[i - 1], inside.values[i]];
    if (left == null || right == null) continue;
    const width = inside.times[i]! - inside.times[i - 1]!;
    area += ((left + right) / 2) * width;
    time += width;
  }
  return {
    from,
    to,
    delta,
    perHour: (delta / (to - from)) * 3600,
    mean: time > 0 ? area / time : columns.values[first]!,
  };
}
