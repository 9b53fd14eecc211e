import { BAR_VALUES } from './bars';
import type { WidgetSort } from './sort';

export const heat = {
  type: 'heat',
  title: 'Hours and days',
  purpose: 'a field for each hour of each day, the darker the more',
  takes: ['number', 'integer', 'boolean'],
  controls: false,
  mostSources: 1,
  size: { w: 6, h: 5 },
  least: { w: 4, h: 3 },
  phone: 'full',
  options: {
    days: { kind: 'number', title: 'Days', usual: 14, min: 2, max: 31 },
    shows: { kind: 'choice', title: 'It shows the', usual: 'mean', among: BAR_VALUES },
  },
  liking: () => 1,
  version: 1,
} as const satisfies WidgetSort;
