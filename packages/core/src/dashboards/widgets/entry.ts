import { STEP, withoutAsks, type WidgetSort } from './sort';

export const entry = {
  type: 'entry',
  title: 'Entry',
  purpose: 'sets a number, a choice, a text or a colour',
  takes: ['number', 'integer', 'choice', 'text', 'colour'],
  controls: true,
  mostSources: 1,
  size: { w: 3, h: 2 },
  least: { w: 3, h: 2 },
  phone: 'low',
  options: STEP,
  liking: (stream) => (stream.type === 'number' || stream.type === 'integer' ? 5 : 9),
  version: 2,
  upgrade: withoutAsks,
} as const satisfies WidgetSort;
