import type { PersonalChannel } from '../known';
import { array } from 'yup';
import * as alerts from '../schemas/alerts';
import * as paging from '../schemas/paging';
import * as rules from '../schemas/rules';
import { endpoint, type Query } from './endpoint';

export type RuleIn = Pick<rules.NewRule, 'title' | 'comparison'> &
  Partial<Omit<rules.NewRule, 'also' | 'actions' | 'own'>> & {
    also?: (Pick<rules.NewRule['also'][number], 'comparison'> & Partial<rules.NewRule['also'][number]>)[];
    actions?: (Omit<rules.NewRule['actions'][number], 'deviceId' | 'rank'> & {
      deviceId?: string | null;
      rank?: number;
    })[];
    own?: { deviceId: string; limit?: number | null; leftOut?: boolean }[];
  };

/** Event rules, events, and how people are alerted. */
export const rulesEndpoints = {
  listRules: endpoint<rules.Rule[], undefined, Query<paging.RulesQuery>>(
    'GET /api/rules',
    'look',
    'Event rules',
    { query: paging.rulesQuerySchema, pages: 'all', answer: rules.rulesSchema },
  ),
  createRule: endpoint<rules.Rule, RuleIn>('POST /api/rules', 'change', 'Make an event rule', {
    body: rules.newRuleSchema,
    answer: rules.ruleSchema,
  }),
  tryRule: endpoint<
    rules.TrialResult,
    { rule: Omit<RuleIn, 'title'> & { title?: string }; device?: string; from: number; to: number }
  >('POST /api/rules/try', 'look', 'Run an event rule, saved or not, over past readings', {
    body: rules.trialSchema,
    answer: rules.trialResultSchema,
  }),
  readRule: endpoint<rules.Rule>('GET /api/rules/:rule', 'look', 'One event rule', {
    versioned: 'rule',
    answer: rules.ruleSchema,
  }),
  changeRule: endpoint<rules.Rule, RuleIn>('PUT /api/rules/:rule', 'change', 'Change an event rule', {
    body: rules.newRuleSchema,
    versioned: 'rule',
    answer: rules.ruleSchema,
  }),
  deleteRule: endpoint<void>('DELETE /api/rules/:rule', 'change', 'Delete an event rule; its events stay', {
    versioned: 'rule',
  }),
  listMutes: endpoint<rules.Mute[]>('GET /api/mutes', 'look', 'What sends no alerts for some time', {
    answer: array(rules.muteSchema).required(),
  }),
  mute: endpoint<rules.Mute, { sort: rules.Mute['sort']; target: string; until: number; reason?: string }>(
    'POST /api/mutes',
    'steer',
    'Send no alerts from a device, kind, label or rule until a time',
    { looks: true, body: rules.newMuteSchema, answer: rules.muteSchema },
  ),
  unmute: endpoint<void>('DELETE /api/mutes/:mute', 'steer', 'End a mute'),
  listEvents: endpoint<rules.Event[], undefined, Query<paging.EventsQuery>>(
    'GET /api/events',
    'look',
    'Events, newest first',
    { query: paging.eventsQuerySchema, pages: 'newest', answer: rules.eventsSchema },
  ),
  countEvents: endpoint<rules.EventCounts>('GET /api/events/counts', 'look', 'How many events are open', {
    answer: rules.eventCountsSchema,
  }),
  changeEvents: endpoint<
    { changed: number },
    { events: number[]; what: 'acknowledge' | 'close'; remark?: string }
  >('POST /api/events/change', 'steer', 'Acknowledge or close several events', {
    body: rules.eventsChangeSchema,
    answer: rules.eventsChangedSchema,
  }),
  readEvent: endpoint<rules.WholeEvent>('GET /api/events/:event', 'look', 'One event and all that happened', {
    answer: rules.wholeEventSchema,
  }),
  acknowledgeEvent: endpoint<rules.Event, { remark?: string }>(
    'POST /api/events/:event/acknowledge',
    'steer',
    'Acknowledge an event',
    { body: rules.acknowledgeSchema, answer: rules.eventSchema },
  ),
  commentEvent: endpoint<rules.Comment, { text: string }>(
    'POST /api/events/:event/comments',
    'steer',
    'Say something of an event',
    { body: rules.newCommentSchema, answer: rules.commentSchema },
  ),
  closeEvent: endpoint<rules.Event, { remark?: string }>(
    'POST /api/events/:event/close',
    'steer',
    'Close an event by hand',
    { body: rules.acknowledgeSchema, answer: rules.eventSchema },
  ),

  readMyAlerts: endpoint<alerts.AlertsOfMe>('GET /api/me/alerts', 'self', 'How you are alerted', {
    answer: alerts.alertsOfMeSchema,
  }),
  changeMyAlerts: endpoint<alerts.AlertsOfMe, alerts.AlertChoicesIn>(
    'PUT /api/me/alerts',
    'own',
    'Choose how you are alerted',
    { body: alerts.changedAlertChoicesSchema, answer: alerts.alertsOfMeSchema },
  ),
  testAlert: endpoint<alerts.TestResult, { channel: PersonalChannel | 'webhook'; id?: number }>(
    'POST /api/me/alerts/test',
    'own',
    'Send a test message, and say what happened at each hop',
    { body: alerts.testSchema, answer: alerts.testResultSchema },
  ),
  addPushPlace: endpoint<alerts.PushPlace, alerts.NewPushPlace>(
    'POST /api/me/phones',
    'own',
    'Alert this phone or browser',
    { body: alerts.newPushPlaceSchema, answer: alerts.pushPlaceSchema },
  ),
  removePushPlace: endpoint<void>('DELETE /api/me/phones/:phone', 'own', 'Alert a phone or browser no more'),
  listWebhooks: endpoint<alerts.Webhook[]>('GET /api/webhooks', 'look', 'Webhooks', {
    answer: array(alerts.webhookSchema).required(),
  }),
  createWebhook: endpoint<alerts.Webhook, Omit<alerts.NewWebhook, 'template'> & { template?: string }>(
    'POST /api/webhooks',
    'change',
    'Make a webhook; its secret is told once',
    { body: alerts.newWebhookSchema, answer: alerts.webhookSchema },
  ),
  deleteWebhook: endpoint<void>('DELETE /api/webhooks/:webhook', 'change', 'Delete a webhook'),
  listAddresses: endpoint<alerts.AlertAddress[]>(
    'GET /api/addresses',
    'look',
    'Addresses outside the workspace that are alerted, and whether they agreed',
    { answer: array(alerts.addressOfSchema).required() },
  ),
  askAddress: endpoint<alerts.AlertAddress>(
    'POST /api/addresses/:address/ask',
    'change',
    'Ask an address once more whether it may be alerted',
    { answer: alerts.addressOfSchema },
  ),
  readAlertLink: endpoint<alerts.AlertLink>(
    'GET /api/alert-links/:link',
    'open',
    'What a link in an alert is for',
    {
      answer: alerts.alertLinkSchema,
    },
  ),
  useAlertLink: endpoint<alerts.AlertLink>(
    'POST /api/alert-links/:link',
    'open',
    'Acknowledge, confirm or stop, by the link of an alert',
    { answer: alerts.alertLinkSchema },
  ),
  commentAlertLink: endpoint<alerts.AlertLink, { text: string }>(
    'POST /api/alert-links/:link/comments',
    'open',
    'Say something of the event that an alert was about, or of each that it was about',
    { body: rules.newCommentSchema, answer: alerts.alertLinkSchema },
  ),
};
