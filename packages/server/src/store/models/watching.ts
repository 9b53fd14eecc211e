import type { ActiveHours, ConditionName, RuleCondition } from '@peatmoor/core';
import type { DashboardLook, Severity } from '@peatmoor/contract';
import type { Recipient } from '../../alerts/channels';
import { DataTypes } from 'sequelize';
import { fields, key, number, revision, type Define } from './columns';

const { BIGINT, BLOB, BOOLEAN, DOUBLE, INTEGER, STRING, TEXT } = DataTypes;

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
  /** Watches every device with this label. */
  label: string | null;
  streamKey: string;
  sort: ConditionName;
  /** What the condition is set to, as stored, by whatever version: read it by `readCondition`. */
  settings: object;
  /** Who is alerted, as stored: read them by `readRecipients`. */
  recipients: Recipient[];
  /** All else it says, as far as it was said: read it by `moreOf`. */
  more: Partial<RuleMore>;
  active: boolean;
  /** Some of its actions are interlocks. */
  holds: boolean;
}
/** What a rule wants of a control. `device`: row; null for the watched one. `rank`: of an interlock (`while`), 1 where it was not said. */
export interface RuleAction {
  on: 'opened' | 'closed' | 'while';
  device: number | null;
  stream: string;
  value: string;
  rank?: number;
}
/** What a rule says beside its first condition and whom it alerts. */
export interface RuleMore {
  /** Conditions beside the first. */
  also: RuleCondition[];
  join: 'all' | 'any';
  hours: ActiveHours | null;
  /** Text of its alerts, with places to fill in; empty for the usual one. */
  message: string;
  /** Reminds so often until it is acknowledged or closed, in ms; null for once. */
  repeatMs: number | null;
  /** Not acknowledged for so long, this person is told too. */
  escalateMs: number | null;
  escalateTo: number | null;
  /** Alerts to one person within an hour at the most. */
  mostAlerts: number;
  /** What is wanted of controls when it opens, when it closes, and as long as it is open. */
  actions: RuleAction[];
  /** What single devices have of their own, by row. */
  own: { device: number; limit: number | null; leftOut: boolean }[];
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
  /** Null where it is about no number. */
  value: number | null;
  extreme: number | null;
  acknowledgedAt: number | null;
  acknowledgedBy: string;
  /** What the one who acknowledged or closed it said. */
  remark: string;
  /** Who closed it by hand; empty where it closed by itself. */
  closedBy: string;
  remindAt: number | null;
  escalateAt: number | null;
}
export interface AlertRow {
  id: number;
  workspaceId: number;
  eventId: number;
  channel: string;
  recipient: string;
  phase: AlertPhase;
  subject: string;
  text: string;
  /** held: more than its rule may send in an hour. muted: a mute was on. */
  state: 'waiting' | 'sent' | 'failed' | 'held' | 'muted' | 'unconfirmed' | 'stopped';
  attempts: number;
  dueAt: number;
  sentAt: number | null;
  error: string;
  ruleId: number | null;
  /** The person it is for; null for a bare address or a webhook. */
  userId: number | null;
  /** The message it goes with, once it is claimed; the same at every try. */
  messageId: string | null;
  queuedAt: number;
  /** When it was tried first; null for not yet. */
  triedAt: number | null;
  /** Another way stands in for it: nobody took it in time. */
  stoodIn: boolean;
}
/** unreached: owners hear that something to somebody does not get through. held: what the rule wants of a control has to wait. override: somebody does without its interlock for a while. undone: what the rule wanted did not happen. */
export type AlertPhase =
  'opened' | 'closed' | 'reminder' | 'escalated' | 'held' | 'override' | 'undone' | 'unreached';
export interface EventCommentRow {
  id: number;
  workspaceId: number;
  eventId: number;
  at: number;
  /** The name of whoever said it, or the address that its alert was sent to. */
  madeBy: string;
  text: string;
}
export interface AlertTryRow {
  id: number;
  workspaceId: number;
  alertId: number;
  at: number;
  sent: boolean;
  outcome: string;
}
export interface PushPlaceRow {
  id: number;
  userId: number;
  endpointHash: Buffer;
  endpoint: string;
  secrets: { p256dh: string; auth: string };
  name: string;
  createdAt: number;
  deliveredAt: number | null;
}
export interface WebhookRow {
  revision: number;
  id: number;
  workspaceId: number;
  title: string;
  url: string;
  /** Kept as it is: each message is signed with it. */
  secret: string;
  /** A text with places to fill in; empty for the usual JSON. */
  template: string;
  createdAt: number;
}
/** An email address that is no person's of the workspace, and whether its owner agreed. */
export interface AddressRow {
  id: number;
  workspaceId: number;
  email: string;
  askedAt: number;
  confirmedAt: number | null;
}
export interface MuteRow {
  id: number;
  workspaceId: number;
  sort: 'device' | 'kind' | 'label' | 'rule';
  target: string;
  until: number;
  madeBy: string;
  reason: string;
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
    ...fields('title severity label streamKey sort', STRING),
    ...fields('settings recipients more', TEXT),
    ...fields('active holds', BOOLEAN),
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
    ...fields('title sentence severity deviceName deviceId streamKey acknowledgedBy remark closedBy', STRING),
    ...fields('openedAt closedAt acknowledgedAt remindAt escalateAt', BIGINT),
    ...fields('value extreme', DOUBLE),
  }),
  alerts: table<AlertRow>('alerts', {
    id: number(),
    ...fields('workspaceId eventId attempts ruleId userId', INTEGER),
    ...fields('channel recipient phase subject state error messageId', STRING),
    text: TEXT,
    ...fields('dueAt sentAt queuedAt triedAt', BIGINT),
    stoodIn: BOOLEAN,
  }),
  eventComments: table<EventCommentRow>('eventComments', {
    id: number(),
    ...fields('workspaceId eventId', INTEGER),
    at: BIGINT,
    ...fields('madeBy text', STRING),
  }),
  alertTries: table<AlertTryRow>('alertTries', {
    id: number(),
    ...fields('workspaceId alertId', INTEGER),
    at: BIGINT,
    sent: BOOLEAN,
    outcome: STRING,
  }),
  pushPlaces: table<PushPlaceRow>('pushPlaces', {
    id: number(),
    userId: INTEGER,
    endpointHash: BLOB,
    ...fields('endpoint name', STRING),
    secrets: TEXT,
    ...fields('createdAt deliveredAt', BIGINT),
  }),
  webhooks: table<WebhookRow>('webhooks', {
    id: number(),
    workspaceId: INTEGER,
    ...revision(),
    ...fields('title url secret', STRING),
    template: TEXT,
    createdAt: BIGINT,
  }),
  addresses: table<AddressRow>('addresses', {
    id: number(),
    workspaceId: INTEGER,
    email: STRING,
    ...fields('askedAt confirmedAt', BIGINT),
  }),
  mutes: table<MuteRow>('mutes', {
    id: number(),
    workspaceId: INTEGER,
    ...fields('sort target madeBy reason', STRING),
    until: BIGINT,
  }),
});
