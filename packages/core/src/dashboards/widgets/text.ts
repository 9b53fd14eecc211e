import type { WidgetSort } from './sort';

export const text = {
  type: 'text',
  title: 'Text',
  purpose: 'words, lists and links of your own, in Markdown',
  takes: [],
  controls: false,
  mostSources: 0,
  size: { w: 4, h: 3 },
  least: { w: 2, h: 1 },
  phone: 'full',
  options: { words: { kind: 'text', title: 'Words', usual: '', most: 4000, lines: 8 } },
  liking: () => 0,
  version: 1,
} as const satisfies WidgetSort;
