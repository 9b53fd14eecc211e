import { checkScale, isRanged, SCALE, STEP, withoutAsks, type WidgetSort } from './sort';

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
  options: { ...SCALE, ...STEP },
  check: checkScale,
  liking: (stream) => (isRanged(stream) ? 10 : 0),
  version: 2,
  upgrade: withoutAsks,
} as const satisfies WidgetSort;
