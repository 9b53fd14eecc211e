import { checkCondition, isAcross, isBack, type Condition } from '../condition';
import type { Sense } from '../senses/sense';
import { UNKNOWN } from '../senses/sense';
import { missing, showOf, streamOf, type ConditionSort } from './sort';

/** A value across a limit. */
export function limitSort(comparison: Condition['comparison']): ConditionSort<Condition> {
  const sense: Sense<Condition, number | null> = {
    begin: null,
    take: (_settings, _memory, { value }) => Number(value),
    look: (settings, value) =>
      value === null ? UNKNOWN : { across: isAcross(settings, value), back: isBack(settings, value), value },
    further: (_settings, a, b) => (comparison === 'above' ? Math.max(a, b) : Math.min(a, b)),
  };
  return {
    sort: comparison,
    title: `is ${comparison}`,
    watches: 'readings',
    fields: ['limit', 'closeLimit'],
    version: 1,
    check(settings) {
      const wrong = checkCondition(settings);
      return (
        missing(settings, ['limit']) ??
        (wrong && { field: wrong.field, reason: 'lies on the wrong side of the limit', remedy: wrong.reason })
      );
    },
    clause: ({ limit }, spoken) =>
      spoken.stream?.type === 'boolean'
        ? `${streamOf(spoken)} is ${comparison === 'above' ? 'on' : 'off'}`
        : `${streamOf(spoken)} is ${comparison} ${showOf(spoken)(limit)}`,
    closes: ({ limit, closeLimit }, spoken) =>
      spoken.stream?.type === 'boolean'
        ? `it is ${comparison === 'above' ? 'off' : 'on'}`
        : `at ${showOf(spoken)(closeLimit ?? limit)} or ${comparison === 'above' ? 'below' : 'above'}`,
    sense: () => sense as Sense<Condition, never>,
  };
}
