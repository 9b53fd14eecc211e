import { createContext, use, useEffect, useState, useSyncExternalStore, type ReactNode } from 'react';
import type { QueryClient } from '@tanstack/react-query';
import { useQueryClient } from '@tanstack/react-query';
import type { Value } from '@peatmoor/core';
import {
  LIVE_PATH,
  type Arrival,
  type ChangedWhat,
  type Command,
  type Device,
  type LiveMessage,
  type WatchMessage,
} from '@peatmoor/contract';

/** Points of each datastream that came since the page was opened, the newest last. */
const MOST_POINTS = 3000;
/** Devices that are named one by one; of more, the page hears of all. */
const MOST_WATCHED = 500;

interface Point {
  at: number;
  value: number;
}

/** The newest reading of a datastream, of whatever type. */
interface Newest {
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

interface LiveState {
  connected: boolean;
  /** The last change somebody made, for notices. */
  changed: { what: ChangedWhat; id?: string | number; by?: string; at: number } | null;
  /** Devices that came online for the first time while this page is open. */
  arrived: { device: string; name: string; at: number }[];
}

const LiveContext = createContext<LiveState>({ connected: false, changed: null, arrived: [] });
export const useLive = (): LiveState => use(LiveContext);

/** Has the page hear what comes from a device for as long as it is shown; null for none. */
export function useShown(what: 'devices' | 'arrivals', device: string | null): void {
  useEffect(() => (device === null ? undefined : liveStore.show(what, device)), [what, device]);
}

/** The same for several, as a text with commas between them. */
export function useAllShown(devices: string): void {
  useEffect(() => {
    const ends = devices.split(',').map((device) => device !== '' && liveStore.show('devices', device));
    return () => ends.forEach((end) => end && end());
  }, [devices]);
}

/** The newest reading of a datastream, live. */
export function useNewest(device: string | null, stream: string): Newest | undefined {
  useShown('devices', device);
  return useSyncExternalStore(liveStore.subscribe, () =>
    device === null ? undefined : liveStore.newest(device, stream),
  );
}

export function useLastSeen(device: string): number | undefined {
  useShown('devices', device);
  return useSyncExternalStore(liveStore.subscribe, () => liveStore.lastSeen(device));
}

/** The time now, looked at anew every `everyMs`. */
export function useNow(everyMs = 5000): number {
  const [now, setNow] = useState(Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), everyMs);
    return () => clearInterval(timer);
  }, [everyMs]);
  return now;
}

/** What is read again when something changed. */
const STALE: Record<ChangedWhat, string[]> = {
  kinds: ['listKinds', 'readKind', 'listDevices', 'listRules'],
  devices: ['listDevices', 'readDevice', 'listTokens', 'listKinds'],
  dashboards: ['listDashboards'],
  rules: ['listRules', 'listEvents'],
  events: ['listEvents', 'listRules', 'listDevices'],
  recomputations: ['listRecomputations'],
  people: ['listPeople', 'me'],
};

function take(client: QueryClient, message: LiveMessage): void {
  if (message.type === 'readings') liveStore.readings(message.device, message.values);
  // Messages that came before the page was heard.
  if (message.type === 'watching')
    for (const name of ['listArrivals', 'listAllArrivals'])
      void client.invalidateQueries({ queryKey: [name] });
  if (message.type === 'changed')
    for (const name of STALE[message.what]) void client.invalidateQueries({ queryKey: [name] });
  if (message.type === 'arrival')
    for (const key of [
      ['listArrivals', { params: { device: message.arrival.deviceId } }],
      ['listAllArrivals'],
    ])
      client.setQueryData<Arrival[]>(
        key,
        (list) =>
          list && [message.arrival, ...list.filter(({ id }) => id !== message.arrival.id)].slice(0, 200),
      );
  if (message.type === 'command') {
    const key = ['listCommands', { params: { device: message.command.deviceId } }];
    client.setQueryData<Command[]>(
      key,
      (list) =>
        list &&
        [message.command, ...list.filter(({ id }) => id !== message.command.id)].sort((a, b) => b.id - a.id),
    );
  }
}

/** Keeps the live channel open while somebody is signed in; after a break everything is read anew. */
export function LiveProvider({ children }: { children: ReactNode }): ReactNode {
  const client = useQueryClient();
  const [state, setState] = useState<LiveState>({ connected: false, changed: null, arrived: [] });
  useEffect(() => {
    let socket: WebSocket | null = null;
    let timer = 0;
    let wait = 500;
    let ended = false;
    let said = '';
    let later = 0;
    const say = (): void => {
      const text = JSON.stringify(liveStore.watched());
      if (socket?.readyState !== WebSocket.OPEN || text === said) return;
      said = text;
      socket.send(text);
    };
    // What a page shows changes in bursts as it is drawn.
    liveStore.onWatch(() => {
      clearTimeout(later);
      later = window.setTimeout(say, 60);
    });
    const connect = (): void => {
      socket = new WebSocket(
        `${location.protocol === 'https:' ? 'wss' : 'ws'}://${location.host}${LIVE_PATH}`,
      );
      said = '';
      socket.onopen = say;
      socket.onmessage = (event: MessageEvent<string>) => {
        const message = JSON.parse(event.data) as LiveMessage;
        if (message.type === 'hello') {
          if (wait > 500) void client.invalidateQueries();
          wait = 500;
          setState((before) => ({ ...before, connected: true }));
        }
        if (message.type === 'changed')
          setState((before) => ({ ...before, changed: { ...message, at: Date.now() } }));
        if (message.type === 'firstOnline')
          setState((before) => ({ ...before, arrived: [...before.arrived, message].slice(-5) }));
        take(client, message);
      };
      socket.onclose = () => {
        if (ended) return;
        setState((before) => ({ ...before, connected: false }));
        wait = Math.min(10_000, wait * 2);
        timer = window.setTimeout(connect, wait);
      };
    };
    connect();
    return () => {
      ended = true;
      clearTimeout(timer);
      clearTimeout(later);
      socket?.close();
    };
  }, [client]);
  return <LiveContext value={state}>{children}</LiveContext>;
}
