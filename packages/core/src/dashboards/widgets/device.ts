import { VALUE_TYPES } from '../../readings/types';
import type { WidgetSort } from './sort';

export const device = {
  type: 'device',
  title: 'Device',
  purpose: 'whether it is online, when it was last seen, its firmware and signal',
  takes: VALUE_TYPES,
  controls: false,
  about: 'device',
  mostSources: 1,
  size: { w: 3, h: 3 },
  least: { w: 2, h: 2 },
  phone: 'full',
  options: {},
  liking: () => 0.5,
  version: 1,
} as const satisfies WidgetSort;
