import type { WidgetSort } from './sort';

/** What a bar tells of its step of the calendar. */
export const BAR_VALUES = ['mean', 'lowest', 'highest', 'sum', 'last', 'count'] as const;
export const BAR_STEPS = ['hour', 'day', 'week', 'month'] as const;

export const bars = {
  type: 'bars',
  title: 'Bars',
  purpose: 'a bar for each hour, day, week or month',
  takes: ['number', 'integer'],
  controls: false,
  mostSources: 1,
  size: { w: 6, h: 4 },
  least: { w: 3, h: 3 },
  phone: 'full',
  options: {
    step: { kind: 'choice', title: 'A bar for each', usual: 'day', among: BAR_STEPS },
    shows: { kind: 'choice', title: 'It shows the', usual: 'mean', among: BAR_VALUES },
    bars: { kind: 'number', title: 'Bars', usual: 14, min: 2, max: 62 },
  },
  liking: () => 2,
  version: 1,
} as const satisfies WidgetSort;
