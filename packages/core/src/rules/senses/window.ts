import type { WindowStatistic } from '../settings';

/** Readings of a time in one: when the newest was, how many, their sum, squares, lowest and highest. */
type Slice = [
  step: number,
  at: number,
  count: number,
  sum: number,
  squares: number,
  min: number,
  max: number,
];
export type Window = Slice[];

/** A window is kept in so many steps: readings of one step leave it together. Exact while they come further apart than a step. */
const STEPS = 120;

const stepOf = (lengthMs: number, at: number): number => Math.floor(at / Math.max(1, lengthMs / STEPS));

/** A window with one reading more, and without those that left it. */
export function intoWindow(window: Window, lengthMs: number, at: number, value: number): Window {
  const kept = window.filter((slice) => slice[1] > at - lengthMs);
  const step = stepOf(lengthMs, at);
  const last = kept.at(-1);
  if (last?.[0] === step) {
    const [, , count, sum, squares, min, max] = last;
    kept[kept.length - 1] = [
      step,
      at,
      count + 1,
      sum + value,
      squares + value * value,
      Math.min(min, value),
      Math.max(max, value),
    ];
    return kept;
  }
  kept.push([step, at, 1, value, value * value, value, value]);
  return kept;
}

/** A statistic over what is in the window at a time; null where it is empty and has none. */
export function ofWindow(
  window: Window,
  lengthMs: number,
  at: number,
  statistic: WindowStatistic,
): number | null {
  let count = 0;
  let sum = 0;
  let squares = 0;
  let min = Infinity;
  let max = -Infinity;
  for (const [, newest, n, s, q, low, high] of window) {
    if (newest <= at - lengthMs) continue;
    count += n;
    sum += s;
    squares += q;
    min = Math.min(min, low);
    max = Math.max(max, high);
  }
  switch (statistic) {
    case 'count':
      return count;
    case 'sum':
      return sum;
    case 'lowest':
      return count === 0 ? null : min;
    case 'highest':
      return count === 0 ? null : max;
    case 'mean':
      return count === 0 ? null : sum / count;
    case 'spread':
      return count === 0 ? null : Math.sqrt(Math.max(0, squares / count - (sum / count) ** 2));
  }
}

/** When the next of its readings leaves the window, after a time. */
export function leavesWindow(window: Window, lengthMs: number, after: number): number | null {
  for (const [, newest] of window) if (newest + lengthMs > after) return newest + lengthMs;
  return null;
}
