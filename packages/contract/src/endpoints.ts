import type { Statistics } from '@peatmoor/core';
import type { AnySchema } from 'yup';
import * as account from './schemas/account';
import * as calibrations from './schemas/calibrations';
import * as check from './schemas/check';
import * as claims from './schemas/claims';
import * as computing from './schemas/computing';
import * as data from './schemas/data';
import * as commands from './schemas/commands';
import * as dashboards from './schemas/dashboards';
import * as devices from './schemas/devices';
import * as history from './schemas/history';
import * as kinds from './schemas/kinds';
import * as rules from './schemas/rules';
import type { Action } from '@peatmoor/core';
import * as paging from './schemas/paging';
import * as people from './schemas/people';

/** What has versions: each change counts it up. Datastreams belong to the version of their kind. */
export type Versioned = 'kind' | 'device' | 'dashboard' | 'rule' | 'person' | 'member';

/** One call of the API. `A` is its answer, `B` its body, `Q` its query as the caller gives them. */
export interface Endpoint<A = unknown, B = undefined, Q = undefined> {
  method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
  /** Path with `:name` for each parameter. */
  path: string;
  summary: string;
  /** Who may call it: `open` for anybody, else whoever may do this in the workspace. */
  access: 'open' | Action;
  body?: AnySchema;
  query?: AnySchema;
  answer?: AnySchema;
  /**
   * A list, given a page at a time with a Link header to the next. `all`: the typed client reads on to the end where no limit
   * is asked for; `newest`: it gives the first page.
   */
  pages?: 'all' | 'newest';
  /** Of what this reads or changes a version: it gives an ETag, and a change is held to If-Match. */
  versioned?: Versioned;
  /** Never set; carries the types. */
  types?: { answer: A; body: B; query: Q };
}

type Options = Pick<Endpoint, 'body' | 'query' | 'answer' | 'pages' | 'versioned'>;

function endpoint<A, B = undefined, Q = undefined>(
  line: string,
  access: Endpoint['access'],
  summary: string,
  options: Options = {},
): Endpoint<A, B, Q> {
  const [method, path] = line.split(' ') as [Endpoint['method'], string];
  return { method, path, access, summary, ...options };
}

export type DashboardIn = Pick<dashboards.NewDashboard, 'title'> & Partial<dashboards.NewDashboard>;
type StreamIn = Pick<kinds.NewStream, 'key' | 'title' | 'type'> & Partial<kinds.NewStream>;
export type KindIn = Pick<kinds.NewKind, 'title'> &
  Partial<Omit<kinds.NewKind, 'title' | 'streams'>> & { streams?: StreamIn[] };
export type DeviceIn = {
  name: string;
  id?: string;
  kindId?: number;
  newKind?: KindIn;
  labels?: string[];
  gateway?: string;
  serial?: string;
};
export type RuleIn = Pick<rules.NewRule, 'title' | 'stream' | 'comparison'> & Partial<rules.NewRule>;
type Query<T> = Partial<T>;

