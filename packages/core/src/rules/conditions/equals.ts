import { isRefusal } from '../../readings/refusals';
import type { Datastream } from '../../readings/types';
import { asShown } from '../../readings/unitChange';
import { takeValue } from '../../readings/value';
import { UNKNOWN, type Sense } from '../senses/sense';
import type { ConditionSettings } from '../settings';
import { missing, streamOf, type ConditionSort } from './sort';

type Equals = Required<Pick<ConditionSettings, 'text'>>;

/** The value that is meant, as the datastream keeps it; null for none. */
function meant({ text }: Equals, stream: Datastream): number | string | null {
  if (stream.type === 'text') return text;
  const taken = takeValue(asShown(stream), text);
  if (isRefusal(taken)) return null;
  return typeof taken.value === 'number' ? taken.value : null;
}

export const equals: ConditionSort<Equals> = {
  sort: 'equals',
  title: 'equals',
  watches: 'readings',
  types: ['number', 'integer', 'boolean', 'choice', 'colour', 'text'],
  fields: ['text'],
  version: 1,
  check: (settings, stream) =>
    missing(settings, ['text']) ??
    (stream !== undefined && meant(settings, stream) === null
      ? { field: 'text', reason: `is not a value of ${stream.title}`, remedy: 'Give one that it can have.' }
      : null),
  clause: ({ text }, spoken) => `${streamOf(spoken)} is ${text}`,
  closes: () => 'it is something else',
  sense(settings, stream) {
    const value = stream === undefined ? null : meant(settings, stream);
    if (value === null) return null;
    const sense: Sense<Equals, number | string | null> = {
      begin: null,
      take: (_settings, _memory, sensation) => sensation.value as number | string,
      look: (_settings, newest) =>
        newest === null
          ? UNKNOWN
          : {
              across: newest === value,
              back: newest !== value,
              value: typeof newest === 'number' ? newest : null,
            },
    };
    return sense as Sense<Equals, never>;
  },
};
