import '../locale';
import type { Value } from '@peatmoor/core';
import { array, boolean, mixed, number, object, string, type InferType } from 'yup';

export const historyQuerySchema = object({
  /** Datastream keys, with commas between them. */
  streams: string().max(2000).required(),
  /** Epoch ms; the start belongs to the period, the end does not. */
  from: number().required(),
  to: number()
    .required()
    .test('order', 'must be later than from', function (to) {
      const { from } = this.parent as { from: number };
      return !(to <= from);
    }),
  /** How many buckets at the most; left out or 0: the readings themselves, 20,000 at most for each datastream. */
  buckets: number().integer().min(0).max(2000).default(0),
}).noUnknown();
export type HistoryQuery = InferType<typeof historyQuerySchema>;

const numbers = array(number().required()).required();
/** A datastream's history in columns: `values` are readings or bucket means; min, max and count come with buckets. */
export const historyLineSchema = object({
  key: string().required(),
  spanMs: number().required(),
  times: numbers,
  values: numbers,
  min: numbers,
  max: numbers,
  count: numbers,
  /** True where there was more than is given. */
  cut: number().required(),
  /** The texts that the numbers of a choice stand for, in their order; left out for all else. */
  choices: array(string().required()),
});
export type HistoryLine = InferType<typeof historyLineSchema>;
export const historySchema = object({
  from: number().required(),
  to: number().required(),
  lines: array(historyLineSchema).required(),
});
export type History = InferType<typeof historySchema>;

export const overviewQuerySchema = object({
  hours: number().integer().min(1).max(168).default(24),
  /** IDs of the devices that are in sight, with commas between them; left out: the first ones by name. */
  devices: string().max(20_000),
}).noUnknown();
export const overviewSchema = object({
  from: number().required(),
  to: number().required(),
  lines: array(historyLineSchema.shape({ device: string().required() })).required(),
});
export type Overview = InferType<typeof overviewSchema>;

export const othersQuerySchema = object({
  /** Key of a datastream of texts, locations or images. */
  stream: string().max(80).required(),
  from: number().default(0),
  to: number().default(() => Date.now() + 1),
  limit: number().integer().min(1).max(5000).default(200),
}).noUnknown();
export type OthersQuery = InferType<typeof othersQuerySchema>;

export const otherReadingsSchema = object({
  key: string().required(),
  /** Time and value, the newest first. Of an image, its type and size; its bytes are at its own address. */
  readings: array(object({ at: number().required(), value: mixed().required() })).required(),
  /** True where the period has more than is given. */
  cut: boolean().required(),
});
export interface OtherReadings {
  key: string;
  readings: { at: number; value: Value }[];
  cut: boolean;
}
