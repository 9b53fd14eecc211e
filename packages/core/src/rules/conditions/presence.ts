import { UNKNOWN, type Sense } from '../senses/sense';
import type { ConditionSort } from './sort';

/** A device that is connected, or is not. */
export function presenceSort(wanted: 'online' | 'offline'): ConditionSort {
  const sense: Sense<object, number | null> = {
    begin: null,
    take: (_settings, _memory, { value }) => Number(value),
    look(_settings, online) {
      if (online === null) return UNKNOWN;
      const across = online === (wanted === 'online' ? 1 : 0);
      return { across, back: !across, value: null };
    },
  };
  return {
    sort: wanted,
    title: wanted === 'online' ? 'connects' : 'loses its connection',
    watches: 'readings',
    looks: 'presence',
    fields: [],
    version: 1,
    check: () => null,
    clause: (_settings, { whom }) => `${whom} is ${wanted}`,
    closes: () => (wanted === 'online' ? 'its connection ends' : 'it is connected again'),
    sense: () => sense as Sense<object, never>,
  };
}
