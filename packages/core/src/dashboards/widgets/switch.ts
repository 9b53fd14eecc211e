import { ASKS, type WidgetSort } from './sort';

export const onOffSwitch = {
  type: 'switch',
  title: 'Switch',
  purpose: 'tells the device on or off, and shows whether it did',
  takes: ['boolean'],
  controls: true,
  holds: 'lasting',
  mostSources: 1,
  size: { w: 3, h: 2 },
  least: { w: 2, h: 2 },
  phone: 'low',
  options: ASKS,
  liking: () => 9,
  version: 1,
} as const satisfies WidgetSort;
