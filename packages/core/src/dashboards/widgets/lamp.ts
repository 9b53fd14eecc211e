import type { WidgetSort } from './sort';

export const lamp = {
  type: 'lamp',
  title: 'Lamp',
  purpose: 'on or off',
  takes: ['boolean', 'number', 'integer'],
  controls: false,
  mostSources: 1,
  size: { w: 2, h: 2 },
  least: { w: 2, h: 2 },
  phone: 'low',
  options: {
    above: { kind: 'number', title: 'A number is on above', usual: 0 },
    on: { kind: 'text', title: 'While on it says', usual: 'on', most: 40 },
    off: { kind: 'text', title: 'While off', usual: 'off', most: 40 },
    alarm: { kind: 'boolean', title: 'On is trouble', usual: false },
  },
  liking: (stream) => (stream.type === 'boolean' ? 7 : 0),
  version: 1,
} as const satisfies WidgetSort;
