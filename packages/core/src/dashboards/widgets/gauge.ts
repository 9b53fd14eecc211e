import { checkScale, isRanged, SCALE, type WidgetSort } from './sort';

export const gauge = {
  type: 'gauge',
  title: 'Gauge',
  purpose: 'one value on a graduated staff',
  takes: ['number', 'integer'],
  controls: false,
  mostSources: 1,
  size: { w: 2, h: 5 },
  least: { w: 2, h: 4 },
  phone: 'tall',
  options: SCALE,
  check: checkScale,
  liking: (stream) => (isRanged(stream) ? 9 : 1),
  version: 1,
} as const satisfies WidgetSort;
