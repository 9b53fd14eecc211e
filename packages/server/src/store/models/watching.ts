import type { ConditionName } from '@peatmoor/core';
import type { DashboardLook, Severity } from '@peatmoor/contract';
import type { Recipient } from '../../alerts/channels';
import { DataTypes } from 'sequelize';
import { fields, key, number, revision, type Define } from './columns';

const { BIGINT, BOOLEAN, DOUBLE, INTEGER, STRING, TEXT } = DataTypes;

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
  /** What it is found by and looks like, as far as it was said. */
  look: Partial<DashboardLook>;
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

/** Dashboards, event rules, events and alerts. */
export const defineWatching = (table: Define) => ({
  dashboards: table<DashboardRow>('dashboards', {
    id: number(),
    ...fields('workspaceId kindId version', INTEGER),
    ...fields('title changedBy', STRING),
    changedAt: BIGINT,
    ...fields('widgets look', TEXT),
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
});
