import type { UnitSystem } from '@peatmoor/core';
import type { AlertChoices, KeyScope, PersonalChoices, Role } from '@peatmoor/contract';
import { DataTypes } from 'sequelize';
import { fields, key, number, revision, type Define } from './columns';

const { BIGINT, BLOB, DOUBLE, INTEGER, STRING, TEXT } = DataTypes;

export interface UserRow {
  /** Counted up by every change. */
  revision: number;
  id: number;
  email: string;
  name: string;
  passwordHash: string;
  createdAt: number;
  /** How values are shown to them. */
  units: UnitSystem;
  /** What they chose for themselves, as far as they did. */
  choices: Partial<PersonalChoices>;
  /** How they are alerted, as far as they said. */
  alertChoices: Partial<AlertChoices>;
}
export interface WorkspaceRow {
  id: number;
  title: string;
  /** By whose clock its timetables run, and where it is, in degrees. */
  zone: string;
  lat: number | null;
  lon: number | null;
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
}

/** People, workspaces, and what they sign in with. */
export const definePeople = (table: Define) => ({
  users: table<UserRow>('users', {
    id: number(),
    ...revision(),
    ...fields('email name passwordHash units', STRING),
    createdAt: BIGINT,
    ...fields('choices alertChoices', TEXT),
  }),
  workspaces: table<WorkspaceRow>('workspaces', {
    id: number(),
    ...fields('title zone', STRING),
    ...fields('lat lon', DOUBLE),
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
    ...fields('createdAt endsAt', BIGINT),
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
    workspaceId: INTEGER,
    ...revision(),
    ...fields('name role', STRING),
    secretHash: BLOB,
    ...fields('createdAt endsAt', BIGINT),
  }),
});
