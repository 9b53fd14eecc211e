import {
  sampleBucket,
  type CalendarBucket,
  type CalendarStep,
  type Datastream,
  type Display,
} from '@peatmoor/core';
import { dates } from '../../parts/time';
import { serviceNow } from '../../live/clock';

/** About how long a step of the calendar is, in ms. */
export const STEP_MS: Readonly<Record<CalendarStep, number>> = {
  hour: 3_600_000,
  day: 86_400_000,
  week: 7 * 86_400_000,
  month: 30.5 * 86_400_000,
  year: 365 * 86_400_000,
};

/** What a step of the calendar tells, in the units that are shown; null where nothing was measured. */
export function bucketValue(bucket: CalendarBucket, shows: string, display: Display): number | null {
  if (shows === 'count') return bucket.count;
  if (shows === 'sum') return bucket.sum === null ? null : display.total(bucket.sum, bucket.count);
  const value =
    { mean: bucket.mean, lowest: bucket.min, highest: bucket.max, last: bucket.last }[shows] ?? null;
  return value === null ? null : display.convert(value);
}

/** What is shown of a step, as text; a mean lies between whole numbers too. */
export function bucketText(shown: number, shows: string, display: Display): string {
  if (shows === 'count') return String(shown);
  if (shows === 'sum') return display.sum(shown);
  return (shows === 'mean' ? display.mean : display.reading)(display.back(shown));
}

/** Steps of the calendar up to now with sample values in them. */
export function sampleSteps(stream: Datastream, step: CalendarStep, count: number): CalendarBucket[] {
  const ms = STEP_MS[step];
  const { dateOf, timeOf } = dates();
  const now = dateOf(serviceNow());
  const last = timeOf(now.getFullYear(), now.getMonth(), now.getDate(), step === 'hour' ? now.getHours() : 0);
  return Array.from({ length: count }, (_, i) => {
    const from = last - (count - 1 - i) * ms;
    return sampleBucket(stream, from, from + ms);
  });
}
