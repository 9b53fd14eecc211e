import { counted } from '../../words';
import { showDuration } from '../duration';
import { UNKNOWN, type Sense } from '../senses/sense';
import { intoWindow, leavesWindow, ofWindow, type Window } from '../senses/window';
import { WINDOW_STATISTICS, type ConditionSettings } from '../settings';
import { missing, showOf, streamOf, type ConditionSort } from './sort';

type Statistic = Required<Pick<ConditionSettings, 'statistic' | 'side' | 'limit' | 'withinMs'>> &
  Pick<ConditionSettings, 'closeLimit'>;

const NAMES = {
  mean: 'the mean',
  lowest: 'the lowest',
  highest: 'the highest',
  sum: 'the sum',
  count: 'the number of readings',
  spread: 'the spread',
} as const;

const sense: Sense<Statistic, Window> = {
  begin: [],
  take: ({ withinMs }, window, { at, value }) => intoWindow(window, withinMs, at, Number(value)),
  look({ statistic, side, limit, closeLimit, withinMs }, window, at) {
    const value = ofWindow(window, withinMs, at, statistic);
    if (value === null) return UNKNOWN;
    const close = closeLimit ?? limit;
    return side === 'above'
      ? { across: value > limit, back: value <= close, value }
      : { across: value < limit, back: value >= close, value };
  },
  due: ({ withinMs }, window, after) => leavesWindow(window, withinMs, after),
  further: ({ side }, a, b) => (side === 'above' ? Math.max(a, b) : Math.min(a, b)),
};

/** A statistic over the readings of the last while, compared with a limit. */
export const statistic: ConditionSort<Statistic> = {
  sort: 'statistic',
  title: 'over the last while is',
  watches: 'readings',
  types: ['number', 'integer', 'boolean'],
  fields: ['statistic', 'withinMs', 'side', 'limit', 'closeLimit'],
  version: 1,
  check(settings) {
    const wrong = missing(settings, ['statistic', 'withinMs', 'side', 'limit']);
    if (wrong !== null) return wrong;
    const { side, limit, closeLimit } = settings;
    if (!(WINDOW_STATISTICS as readonly string[]).includes(settings.statistic))
      return {
        field: 'statistic',
        reason: 'is not known',
        remedy: `Give one of ${WINDOW_STATISTICS.join(', ')}.`,
      };
    if (closeLimit != null && (side === 'above' ? closeLimit > limit : closeLimit < limit))
      return {
        field: 'closeLimit',
        reason: 'lies on the wrong side of the limit',
        remedy: `It opens ${side} ${limit}, so it must close at ${limit} or ${side === 'above' ? 'lower' : 'higher'}.`,
      };
    return null;
  },
  clause({ statistic: which, withinMs, side, limit }, spoken) {
    const value = which === 'count' ? String(limit) : showOf(spoken)(limit);
    return `${NAMES[which]} of ${streamOf(spoken)} over ${showDuration(withinMs)} is ${side} ${value}`;
  },
  closes({ closeLimit, limit, statistic: which, side }, spoken) {
    const at = closeLimit ?? limit;
    return `at ${which === 'count' ? at : showOf(spoken)(at)} or ${side === 'above' ? 'below' : 'above'}`;
  },
  measured({ statistic: which, withinMs }, value, { of, show }) {
    const time = showDuration(withinMs);
    if (which === 'count') {
      const count = counted(value, 'reading');
      return { short: `${count} in ${time}`, sentence: `${count} of ${of} came in ${time}.` };
    }
    const name = NAMES[which];
    return {
      short: `${name.replace('the ', '')} ${show(value)} over ${time}`,
      sentence: `${name.charAt(0).toUpperCase()}${name.slice(1)} of ${of} over ${time} is ${show(value)}.`,
    };
  },
  sense: () => sense as Sense<Statistic, never>,
};
