import { UNKNOWN, type Sense } from '../senses/sense';
import type { ConditionSettings } from '../settings';
import { missing, showOf, streamOf, type ConditionSort } from './sort';

type Range = Required<Pick<ConditionSettings, 'low' | 'high'>> & Pick<ConditionSettings, 'margin'>;

/** A value between two others, or outside of them. */
export function rangeSort(side: 'between' | 'outside'): ConditionSort<Range> {
  const sense: Sense<Range, number | null> = {
    begin: null,
    take: (_settings, _memory, { value }) => Number(value),
    look({ low, high, margin = 0 }, value) {
      if (value === null) return UNKNOWN;
      return side === 'between'
        ? {
            across: value >= low && value <= high,
            back: value < low - margin || value > high + margin,
            value,
          }
        : {
            across: value < low || value > high,
            back: value >= low + margin && value <= high - margin,
            value,
          };
    },
    further({ low, high }, a, b) {
      const middle = (low + high) / 2;
      return Math.abs(b - middle) > Math.abs(a - middle) ? b : a;
    },
  };
  return {
    sort: side,
    title: side === 'between' ? 'is between' : 'is outside',
    watches: 'readings',
    fields: ['low', 'high', 'margin'],
    version: 1,
    check(settings) {
      const wrong = missing(settings, ['low', 'high']);
      if (wrong !== null) return wrong;
      const { low, high, margin = 0 } = settings;
      if (high <= low)
        return { field: 'high', reason: 'is not above the lower value', remedy: `Give more than ${low}.` };
      if (margin < 0 || (side === 'outside' && margin * 2 > high - low))
        return {
          field: 'margin',
          reason: 'leaves no room to close',
          remedy: `Give 0 or more${side === 'outside' ? `, at most ${(high - low) / 2}` : ''}.`,
        };
      return null;
    },
    clause: ({ low, high }, spoken) =>
      `${streamOf(spoken)} is ${side} ${showOf(spoken)(low)} and ${showOf(spoken)(high)}`,
    closes: ({ margin = 0 }, spoken) =>
      margin > 0 ? `it is back by ${showOf(spoken)(margin)}` : 'it is over',
    sense: () => sense as Sense<Range, never>,
  };
}
