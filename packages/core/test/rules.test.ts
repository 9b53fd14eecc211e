import fc from 'fast-check';
import {
  advance,
  checkCondition,
  dueAt,
  QUIET,
  displayOf,
  readCondition,
  ruleSentence,
  step,
  stepThrough,
  type Condition,
  type RuleState,
  type Transition,
  type Value,
  watched,
} from '@peatmoor/core';
import { stream } from './samples';

const wet: Condition = { comparison: 'above', limit: 10, holdMs: 0, closeLimit: null, closeHoldMs: 0 };

/** Runs samples [at, value] through a rule, letting time pass at every moment of `ticks` too. */
function run(
  condition: Condition,
  samples: [number, number][],
  until: number,
  ticks: number[] = [],
): Transition[] {
  let state: RuleState = QUIET;
  const seen: Transition[] = [];
  const moments = [
    ...samples.map(([at, value]) => ({ at, value, order: 1 })),
    ...ticks.map((at) => ({ at, value: null, order: 0 })),
  ];
  moments.sort((a, b) => a.at - b.at || a.order - b.order);
  for (const { at, value } of moments) {
    const next = value === null ? advance(condition, state, at) : step(condition, state, { at, value });
    state = next.state;
    seen.push(...next.transitions);
  }
  seen.push(...advance(condition, state, until).transitions);
  return seen;
}
const brief = (transitions: Transition[]): [string, number][] =>
  transitions.map(({ kind, at }) => [kind, at]);

it('opens when the limit is crossed and closes when it is back', () => {
  expect(
    brief(
      run(
        wet,
        [
          [0, 5],
          [10, 11],
          [20, 12],
          [30, 10],
        ],
        40,
      ),
    ),
  ).toEqual([
    ['opened', 10],
    ['closed', 30],
  ]);
});

it('waits for the hold, counted from the crossing', () => {
  const patient = { ...wet, holdMs: 15 };
  expect(
    brief(
      run(
        patient,
        [
          [0, 11],
          [10, 9],
          [20, 11],
          [40, 12],
        ],
        50,
      ),
    ),
  ).toEqual([['opened', 35]]);
});

it('opens by the passing of time alone', () => {
  const patient = { ...wet, holdMs: 15 };
  const { state } = step(patient, QUIET, { at: 100, value: 20 });
  expect(dueAt(patient, state)).toBe(115);
  expect(advance(patient, state, 114).transitions).toEqual([]);
  expect(advance(patient, state, 200).transitions).toMatchObject([{ kind: 'opened', at: 115, value: 20 }]);
});

it('closes only at the closing limit and after the closing hold', () => {
  const careful = { ...wet, closeLimit: 5, closeHoldMs: 10 };
  expect(
    brief(
      run(
        careful,
        [
          [0, 11],
          [10, 8],
          [20, 4],
          [25, 6],
          [30, 5],
        ],
        100,
      ),
    ),
  ).toEqual([
    ['opened', 0],
    ['closed', 40],
  ]);
});

it('remembers the value peak across', () => {
  expect(
    run(
      wet,
      [
        [0, 11],
        [1, 30],
        [2, 12],
        [3, 1],
      ],
      9,
    ).at(-1),
  ).toMatchObject({ kind: 'closed', extreme: 30 });
});

it('ignores late samples', () => {
  expect(brief(run(wet, [[10, 5]], 20))).toEqual([]);
  const { state } = step(wet, QUIET, { at: 10, value: 5 });
  expect(step(wet, state, { at: 10, value: 50 }).state).toBe(state);
});

it('gives the same events however often time is looked at', () => {
  const sample = fc.tuple(fc.integer({ min: 0, max: 300 }), fc.integer({ min: 0, max: 20 }));
  const condition = fc.record({
    comparison: fc.constantFrom('above' as const, 'below' as const),
    limit: fc.constant(10),
    holdMs: fc.integer({ min: 0, max: 40 }),
    closeLimit: fc.constant(null),
    closeHoldMs: fc.integer({ min: 0, max: 40 }),
  });
  fc.assert(
    fc.property(
      condition,
      fc.uniqueArray(sample, { selector: ([at]) => at }),
      fc.array(fc.integer({ min: 0, max: 300 })),
      (rule, samples, ticks) => {
        expect(run(rule, samples, 400, ticks)).toEqual(run(rule, samples, 400));
      },
    ),
  );
});

