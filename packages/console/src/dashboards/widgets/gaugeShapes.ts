import type { Zone } from '@peatmoor/core';

/** What a gauge shows, in shown units. */
export interface GaugeFacts {
  value: number | undefined;
  wanted: number | undefined;
  target: number | null;
  min: number;
  max: number;
  /** Least and greatest of the last 24 hours. */
  day: { min: number; max: number } | null;
  zones: readonly Zone[];
  marks: readonly number[];
  /** What there is room for, in px; 0 before it is known. */
  width: number;
  height: number;
  sample: boolean;
}

/** Where a value lies between the ends of the scale, 0 to 1. */
export function placeOn({ min, max }: Pick<GaugeFacts, 'min' | 'max'>, value: number): number {
  return (Math.min(max, Math.max(min, value)) - min) / (max - min || 1);
}

/** True where the value lies in a zone: that one is shown, the others are faint. */
export function isIn(value: number | undefined, min: number | null, max: number | null): boolean {
  return value !== undefined && (min === null || value >= min) && (max === null || value < max);
}

/** The size of letters in a drawing of this size that is made to fit, so that they are never too small to be read. */
export function letterSize(
  { width, height }: Pick<GaugeFacts, 'width' | 'height'>,
  box: { width: number; height: number },
  usual: number,
): number {
  const scale = Math.min(width / box.width, height / box.height);
  return scale > 0 ? Math.min(usual * 2, Math.max(usual, LEAST_PX / scale)) : usual;
}
const LEAST_PX = 11.5;
