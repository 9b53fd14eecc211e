import type { ChartDraws } from '@peatmoor/core';

/** Fixed bounds of a scale; null where it goes by what is seen. */
export type ScaleRange = readonly [min: number | null, max: number | null];

/** A range that holds what is seen, with air; fixed bounds win. Bars stand on nought. */
export function scaleRange(
  low: number | null,
  high: number | null,
  [min, max]: ScaleRange,
  draws: ChartDraws,
): [number, number] {
  const bottom = draws === 'bars' ? Math.min(0, low ?? 0) : (low ?? 0);
  const top = draws === 'bars' ? Math.max(0, high ?? 1) : (high ?? 1);
  const air = top > bottom ? (top - bottom) * 0.08 : Math.max(1, Math.abs(top) * 0.05);
  // A line that stands still at nought or above it says nothing of what lies below.
  const floor =
    draws === 'bars' && bottom === 0
      ? 0
      : top === bottom && bottom >= 0
        ? Math.max(0, bottom - air)
        : bottom - air;
  return [min ?? floor, max ?? top + air];
}
