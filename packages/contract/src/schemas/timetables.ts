import '../locale';
import { TIME_BASES, type SetTime } from '@peatmoor/core';
import { array, boolean, number, object, string, type InferType } from 'yup';

/** Set times that one timetable may have. */
export const MOST_SET_TIMES = 50;

const setTimeSchema = object({
  /** Days of the week, 1 Monday to 7 Sunday. */
  days: array(number().integer().min(1).max(7).required()).min(1).max(7).required(),
  base: string().oneOf(TIME_BASES).default('clock'),
  minutes: number()
    .integer()
    .required()
    .when('base', ([base], schema) =>
      base === 'clock' || base === undefined ? schema.min(0).max(1439) : schema.min(-720).max(720),
    ),
  value: string().trim().min(1).max(200).required(),
}).noUnknown();

export const newTimetableSchema = object({
  title: string().trim().min(1).max(80).required(),
  /** The control of the device. */
  stream: string().max(80).required(),
  times: array(setTimeSchema.required()).min(1).max(MOST_SET_TIMES).required(),
  /** True: after an outage the newest missed value is wanted all the same. Presses are never made up. */
  catchUp: boolean().default(false),
  active: boolean().default(true),
}).noUnknown();
export type NewTimetable = Omit<InferType<typeof newTimetableSchema>, 'times'> & { times: SetTime[] };

export const timetableSchema = object({
  id: number().required(),
  deviceId: string().required(),
  stream: string().required(),
  title: string().required(),
  times: array(setTimeSchema.required()).required(),
  catchUp: boolean().required(),
  active: boolean().required(),
  /** When the next value is wanted, epoch ms, and which; null for none. */
  next: object({ at: number().required(), value: string().required() }).nullable().defined(),
  /** What was wrong when it last wanted a value; empty for nothing. */
  note: string().defined(),
  /** Time zone of its clock. */
  zone: string().required(),
  version: number().required(),
});
/** Set times at which the service wants values of a control. */
export type Timetable = Omit<InferType<typeof timetableSchema>, 'times'> & { times: SetTime[] };
export const timetablesSchema = array(timetableSchema).required();
