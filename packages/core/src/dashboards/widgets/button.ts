import { withoutAsks, type WidgetSort } from './sort';

export const button = {
  type: 'button',
  title: 'Button',
  purpose: 'a press that the device is told once, in its time',
  takes: ['boolean'],
  controls: true,
  holds: 'momentary',
  mostSources: 1,
  size: { w: 3, h: 2 },
  least: { w: 2, h: 2 },
  phone: 'low',
  options: {},
  liking: () => 9,
  version: 2,
  upgrade: withoutAsks,
} as const satisfies WidgetSort;
