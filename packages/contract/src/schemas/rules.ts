import '../locale';
import { array, boolean, number, object, string, type InferType } from 'yup';

export const SEVERITIES = ['notice', 'warning', 'urgent'] as const;
export type Severity = (typeof SEVERITIES)[number];

/**
 * `raised`: the device opens and closes the event itself, by the key that stands in `stream`. `not-confirmed`: what must follow
 * the control `stream` was not measured in its time.
 */
export const COMPARISONS = ['above', 'below', 'raised', 'not-confirmed'] as const;

const ms = number()
  .integer()
  .min(0)
  .max(30 * 86_400_000);
export const newRuleSchema = object({
  title: string().trim().min(1).max(80).required(),
  severity: string().oneOf(SEVERITIES).default('warning'),
  /** One device, or a whole kind: one of the two. */
  deviceId: string().max(40).nullable().default(null),
  kindId: number().integer().nullable().default(null),
  stream: string().max(40).required(),
  comparison: string().oneOf(COMPARISONS).required(),
  /** The value that is crossed; left out for `raised` and `not-confirmed`. */
  limit: number().when('comparison', ([comparison], schema) =>
    comparison === 'raised' || comparison === 'not-confirmed' ? schema.default(0) : schema.required(),
  ),
  holdMs: ms.default(0),
  closeLimit: number().nullable().default(null),
  closeHoldMs: ms.default(0),
  /** Who is alerted by email. */
  emails: array(string().trim().email().max(254).required()).max(20).default([]),
  active: boolean().default(true),
})
  .noUnknown()
  .test(
    'whom',
    'watches either one device (deviceId) or a kind (kindId)',
    (rule) => (rule.deviceId === null) !== (rule.kindId === null),
  );
export type NewRule = Omit<InferType<typeof newRuleSchema>, 'limit'> & { limit: number };

export const ruleSchema = object({
  id: number().required(),
  title: string().required(),
  severity: string().oneOf(SEVERITIES).required(),
  deviceId: string().nullable().defined(),
  kindId: number().nullable().defined(),
  stream: string().required(),
  comparison: string().oneOf(COMPARISONS).required(),
  limit: number().required(),
  holdMs: number().required(),
  closeLimit: number().nullable().defined(),
  closeHoldMs: number().required(),
  emails: array(string().required()).required(),
  active: boolean().required(),
  sentence: string().required(),
  openEvents: number().required(),
  /** Counted up by every change; the ETag says the same. */
  version: number().required(),
});
export type Rule = InferType<typeof ruleSchema>;
export const rulesSchema = array(ruleSchema).required();

export const eventSchema = object({
  id: number().required(),
  ruleId: number().nullable().defined(),
  title: string().required(),
  sentence: string().required(),
  severity: string().oneOf(SEVERITIES).required(),
  deviceId: string().required(),
  deviceName: string().required(),
  stream: string().required(),
  openedAt: number().required(),
  closedAt: number().nullable().defined(),
  value: number().required(),
  extreme: number().required(),
  acknowledgedAt: number().nullable().defined(),
  acknowledgedBy: string().defined(),
  alerts: array(
    object({
      recipient: string().required(),
      phase: string().required(),
      state: string().required(),
      at: number().nullable().defined(),
      error: string().defined(),
    }),
  ).required(),
});
export type Event = InferType<typeof eventSchema>;
export const eventsSchema = array(eventSchema).required();
