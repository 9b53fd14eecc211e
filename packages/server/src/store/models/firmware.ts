import type { FirmwareState } from '@peatmoor/core';
import { DataTypes } from 'sequelize';
import { fields, key, number, type Define } from './columns';

const { BIGINT, BLOB, INTEGER, STRING, TEXT } = DataTypes;

/** A built program of a kind; its bytes are in a table of their own. */
export interface FirmwareRow {
  id: number;
  workspaceId: number;
  kindId: number;
  version: string;
  notes: string;
  size: number;
  sha256: Buffer;
  /** ECDSA on P-256 over SHA-256 of the file, in DER. */
  signature: Buffer;
  userName: string;
  madeAt: number;
}
/** Some bytes of a built program; bulk, so that it names only what it is of. */
export interface FirmwarePartRow {
  firmwareId: number;
  part: number;
  body: Buffer;
}
/** A firmware given to devices. */
export interface RoundRow {
  id: number;
  workspaceId: number;
  kindId: number;
  firmwareId: number;
  sort: 'kind' | 'label' | 'device';
  target: string;
  percent: number;
  mostFailures: number;
  state: 'going' | 'stopped';
  reason: string;
  userName: string;
  madeAt: number;
}
/** How far a firmware has come on a device. */
export interface FirmwareStateRow {
  deviceRowId: number;
  firmwareId: number;
  workspaceId: number;
  roundId: number;
  state: FirmwareState;
  note: string;
  /** Bytes that were fetched. */
  bytes: number;
  at: number;
}
/** The key with which programs of a kind are signed; its private half is sealed. */
export interface FirmwareKeyRow {
  kindId: number;
  workspaceId: number;
  publicKey: string;
  sealed: string;
}

export const defineFirmware = (table: Define) => ({
  firmwares: table<FirmwareRow>('firmwares', {
    id: number(),
    ...fields('workspaceId kindId size', INTEGER),
    ...fields('version notes userName', STRING),
    ...fields('sha256 signature', BLOB),
    madeAt: BIGINT,
  }),
  firmwareParts: table<FirmwarePartRow>('firmwareParts', {
    firmwareId: key(),
    part: key(),
    body: BLOB,
  }),
  firmwareRounds: table<RoundRow>('firmwareRounds', {
    id: number(),
    ...fields('workspaceId kindId firmwareId percent mostFailures', INTEGER),
    ...fields('sort target state reason userName', STRING),
    madeAt: BIGINT,
  }),
  firmwareStates: table<FirmwareStateRow>('firmwareStates', {
    deviceRowId: key(),
    firmwareId: key(),
    ...fields('workspaceId roundId bytes', INTEGER),
    ...fields('state note', STRING),
    at: BIGINT,
  }),
  firmwareKeys: table<FirmwareKeyRow>('firmwareKeys', {
    kindId: key(),
    workspaceId: INTEGER,
    ...fields('publicKey sealed', TEXT),
  }),
});
