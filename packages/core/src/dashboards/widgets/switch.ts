import { withoutAsks, type WidgetSort } from './sort';

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
  options: {},
  liking: () => 9,
  version: 2,
  upgrade: withoutAsks,
} as const satisfies WidgetSort;
