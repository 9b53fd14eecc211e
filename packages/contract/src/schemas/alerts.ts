import '../locale';
import { array, boolean, number, object, string, type InferType } from 'yup';
import { commentSchema } from './rules';
import { PERSONAL_CHANNELS, SEVERITIES, STAND_INS } from '../known';

const channels = array(string().oneOf(PERSONAL_CHANNELS).required()).max(PERSONAL_CHANNELS.length);
const quiet = object({
  /** Minutes after midnight by the clock of the workspace. */
  from: number().integer().min(0).max(1439).required(),
  to: number().integer().min(0).max(1439).required(),
}).noUnknown();

const USUAL_WAYS = { order: [...STAND_INS], minutes: 5 };
const ways = object({
  /** The ways that stand in for another, the first first; none for nothing. */
  order: array(string().oneOf(STAND_INS).required()).max(STAND_INS.length).required(),
  /** What nobody has taken for so long goes the next way, in minutes. */
  minutes: number().integer().min(1).max(60).required(),
}).noUnknown();

/** How a person is alerted. */
export const alertChoicesSchema = object({
  channels: object({
    notice: channels.required(),
    warning: channels.required(),
    urgent: channels.required(),
  }).required(),
  /** In these hours only urgent ones pass; the others are gathered to their end. */
  quiet: quiet.nullable().defined(),
  /** Nothing at all until then, epoch ms. */
  pausedUntil: number().nullable().defined(),
  /** What does not get through goes another way. */
  ways: ways.required(),
  /** An email now and then that says that all is well. */
  weekly: boolean().required(),
}).noUnknown();
export type AlertChoices = InferType<typeof alertChoicesSchema>;
/** What a body says of it: what it leaves out of the ways stays as it is. */
export const changedAlertChoicesSchema = alertChoicesSchema.shape({ ways: ways.default(undefined) });
export type AlertChoicesIn = Omit<AlertChoices, 'ways'> & Partial<Pick<AlertChoices, 'ways'>>;
export const USUAL_ALERT_CHOICES: AlertChoices = {
  channels: { notice: ['email'], warning: ['email', 'push'], urgent: ['email', 'push', 'screen'] },
  quiet: null,
  pausedUntil: null,
  ways: USUAL_WAYS,
  weekly: false,
};

/** A phone or browser that takes push messages (RFC 8030), as its browser describes it. */
export const newPushPlaceSchema = object({
  name: string().trim().min(1).max(80).required(),
  endpoint: string().max(1000).required(),
  keys: object({ p256dh: string().max(120).required(), auth: string().max(40).required() })
    .noUnknown()
    .required(),
}).noUnknown();
export type NewPushPlace = InferType<typeof newPushPlaceSchema>;
export const pushPlaceSchema = object({
  id: number().required(),
  name: string().required(),
  createdAt: number().required(),
  deliveredAt: number().nullable().defined(),
  /** The first letters of a hash of its address, so that a browser finds itself. */
  mark: string().required(),
});
export type PushPlace = InferType<typeof pushPlaceSchema>;

export const alertsOfMeSchema = object({
  choices: alertChoicesSchema,
  places: array(pushPlaceSchema).required(),
  /** Key by which browsers know this service (RFC 8292), base64url. */
  pushKey: string().required(),
  /** What is missing for email; empty where mail goes out. */
  mailTrouble: string().defined(),
});
export type AlertsOfMe = InferType<typeof alertsOfMeSchema>;

export const testSchema = object({
  channel: string()
    .oneOf([...PERSONAL_CHANNELS, 'webhook'] as const)
    .required(),
  /** Number of the webhook or the phone; all phones where left out. */
  id: number().integer(),
}).noUnknown();
/** What happened at each hop of a test message. */
export const testResultSchema = object({
  sent: boolean().required(),
  hops: array(
    object({ what: string().required(), ok: boolean().required(), detail: string().defined() }),
  ).required(),
});
export type TestResult = InferType<typeof testResultSchema>;

export const newWebhookSchema = object({
  title: string().trim().min(1).max(80).required(),
  url: string()
    .trim()
    .max(500)
    .matches(/^https?:\/\/[^\s]+$/, 'must be an address such as https://gateway.example/in')
    .required(),
  /** The body with places such as {title}; empty for JSON. */
  template: string().max(2000).default(''),
}).noUnknown();
export type NewWebhook = InferType<typeof newWebhookSchema>;
export const webhookSchema = object({
  id: number().required(),
  title: string().required(),
  url: string().required(),
  template: string().defined(),
  version: number().required(),
  /** What its messages are signed with; told once, when it is made. */
  secret: string(),
});
export type Webhook = InferType<typeof webhookSchema>;

export const addressOfSchema = object({
  id: number().required(),
  email: string().required(),
  askedAt: number().required(),
  confirmedAt: number().nullable().defined(),
});
export type AlertAddress = InferType<typeof addressOfSchema>;

/** What stands behind a link in an alert. */
export const alertLinkSchema = object({
  what: string()
    .oneOf(['event', 'events', 'address', 'stop'] as const)
    .required(),
  title: string().required(),
  /** Whom the link was sent to. */
  to: string().required(),
  severity: string().oneOf(SEVERITIES).nullable().defined(),
  eventId: number().nullable().defined(),
  openedAt: number().nullable().defined(),
  closedAt: number().nullable().defined(),
  acknowledgedBy: string().defined(),
  /** What it is about as it is now, with its unit; empty where that is no value or there is none. */
  value: string().defined(),
  /** When it was measured, epoch ms. */
  valueAt: number().nullable().defined(),
  sentence: string().defined(),
  /** True where there are readings to draw. */
  chart: boolean().required(),
  comments: array(commentSchema).required(),
  /** What one link acknowledges together. */
  events: array(
    object({
      title: string().required(),
      severity: string().required(),
      /** As it is now, with its unit; empty where it is done or there is none. */
      value: string().defined(),
      done: boolean().required(),
    }),
  ).required(),
  /** True once it was used. */
  done: boolean().required(),
});
export type AlertLink = InferType<typeof alertLinkSchema>;
