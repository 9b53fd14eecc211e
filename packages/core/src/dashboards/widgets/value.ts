import { VALUE_TYPES } from '../../readings/types';
import { isRanged, type WidgetSort } from './sort';

/** What a value is told beside: nothing, or a statistic of the period. */
export const VALUE_STATISTICS = ['none', 'mean', 'lowest', 'highest', 'sum', 'count'] as const;
export const VALUE_CHANGES = ['none', '1 h', '24 h', '7 d'] as const;

export const value = {
  type: 'value',
  title: 'Value',
  purpose: 'one value in large figures',
  takes: VALUE_TYPES,
  controls: false,
  mostSources: 1,
  size: { w: 3, h: 2 },
  least: { w: 2, h: 2 },
  phone: 'low',
  options: {
    change: { kind: 'choice', title: 'Change since', usual: 'none', among: VALUE_CHANGES },
    statistic: { kind: 'choice', title: 'Of the period, the', usual: 'none', among: VALUE_STATISTICS },
    line: { kind: 'boolean', title: 'A small line of the period', usual: false },
  },
  liking: (stream) => (stream.type === 'boolean' ? 4 : isRanged(stream) ? 2 : 8),
  version: 1,
} as const satisfies WidgetSort;
