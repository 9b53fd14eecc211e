import '../locale';
import { FIRMWARE_STATES } from '@peatmoor/core';
import { array, number, object, string, type InferType } from 'yup';

export const firmwareSchema = object({
  version: string().required(),
  notes: string().defined(),
  size: number().required(),
  /** Of the whole file, in hexadecimal. */
  sha256: string().required(),
  by: string().required(),
  at: number().required(),
});
/** A built program of a kind. */
export type Firmware = InferType<typeof firmwareSchema>;
export const firmwaresSchema = array(firmwareSchema).required();

export const firmwareKeySchema = object({
  /** The public half (PEM, ECDSA on P-256) that stands in the settings of boards. */
  publicKey: string().required(),
});
export type FirmwareKey = InferType<typeof firmwareKeySchema>;

export const ROUND_TARGETS = ['kind', 'label', 'device'] as const;
export const newRoundSchema = object({
  version: string().max(32).required(),
  /** Whom it is for: all of the kind, those with a label, or one device. */
  target: string().oneOf(ROUND_TARGETS).default('kind'),
  /** The label, or the ID of the device; empty for the kind. */
  name: string().trim().max(40).default(''),
  /** So many percent of them first. */
  percent: number().integer().min(1).max(100).default(100),
  /** Boards that may fail or go back before it stops by itself. */
  mostFailures: number().integer().min(1).max(1000).default(1),
}).noUnknown();
export type NewRound = InferType<typeof newRoundSchema>;

export const roundChangeSchema = object({
  percent: number().integer().min(1).max(100),
  state: string().oneOf(['going', 'stopped'] as const),
}).noUnknown();

export const roundSchema = object({
  id: number().required(),
  version: string().required(),
  target: string().oneOf(ROUND_TARGETS).required(),
  name: string().defined(),
  percent: number().required(),
  mostFailures: number().required(),
  state: string()
    .oneOf(['going', 'stopped'] as const)
    .required(),
  /** Why it stopped; empty while it goes. */
  reason: string().defined(),
  by: string().required(),
  at: number().required(),
  devices: array(
    object({
      id: string().required(),
      name: string().required(),
      state: string().oneOf(FIRMWARE_STATES).required(),
      note: string().defined(),
      /** Bytes that it fetched. */
      bytes: number().required(),
      at: number().required(),
    }),
  ).required(),
});
export const roundsSchema = array(roundSchema).required();
/** A firmware that is given to devices, and how far each has come. */
export type Round = InferType<typeof roundSchema>;
