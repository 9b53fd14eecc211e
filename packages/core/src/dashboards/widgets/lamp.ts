import type { WidgetSort } from './sort';

export const lamp = {
  type: 'lamp',
  title: 'Lamp',
  purpose: 'on or off',
  takes: ['boolean'],
  controls: false,
  mostSources: 1,
  size: { w: 2, h: 2 },
  least: { w: 2, h: 2 },
  phone: 'low',
  options: {},
  liking: () => 7,
  version: 1,
} as const satisfies WidgetSort;
