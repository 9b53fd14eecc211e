import '../locale';
import {
  DIRECTIONS,
  KEY_PATTERN,
  RANGE_POLICIES,
  RESERVED_NAMES,
  unitOf,
  VALUE_TYPES,
  type Datastream,
} from '@peatmoor/core';
import { array, number, object, string, type InferType } from 'yup';

const finite = number().nullable().default(null);

export const streamSchema = object({
  key: string()
    .matches(KEY_PATTERN, {
      message: 'must be a small letter, then up to 39 small letters, digits or underscores',
    })
    .test(
      'reserved',
      'is reserved on the wire: at, for, name, wait, n and access_token steer a message',
      (key) => !RESERVED_NAMES.has(key ?? ''),
    )
    .required(),
  title: string().trim().min(1).max(80).required(),
  type: string().oneOf(VALUE_TYPES).required(),
  unit: string()
    .nullable()
    .default(null)
    .test(
      'unit',
      'is not a unit of the SenML registry',
      (code) => code === null || code === undefined || unitOf(code) !== undefined,
    ),
  min: finite,
  max: finite.test('order', 'must be greater than min', function (max) {
    const { min } = this.parent as { min: number | null };
    return max === null || max === undefined || min === null || min === undefined || max > min;
  }),
  rangePolicy: string().oneOf(RANGE_POLICIES).default('refuse'),
  decimals: number().integer().min(0).max(6).nullable().default(null),
  direction: string().oneOf(DIRECTIONS).default('report'),
  pin: number().integer().min(0).max(999).nullable().default(null),
  aliases: array(string().trim().min(1).max(80).required()).max(20).default([]),
}).noUnknown();
export type NewStream = InferType<typeof streamSchema>;

const keptStreamSchema = streamSchema.shape({ id: number().required() });
/** A datastream as the service knows it. */
export type Stream = Datastream & { id: number };

export const newKindSchema = object({
  title: string().trim().min(1).max(80).required(),
  intervalS: number()
    .integer()
    .min(1)
    .max(7 * 86_400)
    .default(60),
  streams: array(streamSchema).max(200).default([]),
}).noUnknown();
export type NewKind = InferType<typeof newKindSchema>;

export const kindChangeSchema = object({
  title: string().trim().min(1).max(80),
  intervalS: number()
    .integer()
    .min(1)
    .max(7 * 86_400),
}).noUnknown();
export type KindChange = InferType<typeof kindChangeSchema>;

export const kindSchema = object({
  id: number().required(),
  title: string().required(),
  intervalS: number().required(),
  streams: array(keptStreamSchema).required(),
  devices: number().required(),
});
export interface Kind {
  id: number;
  title: string;
  /** How often a message is expected, in seconds. */
  intervalS: number;
  streams: Stream[];
  /** How many devices are of this kind. */
  devices: number;
}
export const kindsSchema = array(kindSchema).required();
export { keptStreamSchema };
