import type { WidgetSort } from './sort';

export const track = {
  type: 'track',
  title: 'Track',
  purpose: 'where something was, over the period of the time strip',
  takes: ['location'],
  controls: false,
  mostSources: 1,
  size: { w: 5, h: 5 },
  least: { w: 3, h: 3 },
  phone: 'full',
  options: {},
  liking: () => 9,
  version: 1,
} as const satisfies WidgetSort;
