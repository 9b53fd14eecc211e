import type { Value } from '@peatmoor/core';
import type { Device, WatchMessage } from '@peatmoor/contract';

/** Points of each datastream that came since the page was opened, the newest last. */
const MOST_POINTS = 3000;
/** Devices that are named one by one; of more, the page hears of all. */
const MOST_WATCHED = 500;

export interface Point {
  at: number;
  value: number;
}

/** The newest reading of a datastream, of whatever type. */
export interface Newest {
  at: number;
  value: Value;
}

/** The newest readings and what came live, outside React so that only what shows a value is drawn again. */
class LiveStore {
  #tails = new Map<string, Point[]>();
  #newest = new Map<string, Newest>();
  #seen = new Map<string, number>();
  #listeners = new Set<() => void>();
  #frame = 0;

  subscribe = (listener: () => void): (() => void) => {
    this.#listeners.add(listener);
    return () => this.#listeners.delete(listener);
  };

  newest = (device: string, stream: string): Newest | undefined => this.#newest.get(`${device}/${stream}`);
  /** Devices that something on the page shows, and of which it shows messages, with how many times each. */
  #shown = { devices: new Map<string, number>(), arrivals: new Map<string, number>() };
  #onWatch: () => void = () => undefined;

  /** Says that something on the page shows a device ('all' for all of them); call what it gives once it no longer does. */
  show = (what: 'devices' | 'arrivals', device: string): (() => void) => {
    const shown = this.#shown[what];
    shown.set(device, (shown.get(device) ?? 0) + 1);
    this.#onWatch();
    return () => {
      const left = shown.get(device)! - 1;
      if (left > 0) shown.set(device, left);
      else shown.delete(device);
      this.#onWatch();
    };
  };

  watched(): WatchMessage {
    const of = (what: 'devices' | 'arrivals'): 'all' | string[] => {
      const shown = this.#shown[what];
      return shown.has('all') || shown.size > MOST_WATCHED ? 'all' : [...shown.keys()].sort();
    };
    return { type: 'watch', devices: of('devices'), arrivals: of('arrivals') };
  }

  onWatch(tell: () => void): void {
    this.#onWatch = tell;
  }

  tail = (device: string, stream: string): readonly Point[] => this.#tails.get(`${device}/${stream}`) ?? [];
  lastSeen = (device: string): number | undefined => this.#seen.get(device);

  seed(devices: readonly Device[]): void {
    for (const device of devices) {
      if (device.lastSeenAt !== null) this.#see(device.id, device.lastSeenAt);
      for (const { key, at, value } of device.newest) this.#note(`${device.id}/${key}`, { at, value });
    }
    this.#tell();
  }

  readings(device: string, values: [string, number, Value][]): void {
    for (const [key, at, value] of values) {
      const id = `${device}/${key}`;
      this.#note(id, { at, value });
      if (typeof value !== 'number') continue;
      const tail = this.#tails.get(id) ?? [];
      if (tail.length === 0 || at > tail.at(-1)!.at)
        this.#tails.set(id, [...tail.slice(-MOST_POINTS), { at, value }]);
    }
    this.#see(device, Date.now());
    this.#tell();
  }

  #note(id: string, point: Newest): void {
    const known = this.#newest.get(id);
    if (known === undefined || point.at >= known.at) this.#newest.set(id, point);
  }

  #see(device: string, at: number): void {
    this.#seen.set(device, Math.max(at, this.#seen.get(device) ?? 0));
  }

  #tell(): void {
    cancelAnimationFrame(this.#frame);
    this.#frame = requestAnimationFrame(() => {
      for (const listener of this.#listeners) listener();
    });
  }
}

export const liveStore = new LiveStore();
