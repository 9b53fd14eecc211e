import type { HistoryLine } from '@peatmoor/contract';

/** What is drawn of one source: times in seconds (as the chart wants them), null where a gap is. */
export type ChartColumns = [times: number[], values: (number | null)[]];

/**
 * A source's history with what came live since, as chart columns; a hole longer than `gapMs` breaks the line.
 */
export function chartColumns(
  line: HistoryLine | undefined,
  tail: readonly { at: number; value: number }[],
  from: number,
  gapMs: number,
): ChartColumns {
  const times: number[] = [];
  const values: (number | null)[] = [];
  let last: number | null = null;
  const add = (at: number, value: number): void => {
    if (at < from) return;
    if (last !== null && at - last > gapMs) {
      times.push((last + 1) / 1000);
      values.push(null);
    }
    times.push(at / 1000);
    values.push(value);
    last = at;
  };
  line?.times.forEach((at, i) => add(at + line.spanMs / 2, line.values[i]!));
  const end = line === undefined || line.times.length === 0 ? from : line.times.at(-1)! + line.spanMs;
  for (const { at, value } of tail) if (at > end) add(at, value);
  return [times, values];
}
