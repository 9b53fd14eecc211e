import { showDuration } from '../duration';
import { UNKNOWN, type Sense } from '../senses/sense';
import type { ConditionSettings } from '../settings';
import { missing, streamOf, type ConditionSort } from './sort';

type Unchanged = Required<Pick<ConditionSettings, 'withinMs'>>;
interface Memory {
  value: number | string;
  since: number;
  newest: number;
}

const sense: Sense<Unchanged, Memory | null> = {
  begin: null,
  take: (_settings, memory, { value, at }) =>
    memory?.value === value
      ? { ...memory, newest: at }
      : { value: value as number | string, since: at, newest: at },
  // Only readings tell that it is still the same: silence is another condition.
  look({ withinMs }, memory) {
    if (memory === null) return UNKNOWN;
    const across = memory.newest - memory.since >= withinMs;
    return { across, back: !across, value: typeof memory.value === 'number' ? memory.value : null };
  },
};

/** A value that stays the same though readings come: a sensor that is stuck. */
export const unchanged: ConditionSort<Unchanged> = {
  sort: 'unchanged',
  title: 'stays the same for',
  watches: 'readings',
  types: ['number', 'integer', 'boolean', 'choice', 'text'],
  fields: ['withinMs'],
  version: 1,
  check: (settings) => missing(settings, ['withinMs']),
  clause: ({ withinMs }, spoken) => `${streamOf(spoken)} stays the same for ${showDuration(withinMs)}`,
  closes: () => 'it changes',
  sense: () => sense as Sense<Unchanged, never>,
};
