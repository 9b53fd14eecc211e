import '../locale';
import type { Calibration } from '@peatmoor/core';
import { array, boolean, mixed, number, object, string, type InferType } from 'yup';

const pair = array(number().required()).length(2).required();
const calibrationSchema = mixed<Calibration>()
  .test(
    'calibration',
    'must be {"form":"linear","scale","offset"} or {"form":"table","points":[[measured,true],…]}',
    (value) => {
      const one = value as Calibration | undefined;
      if (one?.form === 'linear') return typeof one.scale === 'number' && typeof one.offset === 'number';
      return (
        one?.form === 'table' &&
        Array.isArray(one.points) &&
        one.points.length <= 100 &&
        one.points.every((point) => pair.isValidSync(point, { strict: true }))
      );
    },
  )
  .required();

/** A reference value beside what was measured at the same time. */
const capturedSchema = object({
  reference: number().required(),
  measured: number().required(),
  /** Standard deviation of what was averaged. */
  spread: number().min(0).default(0),
  seconds: number().min(0).max(3600).default(0),
})
  .noUnknown()
  .nullable()
  .default(null);

export const newCalibrationSchema = object({
  stream: string().max(80).required(),
  calibration: calibrationSchema,
  /** From this time on; null: over all history. Raw values stay, so that it can be changed again. */
  from: number().nullable().default(null),
  captured: capturedSchema,
  /** True only shows what it would make of recent readings. */
  try: boolean().default(false),
}).noUnknown();
export type NewCalibration = InferType<typeof newCalibrationSchema>;

export const keptCalibrationSchema = object({
  id: number().required(),
  stream: string().required(),
  calibration: mixed<Calibration>().required(),
  from: number().nullable().defined(),
  captured: capturedSchema,
  /** Distance from the reference before and after, in percent; null without one. */
  errorBefore: number().nullable().defined(),
  errorAfter: number().nullable().defined(),
  by: string().required(),
  at: number().required(),
});
export type KeptCalibration = InferType<typeof keptCalibrationSchema>;
export const calibrationsSchema = array(keptCalibrationSchema).required();
export const calibrationPreviewSchema = object({
  kept: keptCalibrationSchema.nullable().defined(),
  /** Newest readings: time, as it came, as it would be shown. */
  preview: array(array(number().required()).required()).required(),
});
export interface CalibrationPreview {
  kept: KeptCalibration | null;
  preview: [at: number, measured: number, shown: number][];
}
