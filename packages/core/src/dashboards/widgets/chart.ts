import { checkScale, SCALE, type WidgetSort } from './sort';

export const chart = {
  type: 'chart',
  title: 'Line chart',
  purpose: 'values over the period of the time strip',
  takes: ['number', 'integer', 'boolean'],
  controls: false,
  mostSources: 8,
  size: { w: 6, h: 5 },
  least: { w: 3, h: 3 },
  phone: 'full',
  options: SCALE,
  check: checkScale,
  liking: () => 3,
  version: 1,
} as const satisfies WidgetSort;
