import { isControllable, isReportable, isScalar, type Datastream } from '../readings/types';
import { asSent } from '../readings/unitChange';
import { wireValue } from '../readings/value';

/** What a starter program is made from. */
export interface StarterPlan {
  deviceId: string;
  deviceName: string;
  /** Host name or address a board can reach. */
  host: string;
  mqttPort: number;
  /** Base of the web address, without a slash at the end. */
  httpUrl: string;
  /** The device token, or null where only its owner knows it. */
  token: string | null;
  intervalS: number;
  streams: readonly Datastream[];
  /** The Wi-Fi of the board, where its maker has filled it in in the browser; it goes no further than into the file. */
  wifi?: { name: string; password: string };
  /** The claim secret of a kind, for one program on many boards: each then fetches its own device and token. */
  claim?: { secret: string };
  /** By which name the service is known in its local network, such as `peatmoor.local`; null where it tells none. */
  localName?: string | null;
  /** Where the service has a certificate: its port of MQTT over TLS, and the authority (PEM) to trust; empty for a public one. */
  tls?: { mqttPort: number; authority: string } | null;
  /** The public half (PEM) of the key with which programs of the kind are signed; absent: it fetches no new program. */
  firmwareKey?: string | null;
  /** Name and login of the cellular network, likewise. */
  cellular?: { name: string; user: string; password: string; pin: string };
}

/** One file of a starter project. `generated` files may be made anew; the others become the maker's own. */
export interface StarterFile {
  path: string;
  text: string;
  generated: boolean;
}

export const TOKEN_PLACEHOLDER = 'PASTE-THE-DEVICE-TOKEN-HERE';

/** The port of MQTT that a program takes: over TLS where there is a certificate. */
export const portOf = (plan: StarterPlan): number => plan.tls?.mqttPort ?? plan.mqttPort;
/** The authority that a program must be told to trust; empty where there is none, or everybody knows it. */
export const authorityOf = (plan: StarterPlan): string => plan.tls?.authority.trim() ?? '';
/** What a board can do: it knows no public authorities, so that it goes the plain way where the service has one of these. */
export function forBoard(plan: StarterPlan): StarterPlan {
  return plan.tls && authorityOf(plan) === ''
    ? { ...plan, tls: null, httpUrl: plan.httpUrl.replace(/^https:/, 'http:') }
    : plan;
}

/** The file of that authority; none where there is none. */
export const authorityFile = (plan: StarterPlan): StarterFile[] =>
  authorityOf(plan) === ''
    ? []
    : [{ path: 'authority.crt', text: `${authorityOf(plan)}\n`, generated: true }];

/** Numbers and booleans, which programs handle as numbers; choices, texts, colours and locations are texts to them. */
export const isPlain = (stream: Pick<Datastream, 'type'>): boolean =>
  isScalar(stream as Datastream) || stream.type === 'boolean';
/** What a program reads and sends with each report; images are sent by themselves. */
export const reported = (plan: StarterPlan): Datastream[] =>
  plan.streams.filter((stream) => isReportable(stream) && stream.type !== 'image').map(asSent);
export const pictured = (plan: StarterPlan): Datastream[] =>
  plan.streams.filter((stream) => isReportable(stream) && stream.type === 'image');
export const controlled = (plan: StarterPlan): Datastream[] =>
  plan.streams.filter((stream) => isControllable(stream));

/** `water_level` as `WaterLevel`, for names of functions. */
export function pascal(key: string): string {
  return key
    .split('_')
    .map((part) => part.charAt(0).toUpperCase() + part.slice(1))
    .join('');
}

/** A text as a double-quoted literal that C++, Python and JSON all read alike. */
export function literal(text: string): string {
  return JSON.stringify(text.replace(/[^\x20-\x7e]/g, '?'));
}

/**
 * A text on one line, for a comment in any of the languages: without whatever ends a line, a comment or a string in one of
 * them, and without letters that cannot be seen.
 */
export function comment(text: string): string {
  return text.replace(/[\p{C}\p{Zl}\p{Zp}*\\/]+/gu, ' ').replaceAll('"', '’');
}

/** A text in single quotes for a shell. */
export function shellQuoted(text: string): string {
  return `'${text.replaceAll("'", "'\\''")}'`;
}

/** A value that a datastream would accept, as it goes over the wire. */
export function exampleValue(stream: Datastream): string {
  switch (stream.type) {
    case 'boolean':
      return '1';
    case 'text':
      return 'dry';
    case 'location':
      return '53.4,-1.9';
    case 'choice':
    case 'colour':
      return wireValue(stream, 0);
    default:
      return String(madeUp(stream).middle);
  }
}

/** Believable values of what is about the same everywhere; and of the rest, where no range says more. */
const NATURAL: Readonly<Record<string, number>> = {
  Cel: 18,
  K: 291,
  '%RH': 60,
  hPa: 1013,
  Pa: 101_300,
  lx: 300,
  ppm: 500,
  'ug/m3': 12,
  pH: 7,
  dBm: -70,
  dB: 45,
  'm/s2': 9.8,
};
const USUAL: Readonly<Record<string, number>> = {
  V: 4,
  mV: 400,
  A: 1,
  mA: 12,
  W: 60,
  kW: 2,
  kWh: 3,
  'm/s': 3,
  kg: 2,
  m: 2,
  deg: 90,
};

/** A made-up value that a datastream takes, and how far it may stray from it. */
export function madeUp(stream: Pick<Datastream, 'type' | 'unit' | 'min' | 'max'>): {
  middle: number;
  spread: number;
} {
  const { min, max } = stream;
  const natural = NATURAL[stream.unit ?? ''];
  const fits = (one: number): boolean => (min === null || one >= min) && (max === null || one <= max);
  const usual = natural ?? USUAL[stream.unit ?? ''] ?? 50;
  const free = min !== null && max !== null ? (min + max) / 2 : fits(usual) ? usual : (min ?? max!);
  const chosen = natural !== undefined && fits(natural) ? natural : free;
  const middle = stream.type === 'integer' ? Math.round(chosen) : chosen;
  const room = Math.min(middle - (min ?? -Infinity), (max ?? Infinity) - middle);
  const wish = Math.max(1, Math.abs(middle) / 50);
  const spread = Math.max(0, Math.min(stream.type === 'integer' ? Math.round(wish) : wish, room));
  return {
    middle: Number(middle.toPrecision(6)),
    spread: stream.type === 'integer' ? Math.floor(spread) : Number(spread.toPrecision(3)),
  };
}
