import type { RawData } from 'ws';
import type { Watched } from './audience';

/** Devices that one page may name; whoever wants more listens to all. */
const MOST_DEVICES = 2000;
const LONGEST_ID = 80;

/** What a page says it shows. */
export interface Watch {
  devices: Watched;
  arrivals: Watched;
}

/** Reads what a page sends; null for what is no such thing. */
export function readWatch(data: RawData): Watch | null {
  let message: unknown;
  try {
    message = JSON.parse(data.toString());
  } catch {
    return null;
  }
  if (typeof message !== 'object' || message === null) return null;
  const { type, devices = [], arrivals = [] } = message as Record<string, unknown>;
  const watch = { devices: readWatched(devices), arrivals: readWatched(arrivals) };
  return type === 'watch' && watch.devices !== null && watch.arrivals !== null ? (watch as Watch) : null;
}

function readWatched(value: unknown): Watched | null {
  if (value === 'all') return value;
  const fits =
    Array.isArray(value) &&
    value.length <= MOST_DEVICES &&
    value.every((one) => typeof one === 'string' && one.length <= LONGEST_ID);
  return fits ? new Set(value as string[]) : null;
}
