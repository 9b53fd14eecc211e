import type { Value } from '../readings/types';

/** Values of a device's datastreams by key at one moment. */
export type Snapshot = Readonly<Record<string, Value | undefined>>;

/** A datastream that changed since a moment: from what to what; for numbers how far the farthest value was. */
export interface Touched {
  key: string;
  before: Value;
  after: Value;
  /** Difference of numbers; null for all else. */
  by: number | null;
}

/**
 * What changed between a snapshot and what came after it. Of several values of a number the one farthest from the
 * snapshot counts: a finger on a sensor is soon away again. `wobble` is how far each number moves by itself.
 */
export function whatChanged(
  before: Snapshot,
  since: readonly (readonly [key: string, value: Value])[],
  wobble: Readonly<Record<string, number>> = {},
): Touched[] {
  const found = new Map<string, Touched>();
  for (const [key, after] of since) {
    const first = before[key];
    if (first === undefined || same(first, after)) continue;
    const by = typeof first === 'number' && typeof after === 'number' ? after - first : null;
    if (by !== null && Math.abs(by) <= (wobble[key] ?? 0)) continue;
    const known = found.get(key);
    if (known === undefined || by === null || Math.abs(by) > Math.abs(known.by ?? 0))
      found.set(key, { key, before: first, after, by });
  }
  return [...found.values()].sort((a, b) => share(b, wobble) - share(a, wobble));
}

/** How far numbers move by themselves: the widest step between neighbours, by key. */
export function wobbleOf(series: Readonly<Record<string, readonly number[]>>): Record<string, number> {
  return Object.fromEntries(
    Object.entries(series).map(([key, values]) => [
      key,
      values.slice(1).reduce((widest, value, i) => Math.max(widest, Math.abs(value - values[i]!)), 0),
    ]),
  );
}

const share = ({ key, by }: Touched, wobble: Readonly<Record<string, number>>): number =>
  by === null ? Infinity : Math.abs(by) / ((wobble[key] ?? 0) + 1e-9);
const same = (a: Value, b: Value): boolean => a === b || JSON.stringify(a) === JSON.stringify(b);
