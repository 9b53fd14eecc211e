import type { Location } from '../../readings/types';
import { showDuration } from '../duration';
import { UNKNOWN, type Sense } from '../senses/sense';
import type { ConditionSettings } from '../settings';
import { streamOf, type ConditionSort } from './sort';

type Changes = Pick<ConditionSettings, 'withinMs'>;
interface Memory {
  value: number | string | Location;
  /** When it was another last; null while it has been the same. */
  changedAt: number | null;
}

/** How long an event of a change is open where nothing else is said, in ms. */
const OPEN_MS = 60_000;

const sense: Sense<Changes, Memory | null> = {
  begin: null,
  take: (_settings, memory, { value, at }) =>
    memory === null
      ? { value, changedAt: null }
      : JSON.stringify(memory.value) === JSON.stringify(value)
        ? memory
        : { value, changedAt: at },
  look({ withinMs = OPEN_MS }, memory, at) {
    if (memory === null) return UNKNOWN;
    const across = memory.changedAt !== null && at < memory.changedAt + withinMs;
    return { across, back: !across, value: typeof memory.value === 'number' ? memory.value : null };
  },
  due({ withinMs = OPEN_MS }, memory, after) {
    const at = memory?.changedAt == null ? -Infinity : memory.changedAt + withinMs;
    return at > after ? at : null;
  },
};

/** A value that is another than the one before. */
export const changes: ConditionSort<Changes> = {
  sort: 'changes',
  title: 'changes',
  watches: 'readings',
  types: ['number', 'integer', 'boolean', 'choice', 'colour', 'text', 'location'],
  fields: ['withinMs'],
  version: 1,
  check: () => null,
  clause: (_settings, spoken) => `${streamOf(spoken)} changes`,
  closes: ({ withinMs = OPEN_MS }) => `it stayed the same for ${showDuration(withinMs)}`,
  sense: () => sense as Sense<Changes, never>,
};
