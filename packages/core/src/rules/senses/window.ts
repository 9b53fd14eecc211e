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

// Windows are walked at every reading: by index, as taking a slice apart costs ten times as much.

/** A window with one reading more, and without those that left it. */
export function intoWindow(window: Window, lengthMs: number, at: number, value: number): Window {
  let left = 0;
  while (left < window.length && window[left]![1] <= at - lengthMs) left++;
  const kept = window.slice(left);
  const step = stepOf(lengthMs, at);
  const last = kept[kept.length - 1];
  if (last === undefined || last[0] !== step) {
    kept.push([step, at, 1, value, value * value, value, value]);
    return kept;
  }
  kept[kept.length - 1] = [
    step,
    at,
    last[2] + 1,
    last[3] + value,
    last[4] + value * value,
    Math.min(last[5], value),
    Math.max(last[6], value),
  ];
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
  for (let i = 0; i < window.length; i++) {
    const slice = window[i]!;
    if (slice[1] <= at - lengthMs) continue;
    count += slice[2];
    sum += slice[3];
    squares += slice[4];
    if (slice[5] < min) min = slice[5];
    if (slice[6] > max) max = slice[6];
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
  for (let i = 0; i < window.length; i++) {
    const at = window[i]![1] + lengthMs;
    if (at > after) return at;
  }
  return null;
}
