import '../locale';
import { COMMAND_STATES } from '@peatmoor/core';
import { array, mixed, number, object, string, type InferType } from 'yup';

export const newCommandSchema = object({
  stream: string().max(80).required(),
  value: mixed<number | boolean | string>()
    .test('plain', 'must be a number, true/false or a text', (value) =>
      ['number', 'boolean', 'string'].includes(typeof value),
    )
    .required(),
  /** The latest time, by the service's clock, at which it may still be wanted, epoch ms: after it the call is refused. */
  until: number().integer().min(0).max(Number.MAX_SAFE_INTEGER).optional(),
  /**
   * When it was wanted, by the service's clock, epoch ms: a call that was held up on its way never takes the place of what was wanted
   * since. Left out, it counts as wanted when it came.
   */
  at: number().integer().min(0).max(Number.MAX_SAFE_INTEGER).optional(),
}).noUnknown();

export const commandSchema = object({
  id: number().required(),
  deviceId: string().required(),
  stream: string().required(),
  value: mixed<number | string>().required(),
  /** The value as people read it: the text of a choice, on or off, `#rrggbb`. */
  text: string().defined(),
  state: string().oneOf(COMMAND_STATES).required(),
  by: string().required(),
  createdAt: number().required(),
  sentAt: number().nullable().defined(),
  appliedAt: number().nullable().defined(),
  /** The time up to which it is meant; null for as long as nobody wants another. */
  until: number().nullable().defined(),
  confirmedAt: number().nullable().defined(),
  /** What must be measured for it to be confirmed, and up to when; null for nothing. */
  follow: object({
    stream: string().required(),
    min: number().nullable().defined(),
    max: number().nullable().defined(),
    until: number().nullable().defined(),
  })
    .nullable()
    .defined(),
  /** Why it was refused or expired; empty otherwise. */
  note: string().defined(),
});
/** A value somebody wants on a control datastream. */
export type Command = InferType<typeof commandSchema>;
export const commandsSchema = array(commandSchema).required();
