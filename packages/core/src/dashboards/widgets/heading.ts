import type { WidgetSort } from './sort';

export const heading = {
  type: 'heading',
  title: 'Heading',
  purpose: 'a line of words over a part of the page',
  takes: [],
  controls: false,
  mostSources: 0,
  size: { w: 12, h: 1 },
  least: { w: 2, h: 1 },
  phone: 'full',
  options: { words: { kind: 'text', title: 'Words', usual: '', most: 120 } },
  liking: () => 0,
  version: 1,
} as const satisfies WidgetSort;
