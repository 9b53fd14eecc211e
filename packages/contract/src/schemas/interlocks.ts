import { array, boolean, number, object, string, type InferType } from 'yup';

/** One rule that may hold a control, in the order in which they hold. */
const interlock = object({
  rule: number().required(),
  title: string().required(),
  rank: number().required(),
  value: string().required(),
  /** The value as it is read. */
  text: string().required(),
  /** The rule watches; a paused one holds nothing. */
  active: boolean().required(),
  /** The event that is open, and since when; null while none is. */
  event: number().nullable().defined(),
  since: number().nullable().defined(),
  /** It is this one that holds the control just now. */
  holds: boolean().required(),
});

/** What may hold a control, whether somebody has overridden it, and how long it runs and rests. */
export const interlocksOfSchema = object({
  stream: string().required(),
  title: string().required(),
  interlocks: array(interlock).required(),
  override: object({ until: number().required(), by: string().required() }).nullable().defined(),
  /** Until when it runs, and rests, where its kind says how long it may, epoch ms; null where it does neither. */
  runUntil: number().nullable().defined(),
  restUntil: number().nullable().defined(),
});
export type InterlocksOf = InferType<typeof interlocksOfSchema>;
export const interlocksSchema = array(interlocksOfSchema).required();

export const overrideSchema = object({
  stream: string().max(40).required(),
  minutes: number().integer().min(1).max(60).default(10),
}).noUnknown();
export type Override = InferType<typeof overrideSchema>;
