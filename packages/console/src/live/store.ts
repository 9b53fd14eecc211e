import type { Said, Value } from '@peatmoor/core';
import type { Device, WatchMessage } from '@peatmoor/contract';

/** Points of each datastream that came since the page was opened, the newest last. */
const MOST_POINTS = 3000;
/** How often one figure changes at most, in ms: nobody reads faster. */
const DRAW_MS = 250;
const ALONG_MS = 60;
/** Figures that change together at most: of more the page has its turns between, so that nothing waits for all of them. */
const MOST_TOGETHER = 8;
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
  /** When each device was heard last, by the service: never when it was asked about. */
  #seen = new Map<string, number>();
  /** What boards have of their controls, by datastream. */
  #has = new Map<string, Said>();
  #listeners = new Set<() => void>();
  /** What came and is not shown yet: newest readings and points by datastream. */
  #next = new Map<string, Newest>();
  #coming = new Map<string, Point[]>();
  #changed = new Set<string>();
  #toldAt = new Map<string, number>();
  #timer = 0;
  #plannedFor = Infinity;

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

  /** True where the page hears of a device. */
  hears = (device: string): boolean => this.#shown.devices.has('all') || this.#shown.devices.has(device);

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
  has = (device: string, stream: string): Said | undefined => this.#has.get(`${device}/${stream}`);

  /** What the board of a device says that it has of a control. */
  said(device: string, stream: string, said: Said): void {
    this.#noteSaid(`${device}/${stream}`, said);
    this.#tell();
  }

  heard(device: string, at: number): void {
    this.#see(device, at);
    this.#tell();
  }

  seed(devices: readonly Device[]): void {
    for (const device of devices) {
      if (device.lastSeenAt !== null) this.#see(device.id, device.lastSeenAt);
      for (const { key, at, value } of device.newest) this.#note(`${device.id}/${key}`, { at, value });
      for (const { key, at, value } of device.has) this.#noteSaid(`${device.id}/${key}`, { at, value });
    }
    this.#tell();
  }

  /** `heard`: when the service heard the device last, epoch ms. */
  readings(device: string, values: [string, number, Value][], heard?: number): void {
    for (const [key, at, value] of values) {
      const id = `${device}/${key}`;
      if (typeof value === 'number') {
        const tail = this.#coming.get(id) ?? [...(this.#tails.get(id) ?? [])];
        if (tail.length === 0 || at > tail.at(-1)!.at) tail.push({ at, value });
        // Of a page that is not seen for long nothing is drawn, and so nothing would be left out.
        if (tail.length > 2 * MOST_POINTS) tail.splice(0, tail.length - MOST_POINTS);
        this.#coming.set(id, tail);
      }
      const known = this.#next.get(id) ?? this.#newest.get(id);
      if (known === undefined || at >= known.at) this.#next.set(id, { at, value });
      this.#changed.add(id);
    }
    if (heard !== undefined) this.#see(device, heard);
    this.#plan();
  }

  #note(id: string, point: Newest): void {
    const known = this.#newest.get(id);
    if (known === undefined || point.at >= known.at) this.#newest.set(id, point);
  }

  #noteSaid(id: string, said: Said): void {
    const known = this.#has.get(id);
    if (known === undefined || said.at >= known.at) this.#has.set(id, said);
  }

  #see(device: string, at: number): void {
    this.#seen.set(device, Math.max(at, this.#seen.get(device) ?? 0));
  }

  /** What has not changed for a while is shown at once; what comes faster than it can be read is shown with what came since. */
  #plan(): void {
    let due = Infinity;
    for (const id of this.#changed) due = Math.min(due, (this.#toldAt.get(id) ?? -Infinity) + DRAW_MS);
    if (due >= this.#plannedFor) return;
    clearTimeout(this.#timer);
    this.#plannedFor = due;
    this.#timer = window.setTimeout(this.#flushSeen, Math.max(0, due - performance.now()));
  }

  /**
   * Before the next frame, so that it is drawn with it: from within a frame it would be seen with the one after. Not by React's
   * flushSync, which begins anew what is being drawn in slices, again and again. Of a page that nobody sees nothing is drawn.
   */
  #flushSeen = (): void => {
    if (document.hidden) requestAnimationFrame(this.#flush);
    else this.#flush();
  };

  #flush = (): void => {
    this.#plannedFor = Infinity;
    const now = performance.now();
    const toldAt = (id: string): number => this.#toldAt.get(id) ?? -DRAW_MS;
    // What is due a moment later goes along; what has not changed for longest comes first.
    const due = [...this.#changed].filter((id) => now - toldAt(id) >= DRAW_MS - ALONG_MS);
    if (due.length > MOST_TOGETHER) due.sort((a, b) => toldAt(a) - toldAt(b));
    for (const id of due.slice(0, MOST_TOGETHER)) {
      this.#changed.delete(id);
      this.#toldAt.set(id, now);
      const next = this.#next.get(id);
      if (next !== undefined) this.#newest.set(id, next);
      this.#next.delete(id);
      const tail = this.#coming.get(id);
      if (tail !== undefined) this.#tails.set(id, tail.slice(-MOST_POINTS));
      this.#coming.delete(id);
    }
    if (this.#changed.size > 0) this.#plan();
    this.#tell();
  };

  #tell(): void {
    for (const listener of this.#listeners) listener();
  }
}

export const liveStore = new LiveStore();
