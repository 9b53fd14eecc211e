import { showDuration } from '../duration';
import { UNKNOWN, type Sense } from '../senses/sense';
import type { ConditionSettings } from '../settings';
import { missing, streamOf, type ConditionSort } from './sort';

type Silent = Required<Pick<ConditionSettings, 'withinMs'>>;

/** From when on silence counts: when something came last, or the rule began to watch; null while nothing was ever heard. */
const sense: Sense<Silent, number | null> = {
  begin: null,
  hears: true,
  // In order of coming, whatever times the values have.
  take: (_settings, memory, { at }) => Math.max(memory ?? at, at),
  look({ withinMs }, from, at) {
    if (from === null) return UNKNOWN;
    const across = at >= from + withinMs;
    return { across, back: !across, value: null };
  },
  due: ({ withinMs }, from, after) => (from !== null && from + withinMs > after ? from + withinMs : null),
  // While the service was away nobody could be heard: what was not silent for long enough before starts anew.
  // Never heard is not silent: a board that was registered in advance is waited for.
  began({ withinMs }, memory, at, from, heard) {
    if (memory === null) return heard ? at : null;
    return from < memory + withinMs ? Math.max(at, memory) : memory;
  },
};

/** No reading for some time. */
export const silent: ConditionSort<Silent> = {
  sort: 'silent',
  title: 'has no reading for',
  watches: 'readings',
  types: ['number', 'integer', 'boolean', 'choice', 'colour', 'text', 'location'],
  fields: ['withinMs'],
  version: 1,
  check: (settings) => missing(settings, ['withinMs']),
  clause: ({ withinMs }, spoken) => `${streamOf(spoken)} has no reading for ${showDuration(withinMs)}`,
  closes: () => 'one comes',
  sense: () => sense as Sense<Silent, never>,
};
