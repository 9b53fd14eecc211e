/** Readings in columns: times in epoch ms, ascending, each once; values beside them. */
export interface Columns {
  times: number[];
  values: number[];
}

export const EMPTY_COLUMNS: Columns = Object.freeze({ times: [], values: [] }) as Columns;

/**
 * Puts readings in order of time, each time once; of equal times the later in the list wins.
 * Sorting again changes nothing.
 */
export function orderColumns(columns: Columns): Columns {
  const { times, values } = columns;
  let ordered = true;
  let strictly = true;
  for (let i = 1; i < times.length && ordered; i++) {
    ordered = times[i]! >= times[i - 1]!;
    strictly &&= times[i] !== times[i - 1];
  }
  if (ordered && strictly) return columns;
  const order = times.map((_, index) => index);
  if (!ordered) order.sort((a, b) => times[a]! - times[b]! || a - b);
  const result: Columns = { times: [], values: [] };
  for (const index of order) {
    const last = result.times.length - 1;
    if (last >= 0 && result.times[last] === times[index]) result.values[last] = values[index]!;
    else {
      result.times.push(times[index]!);
      result.values.push(values[index]!);
    }
  }
  return result;
}

/** Merges ordered columns; where both have a time, the later (second) wins. */
export function mergeColumns(earlier: Columns, later: Columns): Columns {
  if (earlier.times.length === 0) return later;
  if (later.times.length === 0) return earlier;
  if (later.times[0]! > earlier.times.at(-1)!)
    return { times: earlier.times.concat(later.times), values: earlier.values.concat(later.values) };
  const times: number[] = [];
  const values: number[] = [];
  let i = 0;
  let j = 0;
  while (i < earlier.times.length || j < later.times.length) {
    const a = i < earlier.times.length ? earlier.times[i]! : Infinity;
    const b = j < later.times.length ? later.times[j]! : Infinity;
    times.push(Math.min(a, b));
    values.push(b <= a ? later.values[j]! : earlier.values[i]!);
    if (a <= b) i++;
    if (b <= a) j++;
  }
  return { times, values };
}

/** The part of ordered columns with `from` ≤ time < `to`. */
export function sliceColumns(columns: Columns, from: number, to: number): Columns {
  const start = firstAtOrAfter(columns.times, from);
  const end = firstAtOrAfter(columns.times, to);
  if (start === 0 && end === columns.times.length) return columns;
  return { times: columns.times.slice(start, end), values: columns.values.slice(start, end) };
}

/** Index of the first time at or after `at` in ascending times. */
export function firstAtOrAfter(times: readonly number[], at: number): number {
  let low = 0;
  let high = times.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (times[middle]! < at) low = middle + 1;
    else high = middle;
  }
  return low;
}
