import '../locale';
import {
  CONDITION_NAMES,
  LONGEST_WITHIN_MS,
  MOST_CONDITIONS,
  MOST_CORNERS,
  ROLES,
  WINDOW_STATISTICS,
  type ConditionName,
  type SettingName,
} from '@peatmoor/core';
import { array, boolean, lazy, mixed, number, object, string, type InferType } from 'yup';
import { LONGEST_REMARK, SEVERITIES } from '../known';

const ms = number().integer().min(0).max(LONGEST_WITHIN_MS);
const lat = number().min(-90).max(90).required();
const lon = number().min(-180).max(180).required();
const circle = object({
  shape: string().oneOf(['circle']).required(),
  lat,
  lon,
  metres: number().moreThan(0).max(1e7).required(),
}).noUnknown();
const polygon = object({
  shape: string().oneOf(['polygon']).required(),
  corners: array(object({ lat, lon }).noUnknown().required()).min(3).max(MOST_CORNERS).required(),
}).noUnknown();

/** What a condition is set to; each sort has its own of these, and says which is missing. */
const settings = {
  limit: number(),
  closeLimit: number().nullable(),
  low: number(),
  high: number(),
  margin: number().min(0),
  amount: number(),
  withinMs: ms.min(1000),
  statistic: string().oneOf(WINDOW_STATISTICS),
  side: string().oneOf(['above', 'below'] as const),
  spreads: number(),
  text: string().max(200),
  area: lazy((value: { shape?: unknown } | undefined) =>
    value === undefined ? mixed().optional() : value?.shape === 'polygon' ? polygon : circle,
  ),
  expression: string().max(500),
} satisfies Record<SettingName, unknown>;
/** One condition of several. */
const condition = object({
  comparison: string().oneOf(CONDITION_NAMES).required(),
  /** Key of the datastream; empty where the condition looks at none. */
  stream: string().max(40).default(''),
  /** The device it looks at; null for the one that the rule watches. */
  deviceId: string().max(40).nullable().default(null),
  ...settings,
}).noUnknown();
const hours = object({
  days: array(number().integer().min(1).max(7).required()).min(1).max(7).required(),
  from: number().integer().min(0).max(1439).required(),
  to: number().integer().min(0).max(1440).required(),
}).noUnknown();
const action = object({
  /** When it is wanted; `while`: the control is held there as long as the event is open, and other wanted values are refused. */
  on: string()
    .oneOf(['opened', 'closed', 'while'] as const)
    .required(),
  deviceId: string().max(40).nullable().default(null),
  stream: string().max(40).required(),
  value: string().max(200).required(),
  /** For `while`: its place among the interlocks of the control; 1 goes first. */
  rank: number().integer().min(1).max(9).default(1),
}).noUnknown();
const own = object({
  deviceId: string().max(40).required(),
  limit: number().nullable().default(null),
  leftOut: boolean().default(false),
}).noUnknown();

const ONE_DAY_MS = 86_400_000;
const MOST_RECIPIENTS = 20;
export const ruleFields = {
  title: string().trim().min(1).max(80).required(),
  severity: string().oneOf(SEVERITIES).default('warning'),
  /** A device, a whole kind, or every device with a label: one of the three. */
  deviceId: string().max(40).nullable().default(null),
  kindId: number().integer().nullable().default(null),
  label: string().trim().min(1).max(40).nullable().default(null),
  /** Key of the datastream, or of an event that a device raises itself; empty where the condition needs none. */
  stream: string().max(40).default(''),
  comparison: string().oneOf(CONDITION_NAMES).required(),
  ...settings,
  holdMs: ms.default(0),
  closeHoldMs: ms.default(0),
  /** Conditions beside the first, and whether all of them must be so or any. */
  also: array(condition.required())
    .max(MOST_CONDITIONS - 1)
    .default([]),
  join: string()
    .oneOf(['all', 'any'] as const)
    .default('all'),
  /** When it may open events, by the clock of the workspace; null for always. */
  hours: hours.nullable().default(null),
  /** Text of its alerts, with places such as {value} and {device}; empty for the usual one. */
  message: string().max(300).default(''),
  /** Reminds so often until it is acknowledged or closed; null for once. */
  repeatMs: number().integer().min(1000).max(ONE_DAY_MS).nullable().default(null),
  /** Not acknowledged for so long, this person is told too. */
  escalateMs: number()
    .integer()
    .min(1000)
    .max(7 * ONE_DAY_MS)
    .nullable()
    .default(null),
  escalateTo: number().integer().nullable().default(null),
  /** Alerts to one person within an hour at the most. */
  mostAlerts: number().integer().min(1).max(60).default(12),
  /** Who is alerted: people of the workspace by number or role, other addresses, webhooks by number. */
  people: array(number().integer().required()).max(MOST_RECIPIENTS).default([]),
  roles: array(string().oneOf(ROLES).required()).max(4).default([]),
  emails: array(string().trim().email().max(254).required()).max(MOST_RECIPIENTS).default([]),
  webhooks: array(number().integer().required()).max(MOST_RECIPIENTS).default([]),
  /** What is wanted of a control when it opens, and when it closes. */
  actions: array(action.required()).max(8).default([]),
  /** What single devices have of their own, where it watches many. */
  own: array(own.required()).max(1000).default([]),
  active: boolean().default(true),
};
export const newRuleSchema = object(ruleFields)
  .noUnknown()
  .test(
    'whom',
    'watches one device (deviceId), or a kind (kindId), or a label (label)',
    (rule) => [rule.deviceId, rule.kindId, rule.label].filter((one) => one !== null).length === 1,
  )
  .test(
    'escalate',
    'says after what time (escalateMs) whom (escalateTo) to tell: both, or neither',
    (rule) => (rule.escalateMs === null) === (rule.escalateTo === null),
  );
