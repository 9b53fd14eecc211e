import { counted } from '../words';
import { DateTime, IANAZone } from 'luxon';
import type { CalendarStep } from './steps';
import { joinRollups, roundSum, type Rollup } from './rollup';

/** A step of the calendar with what was measured in it; count 0 and nulls where nothing was. */
export interface CalendarBucket {
  /** Start and end, epoch ms; the end does not belong to it. */
  from: number;
  to: number;
  count: number;
  min: number | null;
  max: number | null;
  mean: number | null;
  /** All of its values added up. */
  sum: number | null;
  first: number | null;
  last: number | null;
}

/** True for a time zone of the IANA database, such as Europe/Dublin. */
export function isZone(zone: string): boolean {
  return IANAZone.isValidZone(zone);
}

/**
 * Bounds of the calendar steps of a time zone that cover a period, the first at or before `from`, the last at or
 * after `to` (epoch ms). Days are as long as the zone makes them. Throws RangeError beyond `most` steps.
 */
export function calendarBounds(
  from: number,
  to: number,
  step: CalendarStep,
  zone: string,
  most: number,
): number[] {
  let at = DateTime.fromMillis(from, { zone }).startOf(step);
  const bounds = [at.toMillis()];
  while (at.toMillis() < to) {
    if (bounds.length > most) throw new RangeError(`more than ${counted(most, 'step')}`);
    let next = at.plus({ [step]: 1 }).startOf(step);
    // Where a clock is set back by half an hour, the start of the next hour may be the start of this one again.
    for (let more = 1; next.toMillis() <= at.toMillis(); more++)
      next = at.plus({ [step]: 1, minutes: 30 * more }).startOf(step);
    at = next;
    bounds.push(at.toMillis());
  }
  return bounds;
}

/** Puts rollups, in order of time and each within one step, into the steps between bounds. */
export function calendarBuckets(rollups: readonly Rollup[], bounds: readonly number[]): CalendarBucket[] {
  const buckets: CalendarBucket[] = [];
  let i = 0;
  for (let n = 0; n + 1 < bounds.length; n++) {
    const from = bounds[n]!;
    const to = bounds[n + 1]!;
    let joined: Rollup | null = null;
    for (; i < rollups.length && rollups[i]!.at < to; i++)
      if (rollups[i]!.at >= from) joined = joined === null ? rollups[i]! : joinRollups(joined, rollups[i]!);
    buckets.push(
      joined === null
        ? { from, to, count: 0, min: null, max: null, mean: null, sum: null, first: null, last: null }
        : {
            from,
            to,
            count: joined.count,
            min: joined.min,
            max: joined.max,
            mean: joined.sum / joined.count,
            sum: roundSum(joined.sum),
            first: joined.first,
            last: joined.last,
          },
    );
  }
  return buckets;
}
