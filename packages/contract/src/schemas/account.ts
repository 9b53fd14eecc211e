import '../locale';
import {
  isZone,
  KEY_PATTERN,
  LANGUAGES,
  ROLES,
  roleIncludes,
  UNIT_SYSTEMS,
  type Datastream,
  type Presence,
  type Role,
  type Value,
} from '@peatmoor/core';
import { array, boolean, mixed, number, object, string, type InferType } from 'yup';
import { KEY_SCOPES } from '../known';
import { takesOver } from './takesOver';

export { ROLES, roleIncludes, type Role };

const email = string().trim().lowercase().email().max(254).required();
const password = string().min(10).max(200).required();

const name = string().trim().min(1).max(80).required();
/** How an account signs in: by an email, or without one by its name. */
export const credentialFields = {
  /** Left out for an account that signs in by its name. */
  email: string().trim().lowercase().email().max(254).nullable().default(null),
  password,
};

export const newAccountSchema = object({
  ...credentialFields,
  name,
  workspace: string().trim().min(1).max(80).required(),
}).noUnknown();
export type NewAccount = InferType<typeof newAccountSchema>;
export type NewAccountIn = Omit<NewAccount, 'email'> & { email?: string | null };

export const signInSchema = object({
  /** The email of the account; the name of one that has none. */
  email: string().trim().lowercase().max(254).required(),
  password: string().max(200).required(),
  /** Six digits of the second factor, or a recovery code, where the account has one. */
  code: string().trim().max(40),
}).noUnknown();
export type SignIn = InferType<typeof signInSchema>;

export const statusSchema = object({
  version: string().required(),
  /** True while anybody may make an account: always on an empty service. */
  signUpOpen: boolean().required(),
  /** True while there is no account at all. */
  empty: boolean().required(),
  /** What is wrong with the clock of the service's computer, in words; null while nothing is. */
  clock: string().nullable().defined(),
});
export type Status = InferType<typeof statusSchema>;

/** A certificate of the service's own authority, for which phones must be told to trust that authority. */
export const newCertificateSchema = object({
  /** Names and addresses it is for; those of the machine where left out. */
  names: array(
    string()
      .trim()
      .matches(/^[A-Za-z0-9.:_-]{1,253}$/, 'must be a name or an address, such as moor.local')
      .required(),
  )
    .min(1)
    .max(30),
}).noUnknown();
export const certificateSchema = object({
  /** Null while there is none. */
  certificate: object({
    names: array(string().required()).required(),
    endsAt: number().required(),
    /** Of the authority (SHA-256), to compare on the phone. */
    fingerprint: string().required(),
  })
    .nullable()
    .defined(),
  /** True where the service answers by it, or by one that was set; false before the next start. */
  inUse: boolean().required(),
});
export type CertificateState = InferType<typeof certificateSchema>;

/** How boards and phones reach this service. */
export const addressSchema = object({
  httpUrl: string().required(),
  host: string().required(),
  mqttPort: number().required(),
  /** By which name the service is known in its local network; null where it tells none. */
  localName: string().nullable().defined(),
  /** Where it has a certificate: the port of MQTT over TLS, and the local authority (PEM) to trust, empty for a public one. */
  tls: object({ mqttPort: number().required(), authority: string().defined() }).nullable().defined(),
});
export type Address = InferType<typeof addressSchema>;

