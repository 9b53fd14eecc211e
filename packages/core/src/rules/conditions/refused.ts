import { counted } from '../../words';
import { showDuration } from '../duration';
import type { Sense } from '../senses/sense';
import { intoWindow, leavesWindow, ofWindow, type Window } from '../senses/window';
import type { ConditionSettings } from '../settings';
import { missing, type ConditionSort } from './sort';

type Refused = Required<Pick<ConditionSettings, 'limit' | 'withinMs'>>;

const sense: Sense<Refused, Window> = {
  begin: [],
  take: ({ withinMs }, window, { at, value }) => intoWindow(window, withinMs, at, Number(value)),
  look({ limit, withinMs }, window, at) {
    const value = ofWindow(window, withinMs, at, 'sum') ?? 0;
    return { across: value > limit, back: value <= limit, value };
  },
  due: ({ withinMs }, window, after) => leavesWindow(window, withinMs, after),
  further: (_settings, a, b) => Math.max(a, b),
};

/** More messages of a device refused than some, within a time. */
export const refused: ConditionSort<Refused> = {
  sort: 'refused',
  title: 'has messages refused',
  watches: 'readings',
  looks: 'refused',
  fields: ['limit', 'withinMs'],
  version: 1,
  check: (settings) => missing(settings, ['limit', 'withinMs']),
  clause: ({ limit, withinMs }, { whom }) =>
    `more than ${counted(limit, 'message')} of ${whom} ${limit === 1 ? 'is' : 'are'} refused within ${showDuration(withinMs)}`,
  sense: () => sense as Sense<Refused, never>,
};
