import { ruleSentence } from '../sentence';
import { advance, dueAt, stepThrough } from '../step';
import { checkCondition, type Condition } from '../condition';
import type { ConditionSort } from './sort';

/** A value across a limit, for some time. */
export function limitSort(comparison: Condition['comparison']): ConditionSort<Condition> {
  return {
    sort: comparison,
    watches: 'readings',
    version: 1,
    check(settings) {
      const wrong = checkCondition(settings);
      return (
        wrong && { field: wrong.field, reason: 'lies on the wrong side of the limit', remedy: wrong.reason }
      );
    },
    sentence: (settings, { stream, key, whom, show }) =>
      stream === undefined
        ? `The datastream "${key}" is gone: this rule watches nothing.`
        : ruleSentence(settings, stream, whom, show),
    stepThrough,
    advance,
    dueAt,
  };
}
