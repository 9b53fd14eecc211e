import { keepText } from '@peatmoor/core';
import type { DeviceEntry } from '../registry';

/** What a board is told to keep by itself; null where there is nothing, and never was. */
export function keepOf({ streams, keeps }: Pick<DeviceEntry, 'streams' | 'keeps'>): string | null {
  const text = keepText(streams);
  return text !== '' || keeps ? text : null;
}
