import { showDuration } from '../duration';
import { UNKNOWN, type Sense } from '../senses/sense';
import { intoWindow, leavesWindow, ofWindow, type Window } from '../senses/window';
import type { ConditionSettings } from '../settings';
import { missing, showOf, streamOf, type ConditionSort } from './sort';

type Moves = Required<Pick<ConditionSettings, 'amount' | 'withinMs'>>;
interface Memory {
  window: Window;
  value: number;
}

/** A value that rises or falls by so much within some time. */
export function movesSort(way: 'rises' | 'falls'): ConditionSort<Moves> {
  const sense: Sense<Moves, Memory | null> = {
    begin: null,
    take: ({ withinMs }, memory, { at, value }) => ({
      window: intoWindow(memory?.window ?? [], withinMs, at, Number(value)),
      value: Number(value),
    }),
    look({ amount, withinMs }, memory, at) {
      if (memory === null) return UNKNOWN;
      const { value, window } = memory;
      const other = ofWindow(window, withinMs, at, way === 'rises' ? 'lowest' : 'highest') ?? value;
      const across = way === 'rises' ? value - other >= amount : other - value >= amount;
      return { across, back: !across, value };
    },
    due: ({ withinMs }, memory, after) =>
      memory === null ? null : leavesWindow(memory.window, withinMs, after),
    further: (_settings, a, b) => (way === 'rises' ? Math.max(a, b) : Math.min(a, b)),
  };
  return {
    sort: way,
    title: `${way} by`,
    watches: 'readings',
    types: ['number', 'integer'],
    fields: ['amount', 'withinMs'],
    version: 1,
    check: (settings) =>
      missing(settings, ['amount', 'withinMs']) ??
      (settings.amount <= 0
        ? { field: 'amount', reason: 'is not above 0', remedy: `Give how far it ${way}.` }
        : null),
    clause: ({ amount, withinMs }, spoken) =>
      `${streamOf(spoken)} ${way} by ${showOf(spoken)(amount)} within ${showDuration(withinMs)}`,
    sense: () => sense as Sense<Moves, never>,
  };
}
