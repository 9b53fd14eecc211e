import type { Display } from '@peatmoor/core';
import type { ChartColumns } from './lines';

export interface ChartLine {
  label: string;
  columns: ChartColumns;
  stepped: boolean;
  /** Its own colour; null for the next of the palette. */
  colour: string | null;
  /** Of whole numbers and states nothing lies between: no mean of them is told. */
  whole: boolean;
  /** What is told of its newest value; null for a sample, of which nothing was measured. */
  newest: { device: string; stream: string; intervalS: number } | null;
  /** Its unit, by which it has its scale. */
  unit: string;
  /** True for what is laid under: the same of the period before. */
  under?: boolean;
  hidden?: boolean;
}

/** Inks and strokes that tell lines apart without colour too. */
export const LINE_INKS = ['pool', 'heather', 'moss', 'rowan', 'ink', 'soft'] as const;
export const LINE_DASHES = [[], [7, 4], [2, 3], [10, 3, 2, 3]] as const;

/** The place of a line among the inks and strokes: what is laid under, which comes after all others, has that of its own line. */
export const placeOf = (lines: readonly ChartLine[], i: number): number =>
  lines[i]!.under ? i - lines.length / 2 : i;

/** A scale of a chart: on the left, on the right, or one that a further unit has for itself, without an axis. */
export type ScaleName = 'y' | 'right' | `own ${string}`;

/** The scale of each unit: the first is on the left, the second on the right; what is measured otherwise never stands on theirs. */
export function scalesOf(lines: readonly Pick<ChartLine, 'unit'>[]): Map<string, ScaleName> {
  const units = [...new Set(lines.map(({ unit }) => unit))];
  return new Map(units.map((unit, i) => [unit, i === 0 ? 'y' : i === 1 ? 'right' : `own ${unit}`]));
}

/** True for a scale without an axis. */
export const isOwnScale = (name: ScaleName | undefined): boolean => name?.startsWith('own') ?? false;

/** The unit that has the scale on the right; null for none. */
export function rightUnit(lines: readonly Pick<ChartLine, 'unit'>[]): string | null {
  return [...scalesOf(lines)].find(([, name]) => name === 'right')?.[0] ?? null;
}

/**
 * What a point of a line says, with its unit: a reading, or the mean of several that are not the same, which is called so. Of whole numbers
 * and states it is the least and the greatest: what lies between was never measured.
 */
export function pointOf(
  { columns: { values, low, high }, whole }: Pick<ChartLine, 'columns' | 'whole'>,
  place: number,
  display: Display,
): string {
  if (low[place] === high[place]) return display.reading(display.back(values[place]!));
  return whole
    ? spreadWords(low[place]!, high[place]!, display)
    : `mean ${display.mean(display.back(values[place]!))}`;
}

/** From the least to the greatest, as they are shown on the chart. */
export const spreadWords = (low: number, high: number, display: Display): string =>
  `${display.value(display.back(low))} to ${display.reading(display.back(high))}`;
