import fc from 'fast-check';
import {
  applyCalibration,
  calibrate,
  calibrateColumns,
  checkCalibration,
  errorPercent,
  orderSteps,
  throughPoints,
  zeroAt,
  type Calibration,
  type CalibrationStep,
} from '@peatmoor/core';

const number = fc.integer({ min: -10_000, max: 10_000 }).map((n) => n / 10);

describe('a calibration', () => {
  it('makes a measured value zero', () => {
    expect(applyCalibration(zeroAt(12.3), 12.3)).toBe(0);
    expect(applyCalibration(zeroAt(12.3), 15.3)).toBe(3);
  });

  it('goes through two points that are known', () => {
    fc.assert(
      fc.property(number, number, number, number, (a, trueA, b, trueB) => {
        fc.pre(Math.abs(a - b) > 0.5);
        const line = throughPoints([a, trueA], [b, trueB]);
        expect(applyCalibration(line, a)).toBeCloseTo(trueA, 6);
        expect(applyCalibration(line, b)).toBeCloseTo(trueB, 6);
      }),
    );
    expect(() => throughPoints([1, 2], [1, 3])).toThrow(RangeError);
  });

  it('by a table goes through every point, straight between them, and on beyond the ends', () => {
    const table: Calibration = {
      form: 'table',
      points: [
        [0, 0],
        [10, 100],
        [20, 120],
      ],
    };
    expect([-5, 0, 5, 10, 15, 20, 30].map((measured) => applyCalibration(table, measured))).toEqual([
      -50, 0, 50, 100, 110, 120, 140,
    ]);
    const points = fc
      .uniqueArray(fc.integer({ min: -500, max: 500 }), { minLength: 2, maxLength: 8 })
      .map((xs) => xs.sort((a, b) => a - b).map((x, i): [number, number] => [x, i * i - x]));
    fc.assert(
      fc.property(points, (list) => {
        for (const [measured, true_] of list)
          expect(applyCalibration({ form: 'table', points: list }, measured)).toBeCloseTo(true_, 6);
      }),
    );
  });

  it.each([
    [{ form: 'linear', scale: 0, offset: 1 }, 'a scale of 0'],
    [{ form: 'linear', scale: Number.NaN, offset: 1 }, 'must be numbers'],
    [{ form: 'table', points: [[1, 1]] }, 'at least two'],
    [
      {
        form: 'table',
        points: [
          [1, 1],
          [1, 2],
        ],
      },
      'ascend',
    ],
    [
      {
        form: 'table',
        points: [
          [1, 1],
          [2, Infinity],
        ],
      },
      'two numbers',
    ],
  ] as [Calibration, string][])('%j is refused', (calibration, words) => {
    expect(checkCalibration(calibration)).toContain(words);
  });

  it('leaves no crumbs of binary arithmetic', () => {
    expect(applyCalibration({ form: 'linear', scale: 3, offset: 0 }, 0.1)).toBe(0.3);
  });
});

describe('calibrations one after the other', () => {
  const steps: CalibrationStep[] = orderSteps([
    { from: null, calibration: { form: 'linear', scale: 1, offset: 100 } },
    { from: 2000, calibration: { form: 'linear', scale: 1, offset: 200 } },
  ]);

  it('are all replaced by one over all history that was made later', () => {
    const later = orderSteps([
      ...steps,
      { from: null, calibration: { form: 'linear', scale: 1, offset: 7 } },
    ]);
    expect([0, 1999, 2000, 5000].map((at) => calibrate(later, at, 1))).toEqual([8, 8, 8, 8]);
  });

  it('hold each from its time on', () => {
    expect([0, 1999, 2000, 5000].map((at) => calibrate(steps, at, 1))).toEqual([101, 101, 201, 201]);
    expect(calibrate([steps[1]!], 1999, 1)).toBe(1);
    expect(calibrate([], 0, 1)).toBe(1);
    expect(calibrateColumns(steps, { times: [1, 2000], values: [1, 1] })).toEqual({
      times: [1, 2000],
      values: [101, 201],
    });
    const columns = { times: [1], values: [1] };
    expect(calibrateColumns([], columns)).toBe(columns);
  });

  it('say how far a value is from the true one', () => {
    expect(errorPercent(110, 100)).toBeCloseTo(10);
    expect(errorPercent(-110, -100)).toBeCloseTo(-10);
    expect(errorPercent(1, 0)).toBeNull();
  });
});
