import { useMemo } from 'react';
import { presenceOf } from '@peatmoor/core';
import type { Device, Kind } from '@peatmoor/contract';
import { liveStore, useHeardUntil } from '../live';

/** Devices with their presence as it is now by what the service heard, also of those that fell silent since they were read. */
export function usePresent(
  devices: readonly Device[] | undefined,
  kinds: readonly Kind[] | undefined,
): readonly Device[] {
  const now = useHeardUntil();
  const presences = (devices ?? []).map((device) => {
    // Of what the page does not show it hears nothing: there it stays as it was read.
    const kind = kinds?.find(({ id }) => id === device.kindId);
    if (kind === undefined || !liveStore.hears(device.id)) return device.presence;
    const lastSeenAt = Math.max(liveStore.lastSeen(device.id) ?? 0, device.lastSeenAt ?? 0) || null;
    return presenceOf({ connected: device.connected, lastSeenAt, intervalS: kind.intervalS }, now);
  });
  const states = presences.map(({ state }) => state).join();
  return useMemo(
    () => (devices ?? []).map((device, i) => ({ ...device, presence: presences[i]! })),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `states` stands for what is told of them
    [devices, states],
  );
}
