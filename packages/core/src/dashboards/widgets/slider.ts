import { ASKS, checkScale, isRanged, SCALE, STEP, type WidgetSort } from './sort';

export const slider = {
  type: 'slider',
  title: 'Slider',
  purpose: 'sets a number along its range, sent when it is let go',
  takes: ['number', 'integer'],
  controls: true,
  holds: 'lasting',
  mostSources: 1,
  size: { w: 4, h: 2 },
  least: { w: 3, h: 2 },
  phone: 'full',
  options: { ...SCALE, ...STEP, ...ASKS },
  check: checkScale,
  liking: (stream) => (isRanged(stream) ? 10 : 0),
  version: 1,
} as const satisfies WidgetSort;
