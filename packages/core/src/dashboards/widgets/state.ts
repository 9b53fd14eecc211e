import { checkIcons, type WidgetSort } from './sort';

export const state = {
  type: 'state',
  title: 'State',
  purpose: 'which of its choices it is in',
  takes: ['choice', 'boolean'],
  controls: false,
  mostSources: 1,
  size: { w: 3, h: 3 },
  least: { w: 2, h: 2 },
  phone: 'low',
  options: {
    others: { kind: 'boolean', title: 'The other choices too', usual: true },
    icons: { kind: 'icons', title: 'Drawings', usual: '' },
  },
  check: checkIcons,
  liking: (stream) => (stream.type === 'choice' ? 9 : 1),
  version: 1,
} as const satisfies WidgetSort;
