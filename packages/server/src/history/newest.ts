import { calibrate, showValue, type Value } from '@peatmoor/core';
import type { Newest } from '@peatmoor/contract';
import { shownTime } from '../ingest/times';
import type { DeviceEntry, DeviceStream } from '../registry';
import type { Recent } from './recent';

/** A newest reading as it is shown: its time in whole ms, its value made right. */
export function shownReading(
  { calibrations }: Pick<DeviceStream, 'calibrations'>,
  at: number,
  value: Value,
): { at: number; value: Value } {
  return { at: shownTime(at), value: typeof value === 'number' ? calibrate(calibrations, at, value) : value };
}

/** The newest reading of each datastream of a device that has one. */
export function newestOf(entry: DeviceEntry, recent: Recent): Newest[] {
  return entry.streams.flatMap((stream) => {
    const newest = recent.newest(stream.seriesId);
    if (newest === undefined) return [];
    const shown = shownReading(stream, newest.at, newest.value);
    return { key: stream.key, ...shown, text: showValue(stream, shown.value) };
  });
}
