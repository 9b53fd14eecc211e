import { checkScale, checkZones, isRanged, SCALE, ZONES, type WidgetSort } from './sort';

/** Shapes of a gauge. */
export const GAUGE_SHAPES = ['staff', 'arc', 'tank'] as const;
export type GaugeShape = (typeof GAUGE_SHAPES)[number];

export const gauge = {
  type: 'gauge',
  title: 'Gauge',
  purpose: 'one value on a graduated staff, an arc or a tank',
  takes: ['number', 'integer'],
  controls: false,
  mostSources: 1,
  size: { w: 2, h: 5 },
  least: { w: 2, h: 3 },
  phone: 'tall',
  options: {
    shape: { kind: 'choice', title: 'Shape', usual: 'staff', among: GAUGE_SHAPES },
    ...SCALE,
    step: { kind: 'number', title: 'A mark each', usual: null, min: 0.000001, max: 1e9 },
    target: { kind: 'number', title: 'Target', usual: null },
    ...ZONES,
    day: { kind: 'boolean', title: 'Band of the last 24 h', usual: true },
  },
  check: (options) => checkScale(options) ?? checkZones(options),
  liking: (stream) => (isRanged(stream) ? 9 : 1),
  version: 1,
} as const satisfies WidgetSort;
