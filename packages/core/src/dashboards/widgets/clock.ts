import type { WidgetSort } from './sort';

export const clock = {
  type: 'clock',
  title: 'Clock',
  purpose: 'the time of day, or how long until a moment',
  takes: [],
  controls: false,
  mostSources: 0,
  size: { w: 3, h: 2 },
  least: { w: 2, h: 2 },
  phone: 'low',
  options: {
    until: { kind: 'text', title: 'Until (such as 2026-12-24 18:00)', usual: '', most: 40 },
    seconds: { kind: 'boolean', title: 'With seconds', usual: false },
  },
  check: ({ until }) =>
    typeof until === 'string' && until !== '' && Number.isNaN(Date.parse(until.replace(' ', 'T')))
      ? {
          option: 'until',
          reason: 'is not a date and time',
          remedy: 'Write it as 2026-12-24 18:00, or leave it empty for the time of day.',
        }
      : null,
  liking: () => 0,
  version: 1,
} as const satisfies WidgetSort;
