import '../locale';
import { array, number, object, string, type InferType } from 'yup';
import { streamSchema, type NewStream } from './kinds';

export const recomputeSchema = object({
  /** ID of one device; left out: all of the kind. */
  device: string().max(40),
}).noUnknown();
export const askedSchema = object({ devices: number().required() });

export const RECOMPUTATION_STATES = ['waiting', 'running', 'done', 'failed'] as const;
export const recomputationsSchema = array(
  object({
    device: string().required(),
    state: string().oneOf(RECOMPUTATION_STATES).required(),
    /** Days of history that are done, of how many. */
    doneDays: number().required(),
    days: number().required(),
    note: string().defined(),
    by: string().defined(),
    at: number().required(),
    endedAt: number().nullable().defined(),
  }),
).required();
/** A computed datastream of one device being worked out anew over its history. */
export type Recomputation = InferType<typeof recomputationsSchema>[number];

export const tryComputationSchema = object({
  stream: streamSchema.required(),
  /** ID of the device whose recent readings it is tried on; left out: one of the kind. */
  device: string().max(40),
}).noUnknown();
export interface TryComputation {
  stream: Pick<NewStream, 'key' | 'title' | 'type'> & Partial<NewStream>;
  device?: string;
}
export const triedSchema = object({
  /** Keys of the datastreams it reads. */
  inputs: array(string().required()).required(),
  device: string().nullable().defined(),
  /** What it makes of recent readings: time and value. */
  preview: array(array(number().required()).required()).required(),
});
export interface Tried {
  inputs: string[];
  device: string | null;
  preview: [at: number, value: number][];
}
