import { VALUE_TYPES } from '../../readings/types';
import { isRanged, type WidgetSort } from './sort';

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
  options: {},
  liking: (stream) => (stream.type === 'boolean' ? 4 : isRanged(stream) ? 2 : 8),
  version: 1,
} as const satisfies WidgetSort;
