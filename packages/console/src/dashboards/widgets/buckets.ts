import type { CalendarBucket, Display } from '@peatmoor/core';

/** What a step of the calendar tells, in the units that are shown; null where nothing was measured. */
export function bucketValue(bucket: CalendarBucket, shows: string, display: Display): number | null {
  if (shows === 'count') return bucket.count;
  const value =
    { mean: bucket.mean, lowest: bucket.min, highest: bucket.max, last: bucket.last }[shows] ?? null;
  return value === null ? null : display.convert(value);
}
