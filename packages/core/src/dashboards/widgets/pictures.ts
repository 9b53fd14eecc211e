import type { WidgetSort } from './sort';

export const pictures = {
  type: 'pictures',
  title: 'Pictures',
  purpose: 'pictures of the period; one is looked at large',
  takes: ['image'],
  controls: false,
  mostSources: 1,
  size: { w: 6, h: 5 },
  least: { w: 3, h: 3 },
  phone: 'full',
  options: {},
  liking: () => 9,
  version: 1,
} as const satisfies WidgetSort;
