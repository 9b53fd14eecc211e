import { isControllable, isReportable, isScalar, type Datastream } from '../readings/types';
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

/** Starters read and drive numbers and booleans; texts, places and pictures are the maker's own lines. */
const isPlain = (stream: Datastream): boolean => isScalar(stream) || stream.type === 'boolean';
export const reported = (plan: StarterPlan): Datastream[] =>
  plan.streams.filter((stream) => isReportable(stream) && isPlain(stream));
export const controlled = (plan: StarterPlan): Datastream[] =>
  plan.streams.filter((stream) => isControllable(stream) && isPlain(stream));

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
      return String(middle(stream));
  }
}

/** The middle of a datastream's range, as a first made-up value. */
export function middle(stream: Datastream): number {
  const low = stream.min ?? 0;
  const high = stream.max ?? low + 100;
  return Math.round((low + high) / 2);
}
