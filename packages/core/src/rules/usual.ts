import { median } from 'd3-array';
import { DateTime } from 'luxon';
import type { UsualHours } from './senses/sense';

/** Days that are looked back for what is usual, and how many of them an hour must have. */
export const USUAL_DAYS = 28;
const LEAST_DAYS = 5;
/** A median of distances is this part of a standard deviation, where values are spread normally. */
const TO_DEVIATION = 1.4826;

/**
 * What is usual in each hour of the day: the median of that hour's values, and the median distance from it, as a standard
 * deviation. `hours`: one value for each hour that had readings, with the time it began (epoch ms).
 */
export function usualHours(hours: readonly { at: number; value: number }[], zone: string): UsualHours {
  const byHour: number[][] = Array.from({ length: 24 }, () => []);
  for (const { at, value } of hours) byHour[DateTime.fromMillis(at, { zone }).hour]!.push(value);
  return byHour.map((values) => {
    if (values.length < LEAST_DAYS) return null;
    const middle = median(values)!;
    const distance = median(values, (value) => Math.abs(value - middle))! * TO_DEVIATION;
    // What hardly ever differs would make anything unusual.
    return [middle, Math.max(distance, Math.abs(middle) * 0.01, 1e-9)] as const;
  });
}
