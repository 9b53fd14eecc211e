import '../locale';
import { array, boolean, number, object, string, type InferType } from 'yup';
import { dashboardSchema, type Dashboard } from './dashboards';

/** What a link shows: a dashboard, one widget of one, or a device by itself. */
export const SHARE_SORTS = ['dashboard', 'widget', 'device'] as const;
/** What is granted: one device, all devices of a label, or what a dashboard shows. */
export const GRANT_SORTS = ['device', 'label', 'dashboard'] as const;
/** What a grant lets somebody do. */
export const GRANT_ROLES = ['viewer', 'operator'] as const;

const HOUR = 3_600_000;
const DAY = 24 * HOUR;
/** How far back and how long at the most, in ms. */
const MOST_MS = 3660 * DAY;
const MOST_SITES = 20;

/** The start of an address without a path: a scheme, a name or an address, a port where it is not the usual. */
export const SITE = /^https?:\/\/(\*\.)?[a-z0-9.-]+(:\d{1,5})?$/;

const looks = {
  /** How far back a visitor may look, in ms; null for all there is. */
  backMs: number().integer().min(HOUR).max(MOST_MS).nullable(),
  /** The period it begins with, in ms. */
  periodMs: number().integer().min(60_000).max(MOST_MS),
  /** Whether a visitor may choose another period. */
  periodOpen: boolean(),
  /** Sites that may show it in a frame, such as https://moss.example. */
  sites: array(
    string()
      .trim()
      .lowercase()
      .max(200)
      .matches(SITE, 'must be the start of an address without a path, such as https://moss.example')
      .required(),
  ).max(MOST_SITES),
  /** Whether search engines may list it. */
  listed: boolean(),
};
const endsAt = number().integer().min(0).nullable();
const passphrase = string().min(6).max(200).nullable();

const of = {
  sort: string().oneOf(SHARE_SORTS).required(),
  dashboardId: number().integer().min(1).nullable().default(null),
  widgetId: string().max(40).nullable().default(null),
  /** The device it shows; for a dashboard the one that is chosen, null for whichever the visitor chooses. */
  deviceId: string().max(40).nullable().default(null),
};
const newLooks = {
  backMs: looks.backMs.default(30 * DAY),
  periodMs: looks.periodMs.default(DAY),
  periodOpen: looks.periodOpen.default(true),
};
export const linkPreviewSchema = object({ ...of, ...newLooks }).noUnknown();
export type LinkSubject = InferType<typeof linkPreviewSchema>;

export const newLinkSchema = object({
  title: string().trim().min(1).max(80).required(),
  ...of,
  ...newLooks,
  sites: looks.sites.default([]),
  listed: looks.listed.default(false),
  endsAt: endsAt.default(null),
  passphrase: passphrase.default(null),
}).noUnknown();
export type NewLink = InferType<typeof newLinkSchema>;

export const linkChangeSchema = object({
  title: string().trim().min(1).max(80),
  ...looks,
  endsAt,
  /** A new passphrase; null for none. */
  passphrase,
  /** Shares what its dashboard shows by now as well. */
  include: boolean(),
}).noUnknown();
export type LinkChange = Partial<InferType<typeof linkChangeSchema>>;

const shownSchema = object({
  device: string().required(),
  deviceName: string().required(),
  stream: string().required(),
  title: string().required(),
});

export const linkSchema = object({
  id: number().required(),
  title: string().required(),
  sort: string().oneOf(SHARE_SORTS).required(),
  dashboardId: number().nullable().defined(),
  widgetId: string().nullable().defined(),
  deviceId: string().nullable().defined(),
  /** The address to hand over. */
  address: string().required(),
  hasPassphrase: boolean().required(),
  backMs: number().nullable().defined(),
  periodMs: number().required(),
  periodOpen: boolean().required(),
  sites: array(string().required()).required(),
  listed: boolean().required(),
  madeBy: string().defined(),
  createdAt: number().required(),
  endsAt: number().nullable().defined(),
  /** How often it was opened, and when last. */
  opened: number().required(),
  openedAt: number().nullable().defined(),
  /** What a visitor sees, in a sentence. */
  shows: string().required(),
  /** Datastreams that its dashboard shows by now and the link does not carry: "include" shares them. */
  waiting: array(shownSchema).required(),
  version: number().required(),
});
/** A read-only address of a dashboard, a widget or a device. */
export type Link = InferType<typeof linkSchema>;
export const linksSchema = array(linkSchema).required();

export const linkPreviewAnswerSchema = object({
  shows: string().required(),
  streams: array(shownSchema).required(),
  /** The page as the visitor will get it, for a quarter of an hour. */
  page: string().required(),
});
export type LinkPreview = InferType<typeof linkPreviewAnswerSchema>;

export const sharedSchema = object({
  title: string().required(),
  sort: string().oneOf(SHARE_SORTS).required(),
  /** Its time zone. */
  zone: string().required(),
  backMs: number().nullable().defined(),
  periodMs: number().required(),
  periodOpen: boolean().required(),
  endsAt: number().nullable().defined(),
  dashboard: dashboardSchema,
});
/** What a share link shows, as its visitor gets it. */
export type Shared = Omit<InferType<typeof sharedSchema>, 'dashboard'> & { dashboard: Dashboard };

export const openSharedSchema = object({
  secret: string().max(700).required(),
  passphrase: string().max(200).required(),
}).noUnknown();
export const openedSharedSchema = object({ credential: string().required() });

/** A device handed over to another workspace. */
export const newOfferSchema = object({
  /** Whether the board goes on with the tokens it has; else a new one is made when it is taken. */
  keepsTokens: boolean().default(true),
}).noUnknown();
export const offerSchema = object({
  /** The address to hand over: an owner or editor of another workspace opens it there. Works once. */
  link: string().required(),
  endsAt: number().required(),
});
export type Offer = InferType<typeof offerSchema>;
export const offerSecretSchema = object({ secret: string().max(100).required() }).noUnknown();
export const offeredSchema = object({
  deviceId: string().required(),
  name: string().required(),
  kind: string().required(),
  from: string().required(),
  madeBy: string().defined(),
  keepsTokens: boolean().required(),
  readings: number().required(),
});
/** What is offered, as whoever may take it sees it. */
export type Offered = InferType<typeof offeredSchema>;
export const takenSchema = object({
  deviceId: string().required(),
  /** The new token, told once; null where the board goes on with its own. */
  token: string().nullable().defined(),
});
export type Taken = InferType<typeof takenSchema>;

export const newGrantSchema = object({
  /** The number of a person who belongs to the workspace. */
  userId: number().integer().min(1).required(),
  role: string().oneOf(GRANT_ROLES).required(),
  sort: string().oneOf(GRANT_SORTS).required(),
  /** ID of the device, the label, or number of the dashboard. */
  target: string().trim().min(1).max(40).required(),
}).noUnknown();
export type NewGrant = InferType<typeof newGrantSchema>;
export const grantSchema = object({
  id: number().required(),
  userId: number().required(),
  name: string().required(),
  role: string().oneOf(GRANT_ROLES).required(),
  sort: string().oneOf(GRANT_SORTS).required(),
  target: string().required(),
  /** The name of the device or dashboard. */
  title: string().required(),
  madeBy: string().defined(),
  createdAt: number().required(),
});
/** A person's role on one device, label or dashboard. */
export type Grant = InferType<typeof grantSchema>;
export const grantsSchema = array(grantSchema).required();
