import '../locale';
import {
  DEVICE_ID_PATTERN,
  LONGEST_KEEP,
  type Presence,
  type Proof,
  type Refusal,
  type Value,
} from '@peatmoor/core';
import { array, boolean, mixed, number, object, string, type InferType } from 'yup';
import { newKindSchema } from './kinds';

const labels = array(string().trim().min(1).max(40).required()).max(20);

export const newDeviceSchema = object({
  name: string().trim().min(1).max(80).required(),
  id: string().matches(DEVICE_ID_PATTERN, {
    message: 'must be 2 to 40 small letters, digits or hyphens, starting with a letter',
  }),
  /** An existing kind; or, for a first device, `newKind` to be made behind it. */
  kindId: number().integer(),
  newKind: newKindSchema.default(undefined).optional(),
  labels: labels.default([]),
  /** For a sub-device: the device that reports for it, and the text by which it names it. */
  gateway: string().max(40),
  serial: string().trim().min(1).max(80),
})
  .noUnknown()
  .test(
    'kind',
    'needs either kindId (an existing kind) or newKind',
    (value) => (value.kindId === undefined) !== (value.newKind === undefined),
  );
export type NewDevice = InferType<typeof newDeviceSchema>;

export const placeSchema = object({
  lat: number().min(-90).max(90).required(),
  lon: number().min(-180).max(180).required(),
  alt: number().nullable().default(null),
}).noUnknown();
/** What a board says of itself. */
export const aboutSchema = object({
  firmware: string().trim().max(80),
  board: string().trim().max(80),
  /** Signal strength in dBm. */
  signal: number().min(-200).max(50),
  /** Battery in percent. */
  battery: number().min(0).max(100),
  /** What its program keeps of controls by itself, as it was told it (`_keep`); empty for nothing, absent where it cannot. */
  keeps: string().max(LONGEST_KEEP),
});
export type DeviceAbout = InferType<typeof aboutSchema> & { at?: number };

export const deviceChangeSchema = object({
  name: string().trim().min(1).max(80),
  labels,
  place: placeSchema.nullable().default(undefined).optional(),
  notes: string().max(4000),
}).noUnknown();
export type DeviceChange = Partial<InferType<typeof deviceChangeSchema>>;

export const manyDevicesSchema = object({
  /** A header row with name and kind (title or number); id and labels (with semicolons between) may be there. */
  csv: string().max(500_000).required(),
}).noUnknown();
export const madeManySchema = array(
  object({ id: string().required(), name: string().required(), token: string().required() }),
).required();
export type MadeMany = InferType<typeof madeManySchema>;

export const newestSchema = object({
  key: string().required(),
  at: number().required(),
  value: mixed<Value>().required(),
  /** The value as people read it, without its unit: the text of a choice, on or off, `#rrggbb`. */
  text: string().defined(),
});
/** The newest reading of a datastream. */
export type Newest = InferType<typeof newestSchema>;

export const boardHasSchema = object({
  key: string().required(),
  at: number().required(),
  value: mixed<number | string>().required(),
});
/** What the board of a device has of a control, as it said itself. */
export type BoardHas = InferType<typeof boardHasSchema>;

export const deviceSchema = object({
  id: string().required(),
  name: string().required(),
  kindId: number().required(),
  kindTitle: string().required(),
  createdAt: number().required(),
  lastSeenAt: number().nullable().defined(),
  connected: boolean().required(),
  presence: mixed<Presence>().required(),
  proof: mixed<Proof>().required(),
  newest: array(newestSchema).required(),
  /** What the board has of its controls, as it said last; left out where it never said so. */
  has: array(boardHasSchema).required(),
  openEvents: number().required(),
  dashboardId: number().nullable().defined(),
  labels: array(string().required()).required(),
  place: placeSchema.nullable().defined(),
  notes: string().defined(),
  about: mixed<DeviceAbout>().required(),
  /** ID of the gateway that reports for it, and the serial text it goes by there. */
  gateway: string().nullable().defined(),
  serial: string().nullable().defined(),
  /** When its picture was put there; null for none. */
  pictureAt: number().nullable().defined(),
  /** Counted up by every change; the ETag says the same. */
  version: number().required(),
});
export type Device = InferType<typeof deviceSchema>;
export const devicesSchema = array(deviceSchema).required();
export const madeDeviceSchema = object({ device: deviceSchema, token: string().required() });
export type MadeDevice = InferType<typeof madeDeviceSchema>;

export const tokenSchema = object({
  id: number().required(),
  title: string().required(),
  fingerprint: string().required(),
  createdAt: number().required(),
  usedAt: number().nullable().defined(),
  withdrawnAt: number().nullable().defined(),
});
export type DeviceToken = InferType<typeof tokenSchema>;
export const tokensSchema = array(tokenSchema).required();
export const newTokenSchema = object({ title: string().trim().max(80).default('') }).noUnknown();
export const madeTokenSchema = tokenSchema.shape({ secret: string().required() });
export type MadeToken = InferType<typeof madeTokenSchema>;

export const whoseTokenSchema = object({ text: string().trim().min(1).max(400).required() }).noUnknown();
export const tokenOwnerSchema = object({
  state: string()
    .oneOf(['in-use', 'withdrawn', 'half-copied', 'mistyped', 'unknown', 'not-a-token'])
    .required(),
  fingerprint: string().nullable().defined(),
  deviceId: string().nullable().defined(),
  deviceName: string().nullable().defined(),
  explanation: string().required(),
});
export type TokenOwner = InferType<typeof tokenOwnerSchema>;

const refusedSchema = object({
  name: string().defined(),
  reason: string().required(),
  hint: string().required(),
  /** The value as it came, shortened; empty where a whole message was refused. */
  shown: string().defined(),
});
export const arrivalSchema = object({
  id: string().required(),
  deviceId: string().required(),
  receivedAt: number().required(),
  way: string().required(),
  from: string().defined(),
  size: number().required(),
  number: number().nullable().defined(),
  accepted: array(
    object({ key: string().required(), at: number().required(), value: mixed<Value>().required() }),
  ).required(),
  acceptedCount: number().required(),
  refused: array(refusedSchema).required(),
  refusedCount: number().required(),
  /** How it was written: a content type, or where on MQTT it came. */
  form: string().defined(),
  /** The message itself, shortened: text, or bytes as hexadecimal. */
  payload: string().defined(),
});
/** One message a device sent: what was accepted, what was refused and why. */
export type Arrival = InferType<typeof arrivalSchema>;
export const arrivalsSchema = array(arrivalSchema).required();

export const retakenSchema = object({
  messages: number().required(),
  accepted: number().required(),
  stillRefused: number().required(),
});
/** What became of refused messages that were taken again. */
export type Retaken = InferType<typeof retakenSchema>;

export const reportByHandSchema = object({ values: mixed<Record<string, unknown>>().required() }).noUnknown();
export const reportAnswerSchema = object({
  accepted: number().required(),
  refused: array(
    object({ name: string().defined(), reason: string().required(), hint: string().required() }),
  ).required(),
  refusedCount: number(),
});
/** What was taken of a report, and what was not and why. */
export interface ReportAnswer {
  accepted: number;
  /** The first refusals. */
  refused: Refusal[];
  /** How many there were in all, where more were refused than are told. */
  refusedCount?: number;
}
