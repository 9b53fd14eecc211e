import { VALUE_TYPES } from '../../readings/types';
import type { WidgetSort } from './sort';

export const timetable = {
  type: 'timetable',
  title: 'Timetable',
  purpose: 'the set times of a control, and what comes next',
  takes: VALUE_TYPES.filter((type) => type !== 'image' && type !== 'location'),
  controls: true,
  inside: true,
  mostSources: 1,
  size: { w: 4, h: 3 },
  least: { w: 3, h: 2 },
  phone: 'full',
  options: {},
  liking: () => 1,
  version: 1,
} as const satisfies WidgetSort;
