import type { Calibration } from '@peatmoor/core';
import type { NewCalibration } from '@peatmoor/contract';
import { DataTypes } from 'sequelize';
import { fields, number, type Define } from './columns';

const { BIGINT, BLOB, BOOLEAN, DOUBLE, INTEGER, STRING, TEXT } = DataTypes;

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

/** What is said about readings. */
export const defineReadings = (table: Define) => ({
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
});
