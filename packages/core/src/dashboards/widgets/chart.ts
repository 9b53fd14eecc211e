import { checkScale, checkZones, SCALE, ZONES, type WidgetSort } from './sort';

/** How the lines of a chart are drawn. */
export const CHART_DRAWS = ['line', 'area', 'step', 'points', 'bars'] as const;
export type ChartDraws = (typeof CHART_DRAWS)[number];

export const chart = {
  type: 'chart',
  title: 'Line chart',
  purpose: 'values over the period of the time strip',
  takes: ['number', 'integer', 'boolean'],
  controls: false,
  mostSources: 8,
  size: { w: 6, h: 5 },
  least: { w: 3, h: 3 },
  phone: 'full',
  options: {
    draws: { kind: 'choice', title: 'Drawn as', usual: 'line', among: CHART_DRAWS },
    ...SCALE,
    rightMin: { kind: 'number', title: 'Right scale from', usual: null },
    rightMax: { kind: 'number', title: 'to', usual: null },
    ...ZONES,
    limits: { kind: 'boolean', title: 'Limits of event rules', usual: true },
    marks: { kind: 'boolean', title: 'Events and notes', usual: true },
    before: { kind: 'boolean', title: 'The period before, laid under', usual: false },
    statistics: { kind: 'boolean', title: 'Statistics below', usual: false },
  },
  check: (options) =>
    checkScale(options) ??
    checkZones(options) ??
    (typeof options.rightMin === 'number' &&
    typeof options.rightMax === 'number' &&
    options.rightMin >= options.rightMax
      ? {
          option: 'rightMax',
          reason: `must be more than ${options.rightMin}`,
          remedy: 'Make the scale end above its start.',
        }
      : null),
  liking: () => 3,
  version: 1,
} as const satisfies WidgetSort;
