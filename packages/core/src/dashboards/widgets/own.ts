import { OWN_EXAMPLES } from '../own/examples';
import type { WidgetSort } from './sort';

export const own = {
  type: 'own',
  title: 'Widget of your own',
  purpose: 'a page of your own making, in HTML and script, that is told the values and may steer',
  takes: ['number', 'integer', 'boolean', 'choice', 'text', 'colour', 'location'],
  controls: false,
  mostSources: 8,
  size: { w: 4, h: 4 },
  least: { w: 2, h: 2 },
  phone: 'full',
  options: {
    code: {
      kind: 'text',
      title: 'HTML and script',
      usual: '',
      most: 20_000,
      lines: 10,
      examples: OWN_EXAMPLES,
    },
  },
  liking: () => 0,
  version: 1,
} as const satisfies WidgetSort;
