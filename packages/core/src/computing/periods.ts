import { DateTime } from 'luxon';
import type { Restart } from '../readings/computation';

/** The hour or day that a time lies in: from ≤ time < to, epoch ms; without bounds where nothing restarts. */
export interface Span {
  from: number;
  to: number;
}

/** Tells the hour or day of a time zone that times lie in; quick for times that follow each other. */
export function periodsOf(restarts: Restart, zone: string): (at: number) => Span {
  if (restarts === 'never') return () => ({ from: -Infinity, to: Infinity });
  let last: Span = { from: 0, to: 0 };
  return (at) => {
    if (at >= last.from && at < last.to) return last;
    const start = DateTime.fromMillis(at, { zone }).startOf(restarts);
    last = {
      from: start.toMillis(),
      to: start
        .plus({ [restarts]: 1 })
        .startOf(restarts)
        .toMillis(),
    };
    return last;
  };
}
