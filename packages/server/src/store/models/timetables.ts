import type { SetTime } from '@peatmoor/core';
import { DataTypes } from 'sequelize';
import { fields, number, revision, type Define } from './columns';

const { BIGINT, BOOLEAN, INTEGER, STRING, TEXT } = DataTypes;

export interface TimetableRow {
  /** Counted up by every change. */
  revision: number;
  id: number;
  workspaceId: number;
  deviceRowId: number;
  streamId: number;
  title: string;
  times: SetTime[];
  catchUp: boolean;
  active: boolean;
  /** Epoch ms at which the next value is wanted; null for none. */
  nextAt: number | null;
  note: string;
}
export interface NoteRow {
  id: number;
  workspaceId: number;
  deviceRowId: number;
  at: number;
  text: string;
  userName: string;
}

/** Timetables and notes. */
export const defineTimetables = (table: Define) => ({
  timetables: table<TimetableRow>('timetables', {
    id: number(),
    ...revision(),
    ...fields('workspaceId deviceRowId streamId', INTEGER),
    ...fields('title note', STRING),
    times: TEXT,
    ...fields('catchUp active', BOOLEAN),
    nextAt: BIGINT,
  }),
  notes: table<NoteRow>('notes', {
    id: number(),
    ...fields('workspaceId deviceRowId', INTEGER),
    at: BIGINT,
    ...fields('text userName', STRING),
  }),
});
