import { counted } from '@peatmoor/core';
import type { Device } from './schemas/devices';

/** What the page to sign in says first, also before its script is there. */
export const WELCOME =
  'For any device: see what your boards measure, steer what they drive, and be told when something is wrong.';

/** Pages of the console by their addresses, of those that are mostly opened first: their files are fetched before it is known who looks. */
const FIRST_PAGES = [
  [/^\/$/, 'Overview'],
  [/^\/dashboards\/\d+\/wall$/, 'Wall'],
  [/^\/dashboards\/\d+$/, 'Dashboard'],
  [/^\/dashboards$/, 'Dashboards'],
  [/^\/devices\/[^/]+/, 'Device'],
  [/^\/devices$/, 'Devices'],
  [/^\/history$/, 'History'],
  [/^\/events$/, 'Events'],
  [/^\/shared\//, 'Shared'],
] as const;
export type FirstPage = (typeof FIRST_PAGES)[number][1] | 'SignIn';

/** The page that an address opens, by the name of its file; undefined where it is none of these. */
export const firstPageOf = (address: string): FirstPage | undefined =>
  FIRST_PAGES.find(([pattern]) => pattern.test(address))?.[1];

/** All devices in one sentence, as the Overview says it. */
export function wholeInWords(devices: readonly Pick<Device, 'presence' | 'openEvents'>[]): string {
  const online = devices.filter(({ presence }) => presence.state === 'online').length;
  const quiet = devices.filter(({ presence }) => presence.state === 'quiet').length;
  const open = devices.reduce((sum, { openEvents }) => sum + openEvents, 0);
  return [
    `${online} of ${counted(devices.length, 'device')} online`,
    quiet > 0 && `${quiet} quiet`,
    open === 0 ? 'nothing open' : `${counted(open, 'event')} open`,
    'the last 24 hours',
  ]
    .filter(Boolean)
    .join(' · ');
}

/** The element of the page in which stands what is known already: a line of JSON. */
export const BEGAN_ID = 'began';

/** What the service knew when it sent the page. */
export interface Began {
  /** Calls that the page makes first, each with what it is asked with (null for nothing) and its answer; where nobody is signed in, none. */
  answers: [name: string, input: object | null, answer: unknown][];
}