export type NewRule = InferType<typeof newRuleSchema>;

export const ruleSchema = object({
  ...ruleFields,
  id: number().required(),
  sentence: string().required(),
  openEvents: number().required(),
  /** Counted up by every change; the ETag says the same. */
  version: number().required(),
});
export type Rule = InferType<typeof ruleSchema>;
export const rulesSchema = array(ruleSchema).required();

/** A rule, saved or not, and the time it is tried over, epoch ms. */
export const trialSchema = object({
  rule: object({ ...ruleFields, title: string().max(80).default('') })
    .noUnknown()
    .required(),
  /** The device to look at, where the rule watches many; all of them where left out, 50 at the most. */
  device: string().max(40),
  from: number().integer().min(0).required(),
  to: number().integer().min(0).required(),
}).noUnknown();
export type Trial = InferType<typeof trialSchema>;
export const trialResultSchema = object({
  /** How often it would have opened. */
  count: number().required(),
  /** How long it would have been open, all told, in ms. */
  openMs: number().required(),
  /** Readings that were looked at. */
  readings: number().required(),
  devices: number().required(),
  events: array(
    object({
      deviceId: string().required(),
      deviceName: string().required(),
      openedAt: number().required(),
      closedAt: number().nullable().defined(),
      value: number().nullable().defined(),
      extreme: number().nullable().defined(),
    }),
  ).required(),
  /** A limit that was crossed seldom; null where there is none to suggest. */
  suggested: number().nullable().defined(),
  lowest: number().nullable().defined(),
  highest: number().nullable().defined(),
});
export type TrialResult = InferType<typeof trialResultSchema>;

const alert = object({
  id: number().required(),
  channel: string().required(),
  recipient: string().required(),
  phase: string()
    .oneOf(['opened', 'closed', 'reminder', 'escalated', 'held', 'override', 'undone', 'unreached'] as const)
    .required(),
  state: string().required(),
  queuedAt: number().required(),
  /** When it is tried next: later than queued in quiet hours, and after a failure. */
  dueAt: number().required(),
  at: number().nullable().defined(),
  error: string().defined(),
});
export const eventSchema = object({
  id: number().required(),
  ruleId: number().nullable().defined(),
  title: string().required(),
  sentence: string().required(),
  severity: string().oneOf(SEVERITIES).required(),
  deviceId: string().required(),
  deviceName: string().required(),
  stream: string().defined(),
  openedAt: number().required(),
  closedAt: number().nullable().defined(),
  /** Null where it is about no number. */
  value: number().nullable().defined(),
  extreme: number().nullable().defined(),
  acknowledgedAt: number().nullable().defined(),
  acknowledgedBy: string().defined(),
  closedBy: string().defined(),
  remark: string().defined(),
  alerts: array(alert).required(),
});
export type Event = InferType<typeof eventSchema>;
export const eventsSchema = array(eventSchema).required();
/** What somebody said of an event. */
export const commentSchema = object({
  id: number().required(),
  at: number().required(),
  by: string().required(),
  text: string().required(),
});
export type Comment = InferType<typeof commentSchema>;
export const newCommentSchema = object({
  text: string().trim().min(1).max(LONGEST_REMARK).required(),
}).noUnknown();

/** One event with everything that happened. */
export const wholeEventSchema = eventSchema.shape({
  /** In the order in which they were said. */
  comments: array(commentSchema).required(),
  tries: array(
    object({
      alertId: number().required(),
      at: number().required(),
      sent: boolean().required(),
      outcome: string().defined(),
    }),
  ).required(),
  /** What it wanted of controls, and what became of it. */
  commands: array(
    object({
      id: number().required(),
      deviceId: string().required(),
      stream: string().required(),
      value: string().required(),
      state: string().required(),
      at: number().required(),
    }),
  ).required(),
});
export type WholeEvent = InferType<typeof wholeEventSchema>;

export const acknowledgeSchema = object({ remark: string().trim().max(300).default('') }).noUnknown();
/** Several events at once. */
export const eventsChangeSchema = object({
  events: array(number().integer().required()).min(1).max(500).required(),
  what: string()
    .oneOf(['acknowledge', 'close'] as const)
    .required(),
  remark: string().trim().max(300).default(''),
}).noUnknown();
export const eventsChangedSchema = object({ changed: number().required() });
export const eventCountsSchema = object({
  open: number().required(),
  unacknowledged: number().required(),
  urgent: number().required(),
  /** Alerts of the last day that were given up, and the newest reason. */
  failed: number().required(),
  failure: string().defined(),
});
export type EventCounts = InferType<typeof eventCountsSchema>;
export type { ConditionName };

const MUTABLE = ['device', 'kind', 'label', 'rule'] as const;
export const newMuteSchema = object({
  sort: string().oneOf(MUTABLE).required(),
  /** ID of the device, number of the kind or rule, or the label. */
  target: string().trim().min(1).max(40).required(),
  until: number().integer().required(),
  reason: string().trim().max(200).default(''),
}).noUnknown();
export const muteSchema = object({
  id: number().required(),
  sort: string().oneOf(MUTABLE).required(),
  target: string().required(),
  until: number().required(),
  madeBy: string().defined(),
  reason: string().defined(),
});
export type Mute = InferType<typeof muteSchema>;
