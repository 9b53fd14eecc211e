import '../locale';
import { array, number, object, string, type InferType } from 'yup';

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
}).noUnknown();
export const overviewSchema = object({
  from: number().required(),
  to: number().required(),
  lines: array(historyLineSchema.shape({ device: string().required() })).required(),
});
export type Overview = InferType<typeof overviewSchema>;
