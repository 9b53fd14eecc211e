import { DataTypes, type Model, type ModelStatic, type Sequelize } from 'sequelize';
import type {
  Calibration,
  ConditionName,
  Datastream,
  Location,
  Proof,
  UnitSystem,
  Value,
} from '@peatmoor/core';
import type { DeviceAbout, KeyScope, NewCalibration, Role, Severity } from '@peatmoor/contract';
import type { Recipient } from '../alerts/channels';

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
}
export interface WorkspaceRow {
  id: number;
  title: string;
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
export interface CalibrationRow {
  id: number;
  workspaceId: number;
  deviceRowId: number;
  streamId: number;
  fromAt: number | null;
  calibration: Calibration;
  captured: NewCalibration['captured'];
  userName: string;
  madeAt: number;
}
export interface CorrectionRow {
  id: number;
  workspaceId: number;
  deviceRowId: number;
  streamKey: string;
  fromAt: number | null;
  toAt: number | null;
  count: number;
  userName: string;
  madeAt: number;
}
export interface KindRow {
  /** Counted up by every change. */
  revision: number;
  id: number;
  workspaceId: number;
  title: string;
  intervalS: number;
  /** While on, an unknown name in a report makes a datastream. */
  acceptNew: boolean;
  notes: string;
  board: string;
  icon: string;
  createdAt: number;
}
export interface StreamRow extends Datastream {
  id: number;
  workspaceId: number;
  kindId: number;
  /** Made from a name that arrived, and not looked at yet. */
  unconfirmed: boolean;
}
export interface DeviceRow {
  /** Counted up by every change. */
  revision: number;
  rowId: number;
  workspaceId: number;
  kindId: number;
  id: string;
  name: string;
  createdAt: number;
  lastSeenAt: number | null;
  proof: Proof;
  dashboardId: number | null;
  labels: string[];
  place: Location | null;
  notes: string;
  about: DeviceAbout;
  /** The gateway that reports for it, for a sub-device. */
  gatewayRowId: number | null;
  /** The text by which its gateway names it. */
  serial: string | null;
  /** The claim with which the board fetched it. */
  claimId: number | null;
  /** True where its board may claim once more. */
  claimOpen: boolean;
}
export interface TokenRow {
  id: number;
  workspaceId: number;
  deviceRowId: number;
  title: string;
  fingerprint: string;
  secretHash: Buffer;
  createdAt: number;
  usedAt: number | null;
  withdrawnAt: number | null;
}
export interface SeriesRow {
  id: number;
  workspaceId: number;
  deviceRowId: number;
  streamId: number;
  newestAt: number | null;
  newestValue: number | null;
  newestOther: Value | null;
}
export interface CommandRow {
  id: number;
  workspaceId: number;
  deviceRowId: number;
  streamId: number;
  value: number;
  textValue: string | null;
  state: 'waiting' | 'sent' | 'applied' | 'refused' | 'expired';
  userName: string;
  createdAt: number;
  sentAt: number | null;
  appliedAt: number | null;
  note: string;
}
export interface DashboardRow {
  id: number;
  workspaceId: number;
  title: string;
  kindId: number | null;
  version: number;
  changedBy: string;
  changedAt: number;
  /** As stored, by whatever version: read them by `readWidget`. */
  widgets: unknown[];
}
export interface RuleRow {
  /** Counted up by every change. */
  revision: number;
  id: number;
  workspaceId: number;
  title: string;
  severity: Severity;
  deviceRowId: number | null;
  kindId: number | null;
  streamKey: string;
  sort: ConditionName;
  /** What the condition is set to, as stored, by whatever version: read it by `readCondition`. */
  settings: object;
  /** Who is alerted, as stored: read them by `readRecipients`. */
  recipients: Recipient[];
  active: boolean;
}
export interface RuleStateRow {
  ruleId: number;
  deviceRowId: number;
  workspaceId: number;
  state: unknown;
}
export interface EventRow {
  id: number;
  workspaceId: number;
  ruleId: number;
  deviceRowId: number;
  title: string;
  sentence: string;
  severity: Severity;
  deviceName: string;
  deviceId: string;
  streamKey: string;
  openedAt: number;
  closedAt: number | null;
  value: number;
  extreme: number;
  acknowledgedAt: number | null;
  acknowledgedBy: string;
}
export interface AlertRow {
  id: number;
  workspaceId: number;
  eventId: number;
  channel: string;
  recipient: string;
  phase: 'opened' | 'closed';
  subject: string;
  text: string;
  state: 'waiting' | 'sent' | 'failed';
  attempts: number;
  dueAt: number;
  sentAt: number | null;
  error: string;
}
export interface ArrivalRow {
  id: number;
  workspaceId: number;
  deviceRowId: number;
  receivedAt: number;
  body: unknown;
  /** How the message was written: a content type, or where on MQTT it came. */
  form: string;
  /** The message itself, where something of it was refused. */
  raw: Buffer | null;
  /** The time of its rows that named none, should it be taken again; null in what came before that was kept. */
  rowsAt: number | null;
  /** True where something of it was refused. */
  refused: boolean;
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
export interface ClaimRow {
  id: number;
  workspaceId: number;
  kindId: number;
  title: string;
  fingerprint: string;
  secretHash: Buffer;
  most: number;
  used: number;
  userName: string;
  createdAt: number;
  endsAt: number;
  endedAt: number | null;
}
export interface PictureRow {
  deviceRowId: number;
  workspaceId: number;
  type: string;
  body: Buffer;
  madeAt: number;
}
export interface RecomputationRow {
  id: number;
  workspaceId: number;
  deviceRowId: number;
  streamId: number;
  seriesId: number;
  /** Outputs from this time on are made anew, epoch ms; null for all. */
  fromAt: number | null;
  state: 'waiting' | 'running' | 'done' | 'failed';
  doneDays: number;
  days: number;
  note: string;
  userName: string;
  madeAt: number;
  endedAt: number | null;
}

/** A model whose rows are read as plain objects (`raw: true`). */
export type Table<R extends object> = ModelStatic<Model<R, Partial<R>>>;

const { INTEGER, BIGINT, STRING, DOUBLE, BOOLEAN, TEXT, BLOB } = DataTypes;
/** Column descriptions are made anew each time: Sequelize writes into them. */
const number = () => ({ type: INTEGER, autoIncrement: true, primaryKey: true });
const key = () => ({ type: INTEGER, primaryKey: true });
const revision = () => ({ revision: { type: INTEGER, defaultValue: 1 } });
const fields = <T>(names: string, type: T): Record<string, T> =>
  Object.fromEntries(names.split(' ').map((name) => [name, type]));

/** Sequelize models of all tables that are not on the hot path. */
export function defineModels(sequelize: Sequelize) {
  const table = <R extends object>(name: string, columns: Record<string, unknown>): Table<R> =>
    sequelize.define(name, columns as never, { tableName: name, timestamps: false }) as never;
  return {
    users: table<UserRow>('users', {
      id: number(),
      ...revision(),
      ...fields('email name passwordHash units', STRING),
      createdAt: BIGINT,
    }),
    workspaces: table<WorkspaceRow>('workspaces', { id: number(), title: STRING, createdAt: BIGINT }),
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
    calibrations: table<CalibrationRow>('calibrations', {
      id: number(),
      ...fields('workspaceId deviceRowId streamId', INTEGER),
      ...fields('calibration captured', TEXT),
      userName: STRING,
      ...fields('fromAt madeAt', BIGINT),
    }),
    corrections: table<CorrectionRow>('corrections', {
      id: number(),
      ...fields('workspaceId deviceRowId count', INTEGER),
      ...fields('streamKey userName', STRING),
      ...fields('fromAt toAt madeAt', BIGINT),
    }),
    kinds: table<KindRow>('kinds', {
      id: number(),
      workspaceId: INTEGER,
      ...fields('title board icon', STRING),
      intervalS: INTEGER,
      ...revision(),
      acceptNew: BOOLEAN,
      notes: TEXT,
      createdAt: BIGINT,
    }),
    streams: table<StreamRow>('streams', {
      id: number(),
      ...fields('workspaceId kindId decimals pin keepDays', INTEGER),
      ...fields('key title type unit rangePolicy direction description colour part boardPin', STRING),
      ...fields('min max', DOUBLE),
      ...fields('aliases choices computation defaultValue', TEXT),
      unconfirmed: BOOLEAN,
    }),
    devices: table<DeviceRow>('devices', {
      rowId: number(),
      ...fields('workspaceId kindId dashboardId gatewayRowId claimId', INTEGER),
      ...revision(),
      ...fields('id name serial', STRING),
      claimOpen: BOOLEAN,
      ...fields('createdAt lastSeenAt', BIGINT),
      ...fields('proof labels place notes about', TEXT),
    }),
    deviceTokens: table<TokenRow>('deviceTokens', {
      id: number(),
      ...fields('workspaceId deviceRowId', INTEGER),
      ...fields('title fingerprint', STRING),
      secretHash: BLOB,
      ...fields('createdAt usedAt withdrawnAt', BIGINT),
    }),
    series: table<SeriesRow>('series', {
      id: number(),
      ...fields('workspaceId deviceRowId streamId', INTEGER),
      newestAt: DOUBLE,
      newestValue: DOUBLE,
      newestOther: TEXT,
    }),
    commands: table<CommandRow>('commands', {
      id: number(),
      ...fields('workspaceId deviceRowId streamId', INTEGER),
      value: DOUBLE,
      textValue: TEXT,
      ...fields('state userName note', STRING),
      ...fields('createdAt sentAt appliedAt', BIGINT),
    }),
    dashboards: table<DashboardRow>('dashboards', {
      id: number(),
      ...fields('workspaceId kindId version', INTEGER),
      ...fields('title changedBy', STRING),
      changedAt: BIGINT,
      widgets: TEXT,
    }),
    rules: table<RuleRow>('rules', {
      id: number(),
      ...fields('workspaceId deviceRowId kindId', INTEGER),
      ...revision(),
      ...fields('title severity streamKey sort', STRING),
      ...fields('settings recipients', TEXT),
      active: BOOLEAN,
    }),
    ruleStates: table<RuleStateRow>('ruleStates', {
      ruleId: key(),
      deviceRowId: key(),
      workspaceId: INTEGER,
      state: TEXT,
    }),
    events: table<EventRow>('events', {
      id: number(),
      ...fields('workspaceId ruleId deviceRowId', INTEGER),
      ...fields('title sentence severity deviceName deviceId streamKey acknowledgedBy', STRING),
      ...fields('openedAt closedAt acknowledgedAt', BIGINT),
      ...fields('value extreme', DOUBLE),
    }),
    alerts: table<AlertRow>('alerts', {
      id: number(),
      ...fields('workspaceId eventId attempts', INTEGER),
      ...fields('channel recipient phase subject state error', STRING),
      text: TEXT,
      ...fields('dueAt sentAt', BIGINT),
    }),
    invitations: table<InvitationRow>('invitations', {
      id: number(),
      workspaceId: INTEGER,
      ...revision(),
      ...fields('name role', STRING),
      secretHash: BLOB,
      ...fields('createdAt endsAt', BIGINT),
    }),
    claims: table<ClaimRow>('claims', {
      id: number(),
      ...fields('workspaceId kindId most used', INTEGER),
      ...fields('title fingerprint userName', STRING),
      secretHash: BLOB,
      ...fields('createdAt endsAt endedAt', BIGINT),
    }),
    devicePictures: table<PictureRow>('devicePictures', {
      deviceRowId: key(),
      workspaceId: INTEGER,
      type: STRING,
      body: BLOB,
      madeAt: BIGINT,
    }),
    recomputations: table<RecomputationRow>('recomputations', {
      id: number(),
      ...fields('workspaceId deviceRowId streamId seriesId doneDays days', INTEGER),
      ...fields('fromAt madeAt endedAt', BIGINT),
      ...fields('state note userName', STRING),
    }),
    arrivals: table<ArrivalRow>('arrivals', {
      id: { ...number(), type: BIGINT },
      ...fields('workspaceId deviceRowId', INTEGER),
      receivedAt: BIGINT,
      body: TEXT,
      form: STRING,
      raw: BLOB,
      rowsAt: DOUBLE,
      refused: BOOLEAN,
    }),
  };
}

export type Models = ReturnType<typeof defineModels>;