/** Dashboards that one person may have as favourites. */
const MOST_FAVOURITES = 50;
/** Datastreams that one person may leave out of their Overview, of all kinds together: every call reads them. */
const MOST_LEFT_OUT = 300;
const choices = {
  /** Numbers of the dashboards they look at most. */
  favourites: array(number().integer().min(1).required()).max(MOST_FAVOURITES),
  /** The page they begin with, as its path; empty for the overview. */
  start: string()
    .max(200)
    .matches(/^(\/(?![/\\])[^\s]*)?$/, { message: 'must be a page of this console, such as /dashboards/1' }),
  /** How dates and numbers are written for them. */
  language: string().oneOf(LANGUAGES),
  /** By which clock times are told them; empty for that of the browser they look with. */
  zone: string()
    .max(60)
    .test(
      'zone',
      'is not a time zone such as Europe/Dublin',
      (zone) => zone === undefined || zone === '' || isZone(zone),
    ),
  /** Datastreams that the rows of Overview leave out, by the number of the kind. */
  leftOut: array(
    object({
      kind: number().integer().min(1).required(),
      streams: array(string().matches(KEY_PATTERN, { message: 'must be keys of datastreams' }).required())
        .min(1)
        .max(MOST_LEFT_OUT)
        .required(),
    }).noUnknown(),
  )
    .max(MOST_LEFT_OUT)
    .test(
      'most',
      `can leave out ${MOST_LEFT_OUT} datastreams at the most; take those off that you want to see`,
      (list) => (list ?? []).reduce((sum, { streams = [] }) => sum + streams.length, 0) <= MOST_LEFT_OUT,
    ),
};
export const meChangeSchema = object({
  name: string().trim().min(1).max(80),
  units: string().oneOf(UNIT_SYSTEMS),
  ...choices,
}).noUnknown();

export const passwordChangeSchema = object({ before: string().max(200).required(), password }).noUnknown();
export type PasswordChange = InferType<typeof passwordChangeSchema>;

/** A password that is asked for again before something that matters. */
export const passwordAgainSchema = object({ password: string().max(200).required() }).noUnknown();
export const emailChangeSchema = object({ email, password: string().max(200).required() }).noUnknown();
export const askResetSchema = object({ email }).noUnknown();
export const resetSchema = object({ secret: string().max(100).required(), password }).noUnknown();
export const confirmSchema = object({ secret: string().max(100).required() }).noUnknown();
export const machineResetSchema = object({
  /** Email or sign-in name of the account. */
  account: string().trim().lowercase().max(254).required(),
  /** What stands in the file reset-key of the data folder: whoever reads it owns the machine. */
  key: string().max(100).required(),
}).noUnknown();
export const resetLinkSchema = object({ link: string().required(), endsAt: number().required() });
/** Where a new password is set, once, within an hour. */
export type ResetLink = InferType<typeof resetLinkSchema>;

export const sessionSchema = object({
  id: string().required(),
  /** The browser and its system, as it said. */
  browser: string().defined(),
  createdAt: number().required(),
  seenAt: number().required(),
  /** True for the one that asks. */
  isThis: boolean().required(),
});
export const sessionsSchema = array(sessionSchema).required();
export type Session = InferType<typeof sessionSchema>;

export const factorStateSchema = object({ on: boolean().required(), codesLeft: number().required() });
export const newFactorSchema = object({
  /** The secret, base32 (RFC 4648), and the same as an address for a picture code. */
  secret: string().required(),
  uri: string().required(),
});
export const factorCodeSchema = object({
  secret: string().max(100).required(),
  code: string().trim().max(10).required(),
  password: string().max(200).required(),
}).noUnknown();
export const recoveryCodesSchema = object({ codes: array(string().required()).required() });

export const deleteAccountSchema = object({
  password: string().max(200).required(),
  /** Deletes workspaces that nobody else belongs to as well, with their devices and readings. */
  withWorkspaces: boolean().default(false),
  takesOver,
}).noUnknown();

export const myWorkspaceSchema = object({
  id: number().required(),
  title: string().required(),
  role: string().oneOf(ROLES).required(),
});
export const myWorkspacesSchema = array(myWorkspaceSchema).required();
export type MyWorkspace = InferType<typeof myWorkspaceSchema>;

