import type { UnitSystem } from '@peatmoor/core';
import type { AlertChoices, KeyScope, PersonalChoices, Role } from '@peatmoor/contract';
import { DataTypes } from 'sequelize';
import { fields, key, number, revision, type Define } from './columns';

const { BIGINT, BLOB, DOUBLE, INTEGER, STRING, TEXT } = DataTypes;

export interface UserRow {
  /** Counted up by every change. */
  revision: number;
  id: number;
  /** Null for an account that has none: it signs in by a name. */
  email: string | null;
  signInName: string | null;
  name: string;
  passwordHash: string;
  createdAt: number;
  /** How values are shown to them. */
  units: UnitSystem;
  /** What they chose for themselves, as far as they did. */
  choices: Partial<PersonalChoices>;
  /** How they are alerted, as far as they said. */
  alertChoices: Partial<AlertChoices>;
  /** The secret of the second factor, sealed; null without one. */
  factor: string | null;
  /** The newest step of it that was used: none works twice. */
  factorStep: number;
  /** Hashes of the recovery codes that are left. */
  recovery: string[];
  /** The workspace they were in last. */
  workspaceId: number | null;
}
export interface WorkspaceRow {
  id: number;
  title: string;
  /** By whose clock its timetables run, and where it is, in degrees. */
  zone: string;
  lat: number | null;
  lon: number | null;
  /** For how many days events, alerts and commands are kept; null for five years. */
  recordDays: number | null;
  createdAt: number;
}
export interface MembershipRow {
  /** Counted up by every change. */
  revision: number;
  workspaceId: number;
  userId: number;
  role: Role;
}
export interface SessionRow {
  idHash: Buffer;
  userId: number;
  workspaceId: number;
  createdAt: number;
  endsAt: number;
  browser: string;
  seenAt: number | null;
}
export interface KeyRow {
  id: number;
  workspaceId: number;
  userId: number;
  title: string;
  fingerprint: string;
  secretHash: Buffer;
  createdAt: number;
  usedAt: number | null;
  scope: KeyScope;
  deviceRowId: number | null;
  endsAt: number | null;
}
/** A person who was added and has not joined yet. */
export interface InvitationRow {
  /** Counted up by every change. */
  revision: number;
  id: number;
  workspaceId: number;
  name: string;
  role: Role;
  secretHash: Buffer;
  createdAt: number;
  endsAt: number;
  /** To whom it was sent; null for a link to hand over. */
  email: string | null;
  /** How often it may be used, and was. */
  uses: number;
  used: number;
}
/** A password, or an email, that is to be made new by whoever reads the mail. */
export interface ResetRow {
  secretHash: Buffer;
  userId: number;
  /** The email to be taken; null for a new password. */
  email: string | null;
  endsAt: number;
  /** Where an owner made it for somebody of their workspace: it is void once that person belongs to any other. */
  workspaceId: number | null;
  /** 1 where it was made on the machine of the service: the second factor goes too. */
  endsFactor: number;
}

/** People, workspaces, and what they sign in with. */
export const definePeople = (table: Define) => ({
  users: table<UserRow>('users', {
    id: number(),
    ...revision(),
    ...fields('email signInName name passwordHash units factor', STRING),
    ...fields('createdAt factorStep', BIGINT),
    ...fields('choices alertChoices recovery', TEXT),
    workspaceId: INTEGER,
  }),
  resets: table<ResetRow>('resets', {
    secretHash: { type: BLOB, primaryKey: true },
    ...fields('userId workspaceId endsFactor', INTEGER),
    email: STRING,
    endsAt: BIGINT,
  }),
  workspaces: table<WorkspaceRow>('workspaces', {
    id: number(),
    ...fields('title zone', STRING),
    ...fields('lat lon', DOUBLE),
    recordDays: INTEGER,
    createdAt: BIGINT,
  }),
  memberships: table<MembershipRow>('memberships', {
    workspaceId: key(),
    userId: key(),
    role: STRING,
    ...revision(),
  }),
  sessions: table<SessionRow>('sessions', {
    idHash: { type: BLOB, primaryKey: true },
    ...fields('userId workspaceId', INTEGER),
    ...fields('createdAt endsAt seenAt', BIGINT),
    browser: STRING,
  }),
  accessKeys: table<KeyRow>('accessKeys', {
    id: number(),
    ...fields('workspaceId userId deviceRowId', INTEGER),
    ...fields('title fingerprint scope', STRING),
    secretHash: BLOB,
    ...fields('createdAt usedAt endsAt', BIGINT),
  }),
  invitations: table<InvitationRow>('invitations', {
    id: number(),
    ...fields('workspaceId uses used', INTEGER),
    ...revision(),
    ...fields('name role email', STRING),
    secretHash: BLOB,
    ...fields('createdAt endsAt', BIGINT),
  }),
});
