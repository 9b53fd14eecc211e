import fc from 'fast-check';
import { diskState, fullAt } from '@peatmoor/core';

const DAY = 86_400_000;
const GIB = 2 ** 30;
const HOUR = 3_600_000;

it('says when a disk will be full that fills evenly, whatever it fills by', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 1000 }),
      fc.integer({ min: 30, max: 700 }),
      fc.integer({ min: 1, max: 900 }),
      (perHour, hours, left) => {
        const samples = Array.from({ length: hours }, (_, i) => ({
          at: i * HOUR,
          free: (left * 24 + hours - 1 - i) * perHour * 1e6,
        }));
        const full = fullAt(samples)!;
        expect(Math.abs(full - ((hours - 1) * HOUR + left * DAY))).toBeLessThan(DAY / 10);
      },
    ),
  );
});

it('says nothing of what does not fill, of a short time, or of what is as good as never', () => {
  expect(fullAt([])).toBeNull();
  const of = (frees: number[], step = 6 * HOUR) => fullAt(frees.map((free, i) => ({ at: i * step, free })));
  expect(of([9, 8, 7].map((n) => n * GIB))).toBeNull();
  expect(of([5, 6, 5, 6, 5, 6].map((n) => n * GIB))).toBeNull();
  expect(of([5, 6, 7, 8, 9, 10].map((n) => n * GIB))).toBeNull();
  expect(
    of([GIB * 1000, GIB * 1000 - 1, GIB * 1000 - 2, GIB * 1000 - 3, GIB * 1000 - 4, GIB * 1000 - 5]),
  ).toBeNull();
  // Full already: now.
  expect(of([5, 4, 3, 2, 1, 0])).toBe(5 * 6 * HOUR);
});

it.each([
  [100 * GIB, 200 * GIB, null, 'good'],
  [100 * GIB, 200 * GIB, 40 * DAY, 'good'],
  [100 * GIB, 200 * GIB, 20 * DAY, 'soon'],
  [1.5 * GIB, 200 * GIB, null, 'soon'],
  [0.4 * GIB, 200 * GIB, null, 'low'],
  [0.05 * GIB, 200 * GIB, null, 'full'],
  // On a small disk the bounds are shares of it.
  [0.3 * GIB, 1 * GIB, null, 'good'],
  [0.09 * GIB, 1 * GIB, null, 'soon'],
  [0.02 * GIB, 1 * GIB, null, 'full'],
] as const)('a disk with %d of %d bytes free, full at %s, is %s', (free, total, full, state) =>
  expect(diskState(free, total, full, 0)).toBe(state),
);
