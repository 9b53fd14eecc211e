import '../locale';
import { array, number, object, string, type InferType } from 'yup';

export const newClaimSchema = object({
  title: string().trim().max(80).default(''),
  /** Boards that may claim with it at the most. */
  most: number().integer().min(1).max(10_000).default(100),
  /** Days from now until it ends. */
  days: number().min(0.01).max(3650).default(30),
}).noUnknown();
export type NewClaim = InferType<typeof newClaimSchema>;

const claimFields = {
  id: number().required(),
  title: string().defined(),
  fingerprint: string().required(),
  most: number().required(),
  /** Boards that have claimed with it. */
  used: number().required(),
  by: string().required(),
  createdAt: number().required(),
  endsAt: number().required(),
  /** When somebody ended it before its time; null while nobody did. */
  endedAt: number().nullable().defined(),
};
export const claimsSchema = array(
  object({
    ...claimFields,
    devices: array(
      object({
        id: string().required(),
        name: string().required(),
        serial: string().required(),
        claimedAt: number().required(),
      }),
    ).required(),
  }),
).required();
/** A secret with which boards of a kind fetch a device and token of their own. */
export type Claim = InferType<typeof claimsSchema>[number];

export const madeClaimSchema = object({ ...claimFields, secret: string().required() });
export type MadeClaim = InferType<typeof madeClaimSchema>;

export const reopenClaimSchema = object({ device: string().max(40).required() }).noUnknown();

/** What a board is told that has claimed: who it is, and how it reports. */
export interface ClaimAnswer {
  device: string;
  token: string;
  name: string;
  /** Seconds between reports. */
  interval: number;
  http: string;
  mqtt: { host: string; port: number };
}
