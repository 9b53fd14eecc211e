import type { Value } from '@peatmoor/core';
import type { Arrival } from './schemas/devices';
import type { Command } from './schemas/commands';
import type { Event } from './schemas/rules';

export const LIVE_PATH = '/api/live';
/** How often the service says that it is there, in ms. */
export const BEAT_MS = 3000;

/** What changed, so that pages read it again. */
export type ChangedWhat =
  | 'kinds'
  | 'devices'
  | 'dashboards'
  | 'rules'
  | 'events'
  | 'recomputations'
  | 'people'
  | 'timetables'
  | 'notes'
  | 'links'
  | 'grants'
  /** Messages that came before others heard of them one by one. */
  | 'arrivals';

/** A message on the live WebSocket, from the service to a page. */
export type LiveMessage =
  | { type: 'hello'; now: number }
  /** Every few seconds, so that a page knows a dead link from a quiet one. `now` is the service's time. */
  | { type: 'beat'; now: number }
  /** What is shown of the past of these datastreams is no longer right: late readings, deleted ones, others made right. */
  | { type: 'past'; device: string; streams: string[] }
  /** Something may have been missed between the services: the page reads again what it shows. */
  | { type: 'again' }
  /** What the page says it shows is heard from now on. */
  | { type: 'watching' }
  /** New readings of one device: `values` are [datastream key, time in ms, value]; `heard`: when the device was heard last, epoch ms. */
  | {
      type: 'readings';
      device: string;
      values: [key: string, at: number, value: Value][];
      heard?: number | undefined;
    }
  /** When a device was heard last, epoch ms, where no reading says so. */
  | { type: 'heard'; device: string; at: number }
  /** What the board of a device has of a control, as it said itself; `at` in epoch ms. */
  | { type: 'has'; device: string; stream: string; at: number; value: number | string }
  | { type: 'arrival'; arrival: Arrival }
  | { type: 'command'; command: Command }
  | { type: 'event'; event: Event }
  /** A device that has never connected before is connected. */
  | { type: 'firstOnline'; device: string; name: string; at: number }
  /** An alert for the open pages of one person; `over` says that what it was about is over. */
  | {
      type: 'alert';
      user: number;
      event: number | null;
      severity: Event['severity'];
      title: string;
      text: string;
      over: boolean;
    }
  | { type: 'changed'; what: ChangedWhat; id?: string | number; by?: string };

/**
 * What a page says, as often as it changes: of which devices it shows readings and commands, and of which their messages.
 * Before that it hears only of changes and events.
 */
export interface WatchMessage {
  type: 'watch';
  /** IDs of devices, 2000 at the most, or all of the workspace. */
  devices: 'all' | readonly string[];
  arrivals: 'all' | readonly string[];
}
