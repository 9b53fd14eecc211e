import { useQueryClient } from '@tanstack/react-query';
import { createContext, use, useEffect, useState, type ReactNode } from 'react';
import { serviceNow } from './clock';
import { BEGINNING, openLink, type LiveState } from './link';
import type { Said } from '@peatmoor/core';
import { liveStore, type Newest } from './store';
import { useHeld } from './useHeld';

const LiveContext = createContext<LiveState>(BEGINNING);
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
  return useHeld(liveStore.subscribe, () => (device === null ? undefined : liveStore.newest(device, stream)));
}

export function useLastSeen(device: string | null): number | undefined {
  useShown('devices', device);
  return useHeld(liveStore.subscribe, () => (device === null ? undefined : liveStore.lastSeen(device)));
}

/** What the board of a device says that it has of a control, live. */
export function useHas(device: string | null, stream: string): Said | undefined {
  useShown('devices', device);
  return useHeld(liveStore.subscribe, () => (device === null ? undefined : liveStore.has(device, stream)));
}

/** The time now by the service's clock, looked at anew every `everyMs`. */
export function useNow(everyMs = 5000): number {
  const [now, setNow] = useState(serviceNow);
  useEffect(() => {
    const timer = setInterval(() => setNow(serviceNow()), everyMs);
    return () => clearInterval(timer);
  }, [everyMs]);
  return now;
}

/** The time up to which it is known what came: now, or since when the link is lost. Nobody blames a device for a dead link. */
export function useHeardUntil(everyMs = 5000): number {
  const now = useNow(everyMs);
  const { lostAt } = useLive();
  return lostAt ?? now;
}

/** Keeps the live channel open while somebody is signed in; after a break everything is read anew. */
export function LiveProvider({ children }: { children: ReactNode }): ReactNode {
  const client = useQueryClient();
  const [state, setState] = useState<LiveState>(BEGINNING);
  useEffect(() => {
    const link = openLink({
      client,
      onState: (change) => setState((before) => ({ ...before, ...change(before) })),
    });
    return () => link.end();
  }, [client]);
  return <LiveContext value={state}>{children}</LiveContext>;
}
