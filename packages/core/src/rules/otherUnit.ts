import { along } from '../readings/unitChange';
import type { UnitLine } from '../readings/units';
import type { ConditionSettings } from './settings';

/** Settings that are values of the datastream, and those that are distances between such. */
const VALUES = ['limit', 'closeLimit', 'low', 'high'] as const;
const DISTANCES = ['margin', 'amount'] as const;

/**
 * What a condition is set to, once its datastream is shown in another unit of the same quantity; null where that cannot be said,
 * such as a sum over a window in a unit with another zero.
 */
export function inOtherUnit<S extends ConditionSettings>(
  sort: string,
  settings: S,
  line: UnitLine,
): S | null {
  const distance: UnitLine = { scale: line.scale, offset: 0 };
  const { statistic } = settings;
  if (sort === 'expression' || (sort === 'statistic' && statistic === 'sum' && line.offset !== 0))
    return null;
  if (sort === 'statistic' && statistic === 'count') return settings;
  const ofValues = sort === 'statistic' && statistic === 'spread' ? distance : line;
  const next: ConditionSettings = { ...settings };
  for (const name of VALUES) {
    const value = next[name];
    if (typeof value === 'number') next[name] = along(ofValues, value);
  }
  for (const name of DISTANCES) if (next[name] !== undefined) next[name] = along(distance, next[name]);
  if (sort === 'equals' && next.text !== undefined && Number.isFinite(Number(next.text)))
    next.text = String(along(line, Number(next.text)));
  return next as S;
}