/** What another workspace granted you, as your own Overview shows it. */
export const grantedSchema = object({
  workspace: object({ id: number().required(), title: string().required() }).required(),
  devices: array(
    object({
      id: string().required(),
      name: string().required(),
      kindTitle: string().required(),
      presence: mixed<Presence>().required(),
      /** The newest of its first datastreams that are granted. */
      values: array(
        object({
          stream: mixed<Pick<Datastream, 'key' | 'title' | 'type' | 'unit' | 'decimals'>>().required(),
          at: number().required(),
          value: mixed<Value>().required(),
        }),
      ).required(),
    }),
  ).required(),
  dashboards: array(object({ id: number().required(), title: string().required() })).required(),
  /** True where more is granted than is listed. */
  more: boolean().required(),
});
export const grantedListSchema = array(grantedSchema).required();
export type Granted = InferType<typeof grantedSchema>;
export const chooseWorkspaceSchema = object({ id: number().integer().min(1).required() }).noUnknown();
export const newWorkspaceSchema = object({ title: string().trim().min(1).max(80).required() }).noUnknown();

export const workspaceChangeSchema = object({
  title: string().trim().min(1).max(80),
  /** Time zone of its timetables and calendar. */
  zone: string()
    .max(60)
    .test('zone', 'is not a time zone such as Europe/Dublin', (text) => text === undefined || isZone(text)),
  /** Where it is, for sunrise and sunset. */
  place: object({
    lat: number().min(-90).max(90).required(),
    lon: number().min(-180).max(180).required(),
  })
    .noUnknown()
    .nullable()
    .default(undefined),
  /** For how many days events, alerts and commands are kept, from a month to a century; null for five years. */
  recordDays: number().integer().min(30).max(36_500).nullable().default(undefined),
}).noUnknown();
export type WorkspaceChange = Partial<InferType<typeof workspaceChangeSchema>>;
export type MeChange = Partial<InferType<typeof meChangeSchema>>;

export const meSchema = object({
  user: object({
    id: number().required(),
    /** Empty for an account that has none. */
    email: string().defined(),
    name: string().required(),
    /** How values are shown to them: as they are stored, or in the units usual in the USA. */
    units: string().oneOf(UNIT_SYSTEMS).required(),
    favourites: array(number().required()).required(),
    start: string().defined(),
    language: string().oneOf(LANGUAGES).required(),
    /** Empty for that of the browser. */
    zone: string().defined(),
    leftOut: array(
      object({ kind: number().required(), streams: array(string().required()).required() }),
    ).required(),
  }),
  workspace: object({
    id: number().required(),
    title: string().required(),
    zone: string().required(),
    place: object({ lat: number().required(), lon: number().required() }).nullable().defined(),
    recordDays: number().nullable().defined(),
  }),
  role: string().oneOf(ROLES).required(),
  /** True where something is granted that may be steered, beyond the role. */
  steers: boolean().required(),
  /** True for an owner of the first workspace, in it: they look after the service itself. */
  ownsService: boolean().required(),
  address: addressSchema,
  /** Counted up by every change of name or units. */
  version: number().required(),
});
export type Me = InferType<typeof meSchema>;
export const newKeySchema = object({
  title: string().trim().min(1).max(80).required(),
  scope: string().oneOf(KEY_SCOPES).default('everything'),
  /** The one device, for the scopes that are of one. */
  deviceId: string()
    .max(40)
    .nullable()
    .default(null)
    .test('device', 'is needed for a key of one device, and only then', function (deviceId) {
      const { scope } = this.parent as { scope?: string };
      return (deviceId === null || deviceId === undefined) === !(scope ?? '').endsWith('-device');
    }),
  /** Days until it ends by itself; null for never. */
  days: number().integer().min(1).max(3660).nullable().default(null),
}).noUnknown();
export type NewKey = InferType<typeof newKeySchema>;
export const accessKeySchema = object({
  id: number().required(),
  title: string().required(),
  fingerprint: string().required(),
  createdAt: number().required(),
  usedAt: number().nullable().defined(),
  scope: string().oneOf(KEY_SCOPES).required(),
  deviceId: string().nullable().defined(),
  endsAt: number().nullable().defined(),
});
export type AccessKey = InferType<typeof accessKeySchema>;
export const accessKeysSchema = array(accessKeySchema).required();
export const madeKeySchema = accessKeySchema.shape({ secret: string().required() });
export type MadeKey = InferType<typeof madeKeySchema>;
