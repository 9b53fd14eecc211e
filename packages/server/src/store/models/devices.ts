import type { CommandState, Datastream, Location, Proof, Value } from '@peatmoor/core';
import type { DeviceAbout } from '@peatmoor/contract';
import { DataTypes } from 'sequelize';
import { fields, key, number, revision, type Define } from './columns';

const { BIGINT, BLOB, BOOLEAN, DOUBLE, INTEGER, STRING, TEXT } = DataTypes;

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
/** How a command was told to its device. */
export type CommandWay = 'MQTT' | 'HTTP';

export interface CommandRow {
  id: number;
  workspaceId: number;
  deviceRowId: number;
  streamId: number;
  value: number;
  textValue: string | null;
  state: CommandState;
  userName: string;
  createdAt: number;
  /** When it was wanted by the database's clock, epoch ms; null for one of an older version. */
  wantedAt: number | null;
  /** The event whose rule wanted it; null for any other. */
  eventId: number | null;
  sentAt: number | null;
  appliedAt: number | null;
  /** Epoch ms up to which it is meant; null for no end. */
  until: number | null;
  /** By which way a momentary one was told; null while it was not. */
  way: CommandWay | null;
  note: string;
  /** What must follow: the datastream, between which bounds, and within how many seconds; null for nothing. */
  followStreamId: number | null;
  followMin: number | null;
  followMax: number | null;
  followS: number | null;
  /** Epoch ms at which it is looked whether it was followed; null while nothing is waited for. */
  followUntil: number | null;
  confirmedAt: number | null;
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

/** Kinds and devices, with all that belongs to them. */
export const defineDevices = (table: Define) => ({
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
    ...fields('workspaceId kindId decimals pin keepDays timeLimitS', INTEGER),
    ...fields(
      'key title type unit sentUnit keptUnit rangePolicy direction description colour part boardPin holds',
      STRING,
    ),
    ...fields('min max', DOUBLE),
    ...fields('aliases choices computation follow defaultValue runAtMost withoutLink', TEXT),
    ...fields('unconfirmed asks', BOOLEAN),
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
    ...fields('workspaceId deviceRowId streamId followStreamId followS eventId', INTEGER),
    ...fields('value followMin followMax', DOUBLE),
    textValue: TEXT,
    ...fields('state userName note way', STRING),
    ...fields('createdAt wantedAt sentAt appliedAt until followUntil confirmedAt', BIGINT),
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
});
