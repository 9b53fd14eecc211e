import { sampleValue } from '../readings/samples';
import type { CalendarBucket } from './calendar';
import { roundSum } from './rollup';

/** Sample values that stand for a step of the calendar. */
const OF_STEP = 12;

/** A step of the calendar (epoch ms) with sample values in it, as `sampleValue` gives them. */
export function sampleBucket(
  stream: Parameters<typeof sampleValue>[0],
  from: number,
  to: number,
): CalendarBucket {
  const values = Array.from({ length: OF_STEP }, (_, i) =>
    sampleValue(stream, from + ((i + 0.5) / OF_STEP) * (to - from)),
  );
  const sum = roundSum(values.reduce((all, value) => all + value, 0));
  return {
    from,
    to,
    count: OF_STEP,
    min: Math.min(...values),
    max: Math.max(...values),
    mean: sum / OF_STEP,
    sum,
    first: values[0]!,
    last: values.at(-1)!,
  };
}