/** The whole API: the service registers it, the client calls it, OpenAPI is made from it. */
export const endpoints = {
  status: endpoint<account.Status>('GET /api/status', 'open', 'Whether the service has accounts yet', {
    answer: account.statusSchema,
  }),
  createAccount: endpoint<account.Me, account.NewAccount>(
    'POST /api/account',
    'open',
    'Make an account with its workspace, and sign in',
    { body: account.newAccountSchema, answer: account.meSchema },
  ),
  signIn: endpoint<account.Me, account.SignIn>(
    'POST /api/session',
    'open',
    'Sign in: sets the session cookie',
    { body: account.signInSchema, answer: account.meSchema },
  ),
  signOut: endpoint<void>('DELETE /api/session', 'open', 'Sign out'),
  me: endpoint<account.Me>(
    'GET /api/me',
    'self',
    'Who is signed in, where, and how boards reach this service',
    { versioned: 'person', answer: account.meSchema },
  ),
  changeMe: endpoint<account.Me, account.MeChange>(
    'PATCH /api/me',
    'self',
    'Change your name, and in which units values are shown to you',
    { body: account.meChangeSchema, versioned: 'person', answer: account.meSchema },
  ),
  listKeys: endpoint<account.AccessKey[], undefined, Query<paging.PageQuery>>(
    'GET /api/keys',
    'self',
    'Your access keys',
    {
      query: paging.pageQuerySchema,
      pages: 'all',
      answer: account.accessKeysSchema,
    },
  ),
  createKey: endpoint<account.MadeKey, Pick<account.NewKey, 'title'> & Partial<account.NewKey>>(
    'POST /api/keys',
    'self',
    'Make an access key; its secret is shown once',
    { body: account.newKeySchema, answer: account.madeKeySchema },
  ),
  deleteKey: endpoint<void>('DELETE /api/keys/:key', 'self', 'End an access key'),

  check: endpoint<check.Check>(
    'GET /api/check',
    'people',
    'Whether all that the service stands on is as it should be',
    { answer: check.checkSchema },
  ),

  listPeople: endpoint<people.Person[], undefined, Query<paging.PeopleQuery>>(
    'GET /api/people',
    'look',
    'People of the workspace',
    {
      query: paging.peopleQuerySchema,
      pages: 'all',
      answer: people.peopleSchema,
    },
  ),
  addPerson: endpoint<people.AddedPerson, people.NewPerson>(
    'POST /api/people',
    'people',
    'Add a person: gives a link, to be handed over, with which they make their account once',
    { body: people.newPersonSchema, answer: people.addedPersonSchema },
  ),
  changePerson: endpoint<people.Person, people.PersonChange>(
    'PATCH /api/people/:person',
    'people',
    'Change what a person may do',
    { body: people.personChangeSchema, versioned: 'member', answer: people.personSchema },
  ),
  removePerson: endpoint<void>(
    'DELETE /api/people/:person',
    'people',
    'Remove a person, or take a link back',
    { versioned: 'member' },
  ),
  join: endpoint<account.Me, people.Join>(
    'POST /api/join',
    'open',
    'Make an account with the link one was given, and sign in',
    { body: people.joinSchema, answer: account.meSchema },
  ),

  listKinds: endpoint<kinds.Kind[], undefined, Query<paging.KindsQuery>>(
    'GET /api/kinds',
    'look',
    'Device kinds with their datastreams',
    {
      query: paging.kindsQuerySchema,
      pages: 'all',
      answer: kinds.kindsSchema,
    },
  ),
  createKind: endpoint<kinds.Kind, KindIn>('POST /api/kinds', 'change', 'Make a kind', {
    body: kinds.newKindSchema,
    answer: kinds.kindSchema,
  }),
  readKind: endpoint<kinds.Kind>('GET /api/kinds/:kind', 'look', 'One kind', {
    versioned: 'kind',
    answer: kinds.kindSchema,
  }),
  changeKind: endpoint<kinds.Kind, kinds.KindChange>(
    'PATCH /api/kinds/:kind',
    'change',
    'Change title or expected interval',
    { body: kinds.kindChangeSchema, versioned: 'kind', answer: kinds.kindSchema },
  ),
  deleteKind: endpoint<void>('DELETE /api/kinds/:kind', 'change', 'Delete a kind that has no devices', {
    versioned: 'kind',
  }),
  copyKind: endpoint<kinds.Kind, { title: string }>(
    'POST /api/kinds/:kind/copy',
    'change',
    'Make a kind with the same datastreams',
    { body: kinds.copyKindSchema, answer: kinds.kindSchema },
  ),
  moveDevices: endpoint<kinds.MovedDevices, Pick<kinds.MoveDevices, 'devices'> & Partial<kinds.MoveDevices>>(
    'POST /api/kinds/:kind/devices',
    'change',
    'Move devices to this kind; `try` only tells which history goes along and which does not',
    { body: kinds.moveDevicesSchema, answer: kinds.movedDevicesSchema },
  ),
  streamEffect: endpoint<kinds.Effect>(
    'GET /api/kinds/:kind/streams/:stream/effect',
    'look',
    'How many devices and readings a change or deletion would reach',
    { answer: kinds.effectSchema },
  ),
  createStream: endpoint<kinds.Stream, StreamIn>(
    'POST /api/kinds/:kind/streams',
    'change',
    'Add a datastream to a kind',
    { body: kinds.streamSchema, versioned: 'kind', answer: kinds.keptStreamSchema },
  ),
  changeStream: endpoint<kinds.Stream, StreamIn>(
    'PUT /api/kinds/:kind/streams/:stream',
    'change',
    'Change a datastream; a changed key keeps the old one as alias',
    { body: kinds.streamSchema, versioned: 'kind', answer: kinds.keptStreamSchema },
  ),
  deleteStream: endpoint<void>(
    'DELETE /api/kinds/:kind/streams/:stream',
    'change',
    'Delete a datastream with its readings',
    { versioned: 'kind' },
  ),
  listClaims: endpoint<claims.Claim[], undefined, Query<paging.PageQuery>>(
    'GET /api/kinds/:kind/claims',
    'change',
    'Claim secrets of a kind, with the boards that claimed',
    { query: paging.pageQuerySchema, pages: 'all', answer: claims.claimsSchema },
  ),
  createClaim: endpoint<claims.MadeClaim, Partial<claims.NewClaim>>(
    'POST /api/kinds/:kind/claims',
    'change',
    'Make a claim secret, with which boards fetch a device and token of their own; shown once',
    { body: claims.newClaimSchema, answer: claims.madeClaimSchema },
  ),
  endClaim: endpoint<void>('DELETE /api/kinds/:kind/claims/:claim', 'change', 'End a claim secret'),
  reopenClaim: endpoint<void, { device: string }>(
    'POST /api/kinds/:kind/claims/:claim/reopen',
    'change',
    'Let the board of a device claim once more; its tokens end when it does',
    { body: claims.reopenClaimSchema },
  ),
  tryComputation: endpoint<computing.Tried, computing.TryComputation>(
    'POST /api/kinds/:kind/compute',
    'change',
    'Check a computed datastream, and show what it makes of recent readings; keeps nothing',
    { body: computing.tryComputationSchema, answer: computing.triedSchema },
  ),
  recompute: endpoint<{ devices: number }, { device?: string }>(
    'POST /api/kinds/:kind/streams/:stream/recompute',
    'change',
    'Work a computed datastream out anew over history',
    { body: computing.recomputeSchema, answer: computing.askedSchema },
  ),
  listRecomputations: endpoint<computing.Recomputation[], undefined, Query<paging.RecomputationsQuery>>(
    'GET /api/kinds/:kind/streams/:stream/recompute',
    'look',
    'How far working out over history has come, by device',
    { query: paging.recomputationsQuerySchema, pages: 'newest', answer: computing.recomputationsSchema },
  ),

  listDevices: endpoint<devices.Device[], undefined, Query<paging.DevicesQuery>>(
    'GET /api/devices',
    'look',
    'Devices with presence and newest readings',
    { query: paging.devicesQuerySchema, pages: 'all', answer: devices.devicesSchema },
  ),
  createDevice: endpoint<devices.MadeDevice, DeviceIn>(
    'POST /api/devices',
    'change',
    'Register a device; its token is shown once',
    { body: devices.newDeviceSchema, answer: devices.madeDeviceSchema },
  ),
  createDevices: endpoint<devices.MadeMany, { csv: string }>(
    'POST /api/devices/many',
    'change',
    'Register many devices from CSV, all or none; their tokens are shown once',
    { body: devices.manyDevicesSchema, answer: devices.madeManySchema },
  ),
  readDevice: endpoint<devices.Device>('GET /api/devices/:device', 'look', 'One device', {
    versioned: 'device',
    answer: devices.deviceSchema,
  }),
  changeDevice: endpoint<devices.Device, devices.DeviceChange>(
    'PATCH /api/devices/:device',
    'change',
    'Change name, labels, place or notes of a device',
    { body: devices.deviceChangeSchema, versioned: 'device', answer: devices.deviceSchema },
  ),
  deleteDevice: endpoint<void>('DELETE /api/devices/:device', 'change', 'Delete a device with its readings', {
    versioned: 'device',
  }),
  listTokens: endpoint<devices.DeviceToken[], undefined, Query<paging.TokensQuery>>(
    'GET /api/devices/:device/tokens',
    'look',
    'Tokens of a device, by fingerprint',
    { query: paging.tokensQuerySchema, pages: 'all', answer: devices.tokensSchema },
  ),
  createToken: endpoint<devices.MadeToken, { title?: string }>(
    'POST /api/devices/:device/tokens',
    'change',
    'Make another token; shown once',
    { body: devices.newTokenSchema, answer: devices.madeTokenSchema },
  ),
  withdrawToken: endpoint<void>('DELETE /api/devices/:device/tokens/:token', 'change', 'Withdraw a token'),
  whoseToken: endpoint<devices.TokenOwner, { text: string }>(
    'POST /api/tokens/whose',
    'look',
    'Tell device and state of a pasted token',
    { body: devices.whoseTokenSchema, answer: devices.tokenOwnerSchema },
  ),
  listArrivals: endpoint<devices.Arrival[], undefined, Query<paging.ArrivalsQuery>>(
    'GET /api/devices/:device/arrivals',
    'look',
    'Messages of a device, newest first',
    { query: paging.arrivalsQuerySchema, pages: 'newest', answer: devices.arrivalsSchema },
  ),
  listAllArrivals: endpoint<devices.Arrival[], undefined, Query<paging.ArrivalsQuery>>(
    'GET /api/arrivals',
    'look',
    'Messages of all devices, newest first',
    { query: paging.arrivalsQuerySchema, pages: 'newest', answer: devices.arrivalsSchema },
  ),
  retake: endpoint<devices.Retaken>(
    'POST /api/devices/:device/retake',
    'change',
    'Take the refused messages that are kept once more, now that their cause is mended',
    { answer: devices.retakenSchema },
  ),
  reportByHand: endpoint<devices.ReportAnswer, { values: Record<string, unknown> }>(
    'POST /api/devices/:device/report',
    'change',
    'Report as the device would',
    { body: devices.reportByHandSchema, answer: devices.reportAnswerSchema },
  ),
  history: endpoint<history.History, undefined, Query<history.HistoryQuery>>(
    'GET /api/devices/:device/history',
    'look',
    'Readings, or buckets of them, of one device',
    { query: history.historyQuerySchema, answer: history.historySchema },
  ),
  listOthers: endpoint<history.OtherReadings, undefined, Query<history.OthersQuery>>(
    'GET /api/devices/:device/others',
    'look',
    'Texts, locations or images of a device over a period, the newest first',
    { query: history.othersQuerySchema, answer: history.otherReadingsSchema },
  ),
  calendar: endpoint<data.Calendar, undefined, Query<data.CalendarQuery>>(
    'GET /api/devices/:device/calendar',
    'look',
    'Hours, days, weeks, months or years of a time zone, with what was measured in each',
    { query: data.calendarQuerySchema, answer: data.calendarSchema },
  ),
  statistics: endpoint<Statistics, undefined, Query<data.StatisticsQuery>>(
    'GET /api/devices/:device/statistics',
    'look',
    'Statistics of a datastream over a period',
    { query: data.statisticsQuerySchema, answer: data.statisticsSchema },
  ),
  importRows: endpoint<data.Imported, Pick<data.Import, 'csv'> & Partial<data.Import>>(
    'POST /api/devices/:device/import',
    'change',
    'Take readings from CSV; safe to repeat, and `try` only looks',
    { body: data.importSchema, answer: data.importedSchema },
  ),
  deleteReadings: endpoint<{ count: number }, Pick<data.CorrectionIn, 'stream'> & Partial<data.CorrectionIn>>(
    'POST /api/devices/:device/corrections',
    'change',
    'Delete readings of a period, or all; `try` only counts',
    { body: data.correctionSchema, answer: data.correctedSchema },
  ),
  listCalibrations: endpoint<calibrations.KeptCalibration[], undefined, Query<paging.OfStreamQuery>>(
    'GET /api/devices/:device/calibrations',
    'look',
    'Calibrations of a device, the newest first',
    { query: paging.ofStreamQuerySchema, pages: 'all', answer: calibrations.calibrationsSchema },
  ),
  createCalibration: endpoint<
    calibrations.CalibrationPreview,
    Pick<calibrations.NewCalibration, 'stream' | 'calibration'> & Partial<calibrations.NewCalibration>
  >(
    'POST /api/devices/:device/calibrations',
    'change',
    'Calibrate a datastream of a device; `try` only shows what it would make of recent readings',
    { body: calibrations.newCalibrationSchema, answer: calibrations.calibrationPreviewSchema },
  ),
  deleteCalibration: endpoint<void>(
    'DELETE /api/devices/:device/calibrations/:calibration',
    'change',
    'Take a calibration back; raw values are as they were',
  ),
  listCorrections: endpoint<data.Correction[], undefined, Query<paging.OfStreamQuery>>(
    'GET /api/devices/:device/corrections',
    'look',
    'What was deleted by hand, by whom and when',
    { query: paging.ofStreamQuerySchema, pages: 'newest', answer: data.correctionsSchema },
  ),
  overview: endpoint<history.Overview, undefined, { hours?: number; devices?: string }>(
    'GET /api/overview',
    'look',
    'The last hours of every device, on one time axis',
    { query: history.overviewQuerySchema, answer: history.overviewSchema },
  ),

  createCommand: endpoint<commands.Command, { stream: string; value: number | boolean | string }>(
    'POST /api/devices/:device/commands',
    'steer',
    'Want a value on a control datastream',
    { body: commands.newCommandSchema, answer: commands.commandSchema },
  ),
  listCommands: endpoint<commands.Command[], undefined, Query<paging.CommandsQuery>>(
    'GET /api/devices/:device/commands',
    'look',
    'The newest command of each control, and the last hundred',
    { query: paging.commandsQuerySchema, pages: 'newest', answer: commands.commandsSchema },
  ),
  readCommand: endpoint<commands.Command>('GET /api/commands/:command', 'look', 'One command', {
    answer: commands.commandSchema,
  }),

  listDashboards: endpoint<dashboards.Dashboard[], undefined, Query<paging.DashboardsQuery>>(
    'GET /api/dashboards',
    'look',
    'Dashboards',
    {
      query: paging.dashboardsQuerySchema,
      pages: 'all',
      answer: dashboards.dashboardsSchema,
    },
  ),
  createDashboard: endpoint<dashboards.Dashboard, DashboardIn>(
    'POST /api/dashboards',
    'change',
    'Make a dashboard',
    { body: dashboards.newDashboardSchema, answer: dashboards.dashboardSchema },
  ),
  createStarterDashboard: endpoint<dashboards.Dashboard>(
    'POST /api/devices/:device/dashboard',
    'change',
    'Make the complete dashboard offered for a device',
    { answer: dashboards.dashboardSchema },
  ),
  readDashboard: endpoint<dashboards.Dashboard>('GET /api/dashboards/:dashboard', 'look', 'One dashboard', {
    versioned: 'dashboard',
    answer: dashboards.dashboardSchema,
  }),
  changeDashboard: endpoint<
    dashboards.Dashboard,
    { version: number; title: string; widgets: dashboards.Dashboard['widgets'] }
  >('PUT /api/dashboards/:dashboard', 'change', 'Keep a change; 409 when somebody else changed it since', {
    body: dashboards.dashboardChangeSchema,
    versioned: 'dashboard',
    answer: dashboards.dashboardSchema,
  }),
  deleteDashboard: endpoint<void>('DELETE /api/dashboards/:dashboard', 'change', 'Delete a dashboard', {
    versioned: 'dashboard',
  }),

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
  listEvents: endpoint<rules.Event[], undefined, Query<paging.EventsQuery>>(
    'GET /api/events',
    'look',
    'Events, newest first',
    { query: paging.eventsQuerySchema, pages: 'newest', answer: rules.eventsSchema },
  ),
  acknowledgeEvent: endpoint<rules.Event>(
    'POST /api/events/:event/acknowledge',
    'steer',
    'Acknowledge an event',
    { answer: rules.eventSchema },
  ),
  closeEvent: endpoint<rules.Event>('POST /api/events/:event/close', 'steer', 'Close an event by hand', {
    answer: rules.eventSchema,
  }),
};
export type Endpoints = typeof endpoints;
export type EndpointName = keyof Endpoints;
export type AnswerOf<N extends EndpointName> = NonNullable<Endpoints[N]['types']>['answer'];
export type BodyOf<N extends EndpointName> = NonNullable<Endpoints[N]['types']>['body'];
export type QueryOf<N extends EndpointName> = NonNullable<Endpoints[N]['types']>['query'];
