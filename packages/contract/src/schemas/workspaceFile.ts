import '../locale';
import type { Plan, WorkspaceFile } from '@peatmoor/core';
import { array, boolean, mixed, number, object, string, type InferType, type StringSchema } from 'yup';
import { newWebhookSchema } from './alerts';
import { newCalibrationSchema } from './calibrations';
import { newDashboardSchema, widgetSchema } from './dashboards';
import { newDeviceSchema, placeSchema } from './devices';
import { newKindSchema } from './kinds';
import { ruleFields } from './rules';
import { GRANT_ROLES, newLinkSchema, GRANT_SORTS } from './sharing';
import { newTimetableSchema } from './timetables';
import { workspaceChangeSchema } from './account';

/** The version of the form of the file. */
export const FILE_VERSION = 1;
const MOST = 5000;
/** By what a thing is named in the file: its title, with a number behind it where several have the same. */
const name = string().trim().min(1).max(90).required();
const title = string().trim().min(1).max(80);

const kinds = newKindSchema.fields;
const device = newDeviceSchema.fields;
const dashboard = newDashboardSchema.fields;
const timetable = newTimetableSchema.fields;
const link = newLinkSchema.fields;
const calibration = newCalibrationSchema.fields;
const webhook = newWebhookSchema.fields;
const {
  kindId: _kind,
  people: _people,
  webhooks: _webhooks,
  escalateTo: _escalate,
  title: _title,
  ...rule
} = ruleFields;

type Entries = Record<string, unknown>[];
/** The objects of a list, of whatever a file may have in its place. */
const entriesOf = (list: unknown): Entries =>
  Array.isArray(list)
    ? list.filter((one): one is Entries[number] => typeof one === 'object' && one !== null)
    : [];

/** Until 0.6 a widget said whether it asks before it sends: its datastream says so now, where it says nothing itself. */
function bringAsking(file: unknown): unknown {
  const { devices, dashboards } = (file ?? {}) as Record<string, unknown>;
  const asking = entriesOf(dashboards).flatMap(({ kind = null, widgets }) =>
    entriesOf(widgets)
      .filter(({ options }) => (options as { asks?: unknown } | null | undefined)?.asks === true)
      .flatMap(({ sources }) =>
        entriesOf(sources).map(({ device, stream }) => ({
          stream,
          kind: entriesOf(devices).find(({ id }) => id === device)?.kind ?? kind,
        })),
      ),
  );
  if (asking.length === 0) return file;
  const isAsked = (kind: unknown, key: unknown): boolean =>
    asking.some((one) => one.stream === key && (one.kind === null || one.kind === kind));
  const brought = structuredClone(file);
  for (const { name, streams } of entriesOf((brought as { kinds?: unknown }).kinds))
    for (const stream of entriesOf(streams))
      if (stream.asks === undefined && isAsked(name, stream.key)) stream.asks = true;
  return brought;
}

/**
 * A workspace as a text file: its definitions by the names that people gave them, without secrets and without readings. Parts
 * that are left out are not touched.
 */
