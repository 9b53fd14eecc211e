import type { WidgetSort } from './sort';

export const log = {
  type: 'log',
  title: 'Messages',
  purpose: 'texts of the period, the newest first',
  takes: ['text'],
  controls: false,
  mostSources: 1,
  size: { w: 5, h: 4 },
  least: { w: 3, h: 3 },
  phone: 'full',
  options: {},
  liking: () => 9,
  version: 1,
} as const satisfies WidgetSort;
