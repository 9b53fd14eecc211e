import { useEffect } from 'react';
import type { Device } from '@peatmoor/contract';
import { kept } from '../parts/kept';
import { useAddress } from '../parts/useAddress';
import type { Catalogue } from './useCatalogue';
import type { Content } from './useDraft';

/** Devices that stand side by side at the most. */
export const MOST_BESIDE = 4;

/** Which devices a dashboard shows in place of "the chosen device". */
export interface Chosen {
  /** Those that can be chosen; none where the dashboard is made for named devices only. */
  among: Device[];
  /** Those that are; the first is the chosen one. */
  devices: Device[];
  choose: (ids: string[]) => void;
}

/** By the address, else as it was left in this browser, else the first. */
export function useChosen(id: number, content: Content | null, catalogue: Catalogue | null): Chosen {
  const [address, setAddress] = useAddress('device');
  const place = `peatmoor chosen ${id}`;
  useEffect(() => {
    if (address !== '') kept.write(place, address);
  }, [address, place]);
  const usesChosen =
    content?.widgets.some(({ sources }) => sources.some(({ device }) => device === null)) ?? false;
  const among =
    !usesChosen || content === null || catalogue === null
      ? []
      : catalogue.devices.filter(({ kindId, labels }) =>
          content.forLabel !== null && content.forLabel !== ''
            ? labels.includes(content.forLabel)
            : kindId === content.kindId,
        );
  const wanted = (address || (kept.read(place) ?? '')).split(',').slice(0, MOST_BESIDE);
  const found = wanted.flatMap((one) => among.find((device) => device.id === one) ?? []);
  return {
    among,
    devices: found.length > 0 ? found : among.slice(0, 1),
    choose: (ids) => setAddress(ids.join()),
  };
}
