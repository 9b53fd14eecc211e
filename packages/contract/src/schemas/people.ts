import '../locale';
import { ROLES } from '@peatmoor/core';
import { array, mixed, number, object, string, type InferType } from 'yup';
import { credentialFields } from './account';
import { takesOver } from './takesOver';

const name = string().trim().min(1).max(80);
const role = string().oneOf(ROLES).required();
/** Days that a link to join holds, and people who may use it, at the most. */
const MOST_DAYS = 365;
const MOST_USES = 200;

export const newPersonSchema = object({
  /** Their name; left out, whoever joins says it. */
  name: name.default(null).nullable(),
  role,
  /** Where the link is sent to; without it you hand it over. */
  email: string().trim().lowercase().email().max(254).nullable().default(null),
  days: number().integer().min(1).max(MOST_DAYS).default(7),
  /** How often it may be used. */
  uses: number().integer().min(1).max(MOST_USES).default(1),
}).noUnknown();
export type NewPerson = InferType<typeof newPersonSchema>;
export type NewPersonIn = Pick<NewPerson, 'role'> & Partial<NewPerson>;
export const personChangeSchema = object({ role, takesOver }).noUnknown();
export type PersonChange = InferType<typeof personChangeSchema>;

export const personSchema = object({
  /** Names a person, or a link that nobody has used yet. */
  id: string().required(),
  /** The number of the account; null for a link. */
  userId: number().nullable().defined(),
  name: string().defined(),
  /** Null until they have made their account, and for an account without one. */
  email: string().nullable().defined(),
  /** By what an account without an email signs in; null for others. */
  signInName: string().nullable().defined(),
  role,
  /** When they were here last, epoch ms; null for never. */
  seenAt: number().nullable().defined(),
  /** Until when their link can be used, epoch ms; null for a person who has joined. */
  linkEndsAt: number().nullable().defined(),
  /** How often the link may still be used. */
  usesLeft: number().nullable().defined(),
  /** Counted up by every change. */
  version: number().required(),
});
/** Somebody who belongs to the workspace, or was added and has not joined yet. */
export type Person = InferType<typeof personSchema>;
export const peopleSchema = array(personSchema).required();

export const addedPersonSchema = object({
  person: personSchema,
  /** Address to hand over. */
  link: string().required(),
});
export type AddedPerson = InferType<typeof addedPersonSchema>;

export const joinSchema = object({
  secret: string().max(100).required(),
  /** Needed where the link names nobody. */
  name: name.default(null).nullable(),
  ...credentialFields,
}).noUnknown();
export type Join = InferType<typeof joinSchema>;
export type JoinIn = Pick<Join, 'secret' | 'password'> & Partial<Join>;
export const joinHereSchema = object({ secret: string().max(100).required() }).noUnknown();
export const readJoinSchema = object({
  workspace: string().required(),
  name: string().defined(),
  role,
  email: string().nullable().defined(),
});

export const changeSchema = object({
  id: number().required(),
  at: number().required(),
  /** Null for an account that is no more. */
  userId: number().nullable().defined(),
  /** Who, or by which of their access keys. */
  who: string().defined(),
  /** What it was done to: device, kind, rule … */
  what: string().required(),
  /** By what it is named in addresses. */
  target: string().defined(),
  title: string().defined(),
  /** What was done: made, changed, deleted … */
  act: string().required(),
  details: array(
    object({ field: string().required(), from: mixed().nullable(), to: mixed().nullable() }),
  ).required(),
});
/** One change somebody made in a workspace. */
export type Change = InferType<typeof changeSchema>;
export const changesSchema = array(changeSchema).required();
