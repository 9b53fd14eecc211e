import { type Sense } from '../senses/sense';
import type { ConditionSort } from './sort';

/** How long such an event is open, in ms. */
const OPEN_MS = 60_000;

/** When it was seen first. */
const sense: Sense<object, number | null> = {
  begin: null,
  take: (_settings, _memory, { at }) => at,
  look(_settings, seenAt, at) {
    const across = seenAt !== null && at < seenAt + OPEN_MS;
    return { across, back: !across, value: null };
  },
  due: (_settings, seenAt, after) => (seenAt !== null && seenAt + OPEN_MS > after ? seenAt + OPEN_MS : null),
};

/** A device that is heard for the first time. */
export const firstSeen: ConditionSort = {
  sort: 'first-seen',
  title: 'is seen for the first time',
  watches: 'readings',
  looks: 'seen',
  fields: [],
  version: 1,
  check: () => null,
  clause: (_settings, { whom }) => `${whom} is seen for the first time`,
  closes: () => 'a minute is over',
  sense: () => sense as Sense<object, never>,
};
