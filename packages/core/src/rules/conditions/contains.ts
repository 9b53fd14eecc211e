import { UNKNOWN, type Sense } from '../senses/sense';
import type { ConditionSettings } from '../settings';
import { missing, streamOf, type ConditionSort } from './sort';

type Contains = Required<Pick<ConditionSettings, 'text'>>;

const sense: Sense<Contains, boolean | null> = {
  begin: null,
  take: ({ text }, _memory, { value }) => String(value).toLowerCase().includes(text.toLowerCase()),
  look: (_settings, found) => (found === null ? UNKNOWN : { across: found, back: !found, value: null }),
};

/** A text that contains another, whatever the case of its letters. */
export const contains: ConditionSort<Contains> = {
  sort: 'contains',
  title: 'contains',
  watches: 'readings',
  types: ['text'],
  fields: ['text'],
  version: 1,
  check: (settings) => missing(settings, ['text']),
  clause: ({ text }, spoken) => `${streamOf(spoken)} contains “${text}”`,
  closes: () => 'a text comes without it',
  sense: () => sense as Sense<Contains, never>,
};
