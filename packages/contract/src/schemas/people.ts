import '../locale';
import { ROLES } from '@peatmoor/core';
import { array, number, object, string, type InferType } from 'yup';

const name = string().trim().min(1).max(80).required();
const role = string().oneOf(ROLES).required();

export const newPersonSchema = object({ name, role }).noUnknown();
export type NewPerson = InferType<typeof newPersonSchema>;
export const personChangeSchema = object({ role }).noUnknown();
export type PersonChange = InferType<typeof personChangeSchema>;

export const personSchema = object({
  /** Names a person, or a link that nobody has used yet. */
  id: string().required(),
  name: string().required(),
  /** Null until they have made their account. */
  email: string().nullable().defined(),
  role,
  /** Until when their link can be used, epoch ms; null for a person who has joined. */
  linkEndsAt: number().nullable().defined(),
  /** Counted up by every change. */
  version: number().required(),
});
/** Somebody who belongs to the workspace, or was added and has not joined yet. */
export type Person = InferType<typeof personSchema>;
export const peopleSchema = array(personSchema).required();

export const addedPersonSchema = object({
  person: personSchema,
  /** Address to hand over; works once. */
  link: string().required(),
});
export type AddedPerson = InferType<typeof addedPersonSchema>;

export const joinSchema = object({
  secret: string().max(100).required(),
  email: string().trim().lowercase().email().max(254).required(),
  password: string().min(10).max(200).required(),
}).noUnknown();
export type Join = InferType<typeof joinSchema>;
