import { calibrate, type Value } from '@peatmoor/core';
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
export function newestOf(entry: DeviceEntry, recent: Recent): { key: string; at: number; value: Value }[] {
  return entry.streams.flatMap((stream) => {
    const newest = recent.newest(stream.seriesId);
    return newest === undefined ? [] : { key: stream.key, ...shownReading(stream, newest.at, newest.value) };
  });
}