export const workspaceFileSchema = object({
  peatmoor: number().oneOf([FILE_VERSION]).required(),
  workspace: object({
    title: title.required(),
    zone: (workspaceChangeSchema.fields.zone as StringSchema).default('UTC'),
    place: placeSchema.nullable().default(null),
  })
    .noUnknown()
    .default(undefined)
    .optional(),
  kinds: array(
    object({
      name,
      intervalS: kinds.intervalS,
      acceptNew: kinds.acceptNew,
      board: kinds.board,
      icon: kinds.icon,
      notes: kinds.notes,
      streams: kinds.streams,
    }).noUnknown(),
  ).max(MOST),
  /** Secrets that the file does not have: to be filled in before something new is made by it. */
  needs: array(
    object({
      what: string()
        .oneOf(['webhook'] as const)
        .required(),
      name,
      field: string()
        .oneOf(['url'] as const)
        .required(),
    }).noUnknown(),
  )
    .max(MOST)
    .optional(),
  webhooks: array(
    object({
      name,
      /** As far as the host: what is behind it is a secret, kept where it is there already. */
      url: webhook.url,
      template: webhook.template,
    }).noUnknown(),
  ).max(MOST),
  devices: array(
    object({
      id: (device.id as StringSchema).required(),
      name: device.name,
      kind: name,
      labels: device.labels,
      place: placeSchema.nullable().default(null),
      notes: string().max(4000).default(''),
      gateway: string().max(40).nullable().default(null),
      serial: string().trim().min(1).max(80).nullable().default(null),
      /** The dashboard that its page leads to. */
      dashboard: string().max(90).nullable().default(null),
      calibrations: array(
        object({
          stream: calibration.stream,
          from: calibration.from,
          calibration: calibration.calibration,
        }).noUnknown(),
      )
        .max(200)
        .default([]),
    }).noUnknown(),
  ).max(MOST),
  dashboards: array(
    object({
      name,
      kind: string().max(90).nullable().default(null),
      icon: (dashboard.icon as StringSchema).default(''),
      colour: (dashboard.colour as StringSchema).default('ink'),
      labels: array(string().trim().lowercase().min(1).max(40).required()).max(20).default([]),
      forLabel: string().trim().lowercase().max(40).nullable().default(null),
      pages: array(string().trim().max(40).defined()).max(12).default([]),
      widgets: array(widgetSchema).max(100).default([]),
    }).noUnknown(),
  ).max(MOST),
  rules: array(
    object({
      name,
      kind: string().max(90).nullable().default(null),
      ...rule,
      /** People by email, or by the name they sign in with. */
      people: array(string().max(254).required()).max(50).default([]),
      webhooks: array(string().max(90).required()).max(50).default([]),
      escalateTo: string().max(254).nullable().default(null),
    }).noUnknown(),
  ).max(MOST),
  timetables: array(
    object({
      device: string().max(40).required(),
      title: timetable.title,
      stream: timetable.stream,
      times: timetable.times,
      catchUp: timetable.catchUp,
      active: timetable.active,
    }).noUnknown(),
  ).max(MOST),
  grants: array(
    object({
      person: string().max(254).required(),
      role: string().oneOf(GRANT_ROLES).required(),
      sort: string().oneOf(GRANT_SORTS).required(),
      /** ID of the device, the label, or the name of the dashboard. */
      target: string().trim().min(1).max(90).required(),
    }).noUnknown(),
  ).max(MOST),
  links: array(
    object({
      name,
      sort: link.sort,
      dashboard: string().max(90).nullable().default(null),
      widgetId: link.widgetId,
      deviceId: link.deviceId,
      backMs: link.backMs,
      periodMs: link.periodMs,
      periodOpen: link.periodOpen,
      sites: link.sites,
      listed: link.listed,
      endsAt: link.endsAt,
    }).noUnknown(),
  ).max(MOST),
})
  .noUnknown()
  .transform((file: unknown) => bringAsking(file) as never);

/** A workspace file as JSON; its fields as the schema says. */
export type WorkspaceDocument = WorkspaceFile & {
  peatmoor: number;
  needs?: { what: 'webhook'; name: string; field: 'url' }[];
};

export const applyFileSchema = object({
  document: workspaceFileSchema.required(),
  /** Deletes what is there and not in the file, of the parts that the file has. */
  delete: boolean().default(false),
}).noUnknown();

const step = object({
  sign: string()
    .oneOf(['+', '~', '-'] as const)
    .required(),
  what: string().required(),
  name: string().required(),
  within: string().optional(),
  fields: array(
    object({ field: string().required(), from: mixed().nullable(), to: mixed().nullable() }),
  ).required(),
  readings: number().optional(),
});
const stay = object({ what: string().required(), name: string().required(), within: string().optional() });
export const planSchema = object({ steps: array(step).required(), stays: array(stay).required() });
export const appliedSchema = planSchema.shape({
  /** What is given once: tokens of new devices, addresses of new links, secrets of new webhooks. */
  given: array(
    object({ what: string().required(), name: string().required(), secret: string().required() }),
  ).required(),
});
export type Applied = Plan & { given: { what: string; name: string; secret: string }[] };
export type ApplyFile = InferType<typeof applyFileSchema>;
export const fileQuerySchema = object({
  /** Only this kind, with its dashboards and rules, as a file to pass on. */
  kind: number().integer().min(1),
}).noUnknown();
