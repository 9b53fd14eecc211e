import { useEffect } from 'react';
import type { WidgetSource } from '@peatmoor/core';
import type { Device, Kind, Stream } from '@peatmoor/contract';
import { useRead } from '../api';
import { liveStore } from '../live';

/** What a widget shows: the device and the datastream as they are declared. */
export interface Source {
  device: Device | null;
  stream: Stream;
  kind: Kind;
}

export interface Catalogue {
  devices: Device[];
  kinds: Kind[];
  /** The source of a widget, with the chosen device in place of none; null where it is gone. */
  find(source: WidgetSource, chosen: string | null): Source | null;
}

/** Devices and kinds, for finding what widgets show. */
export function useCatalogue(kindId: number | null): Catalogue | null {
  const devices = useRead('listDevices').data;
  const kinds = useRead('listKinds').data;
  useEffect(() => devices && liveStore.seed(devices), [devices]);
  if (devices === undefined || kinds === undefined) return null;
  return {
    devices,
    kinds,
    find(source, chosen) {
      const id = source.device ?? chosen;
      const device = devices.find((one) => one.id === id) ?? null;
      const kind = kinds.find((one) => one.id === (device?.kindId ?? kindId));
      const stream = kind?.streams.find(
        ({ key, aliases }) => key === source.stream || aliases.includes(source.stream),
      );
      return kind === undefined || stream === undefined || (source.device !== null && device === null)
        ? null
        : { device, stream, kind };
    },
  };
}
