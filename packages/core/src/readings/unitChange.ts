import type { Calibration, CalibrationStep } from './calibration';
import type { Datastream } from './types';
import { lineBetween, type UnitLine } from './units';

type Units = Pick<Datastream, 'unit' | 'sentUnit' | 'keptUnit'>;

/** The unit in which readings of a datastream are kept; calibrations are made in it too. */
export const keptUnitOf = ({ unit, keptUnit }: Units): string | null => keptUnit ?? unit;
/** The unit that a plain number is in when it arrives. */
export const sentUnitOf = ({ unit, sentUnit }: Units): string | null => sentUnit ?? unit;

/** The datastream as people see it: what they write is in the unit that is shown. */
export function asShown<S extends Units>(stream: S): S {
  return stream.sentUnit == null && stream.keptUnit == null
    ? stream
    : { ...stream, sentUnit: null, keptUnit: null };
}

/** The datastream as a board knows it: unit and range are what it sends. */
export function asSent<S extends Units & Pick<Datastream, 'min' | 'max'>>(stream: S): S {
  const sent = sentUnitOf(stream);
  const line = stream.unit === null || sent === null ? null : lineBetween(stream.unit, sent);
  if (line === null || sent === stream.unit) return stream;
  const bound = (value: number | null): number | null => (value === null ? null : along(line, value));
  return { ...stream, unit: sent, sentUnit: null, min: bound(stream.min), max: bound(stream.max) };
}

/** A value along a line between units, with twelve significant digits. */
export function along({ scale, offset }: UnitLine, value: number): number {
  return Number((value * scale + offset).toPrecision(12));
}

/** How kept values become shown ones: what makes them right, and then the unit. Steps in order of their beginning. */
export function shownSteps(stream: Units, steps: readonly CalibrationStep[]): CalibrationStep[] {
  const { unit } = stream;
  const kept = keptUnitOf(stream);
  const line = kept === null || unit === null || kept === unit ? null : lineBetween(kept, unit);
  if (line === null) return [...steps];
  const after = (calibration: Calibration): Calibration =>
    calibration.form === 'linear'
      ? {
          form: 'linear',
          scale: calibration.scale * line.scale,
          offset: calibration.offset * line.scale + line.offset,
        }
      : {
          form: 'table',
          points: calibration.points.map(([measured, right]) => [measured, right * line.scale + line.offset]),
        };
  const shown = steps.map(({ from, calibration }) => ({ from, calibration: after(calibration) }));
  return steps[0]?.from === null
    ? shown
    : [{ from: null, calibration: { form: 'linear', ...line } }, ...shown];
}

/** Decimals that show as much in another unit as before: three more from mm to m. */
export function decimalsAlong(decimals: number | null, { scale }: UnitLine): number | null {
  return decimals === null
    ? null
    : Math.min(6, Math.max(0, decimals - Math.round(Math.log10(Math.abs(scale)))));
}
