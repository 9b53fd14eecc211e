import fc from 'fast-check';
import { drawEventChart, spellAt, usualHours, type EventChart } from '@peatmoor/core';
import { intoWindow, leavesWindow, ofWindow, type Window } from '../src/rules/senses/window';

const HOUR = 3_600_000;
const at = (text: string): number => Date.parse(text);

const reading = fc.tuple(fc.integer({ min: 0, max: 1000 }), fc.integer({ min: -50, max: 50 }));

it('a window gives what its readings give, while they come further apart than a step', () => {
  fc.assert(
    fc.property(
      fc.array(reading, { minLength: 1, maxLength: 60 }),
      fc.integer({ min: 120, max: 600 }),
      (told, length) => {
        // At least a step (a 120th) apart, in order.
        const step = length / 120;
        const inOrder = [...told]
          .sort((a, b) => a[0] - b[0])
          .map(([time, value], i) => [time + i * Math.ceil(step + 1), value] as const);
        let window: Window = [];
        for (const [time, value] of inOrder) window = intoWindow(window, length, time, value);
        const now = inOrder.at(-1)![0];
        const inside = inOrder.filter(([time]) => time > now - length).map(([, value]) => value);
        const sum = inside.reduce((all, one) => all + one, 0);
        expect(ofWindow(window, length, now, 'count')).toBe(inside.length);
        expect(ofWindow(window, length, now, 'sum')).toBe(sum);
        expect(ofWindow(window, length, now, 'lowest')).toBe(Math.min(...inside));
        expect(ofWindow(window, length, now, 'highest')).toBe(Math.max(...inside));
        expect(ofWindow(window, length, now, 'mean')).toBeCloseTo(sum / inside.length, 9);
        const mean = sum / inside.length;
        const deviation = Math.sqrt(inside.reduce((all, one) => all + (one - mean) ** 2, 0) / inside.length);
        expect(ofWindow(window, length, now, 'spread')).toBeCloseTo(deviation, 6);
        // The oldest leaves first, a length after it came.
        expect(leavesWindow(window, length, now)).toBe(
          inOrder.find(([time]) => time > now - length)![0] + length,
        );
      },
    ),
  );
});

it('a window is bounded, whatever comes, and counts all of it', () => {
  let window: Window = [];
  for (let n = 0; n < 50_000; n++) window = intoWindow(window, 60_000, n, 1);
  expect(window.length).toBeLessThanOrEqual(121);
  expect(ofWindow(window, 60_000, 49_999, 'count')).toBe(50_000);
  expect(ofWindow([], 60_000, 0, 'mean')).toBeNull();
  expect(leavesWindow([], 60_000, 0)).toBeNull();
});

it('knows what is usual by the hour of the zone, and says nothing of hours it hardly knows', () => {
  const days = Array.from({ length: 20 }, (_, day) => day);
  const hours = days.flatMap((day) => [
    { at: at('2026-06-01T11:00:00Z') + day * 24 * HOUR, value: 100 + (day % 5) },
    // Midnight of three days only.
    ...(day < 3 ? [{ at: at('2026-06-01T23:00:00Z') + day * 24 * HOUR, value: 5 }] : []),
  ]);
  const usual = usualHours(hours, 'Europe/London');
  expect(usual).toHaveLength(24);
  // Eleven by the sun is noon by the clock in June.
  expect(usual[12]![0]).toBe(102);
  expect(usual[12]![1]).toBeCloseTo(1.4826, 4);
  expect(usual[11]).toBeNull();
  expect(usual[0]).toBeNull();
  // What never differs has a spread all the same: a hundredth.
  expect(
    usualHours(
      hours.map((one) => ({ ...one, value: 50 })),
      'UTC',
    )[11],
  ).toEqual([50, 0.5]);
});

it.each([
  ['inside', [1, 2, 3, 4, 5], 9 * 60, 17 * 60, '2026-11-27T12:00:00Z', true, '2026-11-27T17:00:00Z'],
  ['before', [1, 2, 3, 4, 5], 9 * 60, 17 * 60, '2026-11-27T08:59:00Z', false, '2026-11-27T09:00:00Z'],
  [
    'over the weekend',
    [1, 2, 3, 4, 5],
    9 * 60,
    17 * 60,
    '2026-11-28T12:00:00Z',
    false,
    '2026-11-30T09:00:00Z',
  ],
  ['past midnight', [5], 22 * 60, 2 * 60, '2026-11-28T01:00:00Z', true, '2026-11-28T02:00:00Z'],
  ['the day after', [5], 22 * 60, 2 * 60, '2026-11-28T03:00:00Z', false, '2026-12-04T22:00:00Z'],
  ['to the end of a day', [5], 0, 1440, '2026-11-27T23:59:00Z', true, '2026-11-28T00:00:00Z'],
])('hours: %s', (_name, days, from, to, now, active, until) => {
  expect(spellAt({ days, from, to }, 'UTC', at(now))).toMatchObject({ active, to: at(until) });
});

const chart = (change: Partial<EventChart> = {}): EventChart => ({
  title: 'Level, North',
  times: [0, HOUR, 2 * HOUR],
  values: [1, 5, 2],
  from: 0,
  to: 3 * HOUR,
  limits: [4],
  openedAt: HOUR,
  closedAt: 2 * HOUR,
  zone: 'UTC',
  show: (value) => `${value} mm`,
  steps: false,
  ...change,
});

it('draws the readings around an event, with its limits and when it was open', () => {
  const svg = drawEventChart(chart());
  expect(svg).toMatch(/^<svg xmlns="http:\/\/www\.w3\.org\/2000\/svg" width="640" height="320"/);
  expect(svg.match(/stroke-dasharray/g)).toHaveLength(1);
  expect(svg).toMatch(/<path d="M\S+ \S+L/);
  expect(drawEventChart(chart({ steps: true }))).toMatch(/<path d="M\S+ [\d.]+H[\d.]+V/);
});

it('draws whatever it is given: one value, none that differs, names that are no XML', () => {
  for (const change of [
    { times: [5], values: [3] },
    { values: [7, 7, 7], limits: [] },
    { times: [], values: [] },
    { title: '<b>&"', show: () => '<1>' },
    { closedAt: null, openedAt: -HOUR },
    { from: 0, to: 0 },
  ]) {
    const svg = drawEventChart(chart(change));
    expect(svg).not.toMatch(/NaN|Infinity|undefined|<b>|<1>/);
  }
});
