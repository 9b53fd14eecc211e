import type { Columns } from '../history/series';

/** How a measured value becomes the true one: value × scale + offset, or along a table of points. */
export type Calibration =
  | { form: 'linear'; scale: number; offset: number }
  /** Measured → true, at least two, measured ascending; straight lines between, the outer ones go on. */
  | { form: 'table'; points: [measured: number, true_: number][] };

/** A calibration from a time on (epoch ms); null: from the beginning of history. */
export interface CalibrationStep {
  from: number | null;
  calibration: Calibration;
}

/** The calibration that makes a measured value zero. */
export function zeroAt(measured: number): Calibration {
  return { form: 'linear', scale: 1, offset: -measured };
}

/** The straight line through two points that are known. Throws RangeError where both were measured alike. */
export function throughPoints(
  [measuredA, trueA]: [number, number],
  [measuredB, trueB]: [number, number],
): Calibration {
  if (measuredA === measuredB) throw new RangeError('both points were measured alike');
  const scale = (trueB - trueA) / (measuredB - measuredA);
  return { form: 'linear', scale, offset: trueA - measuredA * scale };
}

/** What is wrong with a calibration, in words; null when nothing is. */
export function checkCalibration(calibration: Calibration): string | null {
  if (calibration.form === 'linear') {
    const { scale, offset } = calibration;
    if (!Number.isFinite(scale) || !Number.isFinite(offset)) return 'scale and offset must be numbers';
    return scale === 0 ? 'a scale of 0 would make every value the same' : null;
  }
  const { points } = calibration;
  if (points.length < 2) return 'a table needs at least two points';
  if (points.some((point) => !point.every(Number.isFinite))) return 'every point needs two numbers';
  const ascends = points.every(([measured], i) => i === 0 || measured > points[i - 1]![0]);
  return ascends ? null : 'the measured values of a table must ascend, each once';
}

/** The true value of a measured one. */
export function applyCalibration(calibration: Calibration, measured: number): number {
  if (calibration.form === 'linear') return tidy(measured * calibration.scale + calibration.offset);
  const { points } = calibration;
  let i = 1;
  while (i < points.length - 1 && measured > points[i]![0]) i++;
  const [lowMeasured, lowTrue] = points[i - 1]!;
  const [highMeasured, highTrue] = points[i]!;
  const share = (measured - lowMeasured) / (highMeasured - lowMeasured);
  return tidy(lowTrue + share * (highTrue - lowTrue));
}

/** The calibration that holds at a time: the newest step that began by then; null where none did. */
export function calibrationAt(steps: readonly CalibrationStep[], at: number): Calibration | null {
  for (let i = steps.length - 1; i >= 0; i--) {
    const { from, calibration } = steps[i]!;
    if (from === null || from <= at) return calibration;
  }
  return null;
}

/** The true value of a reading, by steps in order of their beginning. */
export function calibrate(steps: readonly CalibrationStep[], at: number, measured: number): number {
  if (steps.length === 0) return measured;
  const calibration = calibrationAt(steps, at);
  return calibration === null ? measured : applyCalibration(calibration, measured);
}

/** The true values of ordered columns; the columns themselves where nothing is to be done. */
export function calibrateColumns(steps: readonly CalibrationStep[], columns: Columns): Columns {
  if (steps.length === 0) return columns;
  return {
    times: columns.times,
    values: columns.values.map((value, i) => calibrate(steps, columns.times[i]!, value)),
  };
}

/**
 * Puts steps in order, given in the order in which they were made: that of all history first, then by their beginning; of equal
 * ones the later made is last. One over all history takes the place of all that were made before it.
 */
export function orderSteps<S extends CalibrationStep>(steps: readonly S[]): S[] {
  const whole = steps.findLastIndex(({ from }) => from === null);
  return steps.slice(Math.max(0, whole)).sort((a, b) => (a.from ?? -Infinity) - (b.from ?? -Infinity) || 0);
}

/** How far a value is from the true one, in percent of the true one; null for a true value of 0. */
export function errorPercent(value: number, reference: number): number | null {
  return reference === 0 ? null : ((value - reference) / Math.abs(reference)) * 100;
}

/** Fourteen significant digits: 0.1 × 3 is 0.3, and nothing that a sensor says is lost. */
function tidy(value: number): number {
  return Number(value.toPrecision(14));
}