it('gives the same through many samples at once as one by one, late ones too', () => {
  fc.assert(
    fc.property(
      fc.array(fc.tuple(fc.integer({ min: 0, max: 60 }), fc.integer({ min: 0, max: 20 })), { maxLength: 60 }),
      fc.integer({ min: 0, max: 8 }),
      fc.integer({ min: 0, max: 8 }),
      (samples, holdMs, closeHoldMs) => {
        const condition: Condition = { ...wet, holdMs, closeHoldMs, closeLimit: 7 };
        let state: RuleState = QUIET;
        const seen: Transition[] = [];
        for (const [at, value] of samples) {
          const next = step(condition, state, { at, value });
          state = next.state;
          seen.push(...next.transitions);
        }
        const through = stepThrough(
          condition,
          QUIET,
          samples.map(([at]) => at),
          samples.map(([, value]) => value),
        );
        expect(through).toEqual({ state, transitions: seen });
      },
    ),
  );
});

it('alternates opened and closed, in order of time', () => {
  const sample = fc.tuple(fc.integer({ min: 0, max: 500 }), fc.integer({ min: 0, max: 20 }));
  fc.assert(
    fc.property(fc.array(sample), (samples) => {
      const seen = run({ ...wet, holdMs: 5, closeHoldMs: 7 }, samples, 1000);
      seen.forEach((transition, i) => {
        expect(transition.kind).toBe(i % 2 === 0 ? 'opened' : 'closed');
        if (i > 0) expect(transition.at).toBeGreaterThanOrEqual(seen[i - 1]!.at);
      });
    }),
  );
});

it('says a rule as one sentence', () => {
  const settings = { comparison: 'below', limit: -300, closeLimit: -280 };
  const said = (show?: (value: Value) => string): string =>
    ruleSentence(
      [
        {
          condition: readCondition('below', settings)!,
          spoken: { stream: stream(), key: 'water_level', whom: 'any dipwell', ...(show && { show }) },
        },
      ],
      { join: 'all', holdMs: 600_000, closeHoldMs: 0, hours: null },
    );
  expect(said()).toBe(
    'When Water level of any dipwell is below -300 mm for 10 min; closes at -280 mm or above.',
  );
  expect(said(displayOf(stream(), 'imperial').reading)).toBe(
    'When Water level of any dipwell is below -11.81 in for 10 min; closes at -11.02 in or above.',
  );
});

it('finds what a rule or an event is about', () => {
  const devices = [{ id: 'north', name: 'Dipwell North', kindId: 1 }];
  const kinds = [{ id: 1, title: 'Dipwell', streams: [stream()] }];
  const { key } = stream();
  const ofDevice = watched({ deviceId: 'north', stream: key }, devices, kinds);
  expect(ofDevice).toEqual({ stream: stream(), whom: 'Dipwell North' });
  const ofKind = watched({ deviceId: null, kindId: 1, stream: key }, devices, kinds);
  expect(ofKind).toEqual({ stream: stream(), whom: 'any Dipwell' });
  expect(watched({ deviceId: 'north', stream: 'low_battery' }, devices, kinds).stream).toBeUndefined();
  expect(watched({ deviceId: 'gone', stream: key }).stream).toBeUndefined();
});

it('notices a closing limit on the wrong side', () => {
  expect(checkCondition({ ...wet, closeLimit: 11 })).toMatchObject({ field: 'closeLimit' });
  expect(checkCondition({ ...wet, comparison: 'below', closeLimit: 9 })).toMatchObject({
    field: 'closeLimit',
  });
  expect(checkCondition({ ...wet, closeLimit: 9 })).toBeNull();
});
