import type { ChartColumns } from './lines';

export interface ChartLine {
  label: string;
  columns: ChartColumns;
  stepped: boolean;
  /** Its own colour; null for the next of the palette. */
  colour: string | null;
  /** Its unit, by which it has the left or the right scale. */
  unit: string;
  /** True for what is laid under: the same of the period before. */
  under?: boolean;
  hidden?: boolean;
}

/** Inks and strokes that tell lines apart without colour too. */
export const LINE_INKS = ['pool', 'heather', 'moss', 'rowan', 'ink', 'soft'] as const;
export const LINE_DASHES = [[], [7, 4], [2, 3], [10, 3, 2, 3]] as const;

/** The unit that has the scale on the right: the first that is not that of the first line. */
export function rightUnit(lines: readonly Pick<ChartLine, 'unit'>[]): string | null {
  return lines.find(({ unit }) => unit !== lines[0]?.unit)?.unit ?? null;
}
