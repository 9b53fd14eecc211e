import type { WidgetSort } from './sort';

export const events = {
  type: 'events',
  title: 'Events',
  purpose: 'what is open, and what was, newest first',
  takes: [],
  controls: false,
  inside: true,
  mostSources: 0,
  size: { w: 4, h: 4 },
  least: { w: 3, h: 2 },
  phone: 'full',
  options: { only: { kind: 'choice', title: 'Shows', usual: 'all', among: ['all', 'open'] } },
  liking: () => 0,
  version: 1,
} as const satisfies WidgetSort;
