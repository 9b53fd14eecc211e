import { VALUE_TYPES } from '../../readings/types';
import type { WidgetSort } from './sort';

export const sheet = {
  type: 'sheet',
  title: 'Sheet',
  purpose: 'the newest readings, a row a time',
  takes: VALUE_TYPES.filter((type) => type !== 'image' && type !== 'location' && type !== 'text'),
  controls: false,
  mostSources: 8,
  size: { w: 6, h: 5 },
  least: { w: 3, h: 3 },
  phone: 'full',
  options: { rows: { kind: 'number', title: 'Rows', usual: 20, min: 3, max: 200 } },
  liking: () => 1,
  version: 1,
} as const satisfies WidgetSort;
