import fc from 'fast-check';
import {
  advancePlan,
  beganPlan,
  beginTrial,
  CONDITION_NAMES,
  CONDITIONS,
  fillText,
  fitPlan,
  isInArea,
  planDueAt,
  planOf,
  planWithoutFuture,
  QUIET,
  quietAgain,
  readCondition,
  ruleSentence,
  spellAt,
  stepPlan,
  suggestLimit,
  usualPlan,
  withOwnLimit,
  type ConditionName,
  type ConditionSettings,
  type PlanSample,
  type PlanState,
  type RuleDefinition,
  type Transition,
} from '@peatmoor/core';
import { stream } from './samples';

const MIN = 60_000;
const streams = [
  stream({ key: 'level', title: 'Level' }),
  stream({ key: 'battery', title: 'Battery', unit: 'V' }),
  stream({ key: 'mode', title: 'Mode', type: 'choice', unit: null, choices: ['auto', 'manual'] }),
  stream({ key: 'say', title: 'Message', type: 'text', unit: null }),
  stream({ key: 'place', title: 'Place', type: 'location', unit: null }),
];
type Told = [at: number, value: PlanSample['value'], part?: number, name?: string];

const ruleOf = (
  conditions: [ConditionName, ConditionSettings, string?][],
  more: Partial<RuleDefinition> = {},
): RuleDefinition => ({
  conditions: conditions.map(([sort, settings, of = 'level']) => ({
    sort,
    settings: { comparison: sort, ...settings } as ConditionSettings,
    stream: of,
    device: null,
  })),
  join: 'all',
  holdMs: 0,
  closeHoldMs: 0,
  hours: null,
  ...more,
});
const ready = (rule: RuleDefinition) => planOf(rule, 'Europe/London', () => streams)!;

/** Runs what is told through a rule, lets time pass to the end, and gives when it opened and closed. */
function run(
  rule: RuleDefinition,
  told: Told[],
  until: number,
  ticks: number[] = [],
  first: PlanState = QUIET,
): [string, number][] {
  const { plan, inputs } = ready(rule);
  let state = first;
  const seen: Transition[] = [];
  const moments = [
    ...told.map(([at, value, part = 0, name]) => ({
      at,
      order: 1,
      sample: { part, name: name ?? inputs.find((one) => one.part === part)!.name, at, value },
    })),
    ...ticks.map((at) => ({ at, order: 0, sample: null })),
  ].sort((a, b) => a.at - b.at || a.order - b.order);
  for (const { at, sample } of moments) {
    const next = sample === null ? advancePlan(plan, state, at) : stepPlan(plan, state, [sample]);
    // What is kept is plain JSON.
    state = JSON.parse(JSON.stringify(next.state)) as PlanState;
    seen.push(...next.transitions);
  }
  seen.push(...advancePlan(plan, state, until).transitions);
  return seen.map(({ kind, at }) => [kind, at]);
}
const opened = (at: number): [string, number] => ['opened', at];
const closed = (at: number): [string, number] => ['closed', at];

it.each<[string, RuleDefinition, Told[], number, [string, number][]]>([
  [
    'between',
    ruleOf([['between', { low: 2, high: 4, margin: 1 }]]),
    [
      [0, 1],
      [1, 3],
      [2, 4.5],
      [3, 6],
    ],
    9,
    [opened(1), closed(3)],
  ],
  [
    'outside',
    ruleOf([['outside', { low: 2, high: 4, margin: 0.5 }]]),
    [
      [0, 3],
      [1, 5],
      [2, 3.9],
      [3, 3],
    ],
    9,
    [opened(1), closed(3)],
  ],
  [
    'equals a choice',
    ruleOf([['equals', { text: 'manual' }, 'mode']]),
    [
      [0, 0],
      [1, 1],
      [2, 0],
    ],
    9,
    [opened(1), closed(2)],
  ],
  [
    'equals a text',
    ruleOf([['equals', { text: 'jam' }, 'say']]),
    [
      [0, 'jam'],
      [2, 'fine'],
    ],
    9,
    [opened(0), closed(2)],
  ],
  [
    'changes',
    ruleOf([['changes', { withinMs: 10 }]]),
    [
      [0, 1],
      [5, 1],
      [8, 2],
      [12, 2],
    ],
    99,
    [opened(8), closed(18)],
  ],
  [
    'rises',
    ruleOf([['rises', { amount: 5, withinMs: 100 }]]),
    [
      [0, 1],
      [50, 4],
      [90, 6],
      [150, 6],
    ],
    999,
    [opened(90), closed(100)],
  ],
  [
    'falls',
    ruleOf([['falls', { amount: 5, withinMs: 100 }]]),
    [
      [0, 9],
      [99, 4],
      [300, 4],
    ],
    999,
    [opened(99), closed(100)],
  ],
  [
    'not fallen within',
    ruleOf([['falls', { amount: 5, withinMs: 50 }]]),
    [
      [0, 9],
      [60, 4],
    ],
    99,
    [],
  ],
  [
    'mean over',
    ruleOf([['statistic', { statistic: 'mean', side: 'above', limit: 10, withinMs: 100 }]]),
    [
      [0, 8],
      [10, 20],
      [120, 2],
    ],
    999,
    [opened(10), closed(120)],
  ],
  [
    'sum over',
    ruleOf([['statistic', { statistic: 'sum', side: 'above', limit: 8, withinMs: 60 }]]),
    [
      [0, 5],
      [30, 5],
      [40, 1],
    ],
    999,
    [opened(30), closed(60)],
  ],
  [
    'count over',
    ruleOf([['statistic', { statistic: 'count', side: 'below', limit: 2, withinMs: 60 }]]),
    [
      [0, 5],
      [30, 5],
    ],
    70,
    [opened(0), closed(30), opened(60)],
  ],
  [
    'unchanged',
    ruleOf([['unchanged', { withinMs: 30 }]]),
    [
      [0, 5],
      [20, 5],
      [31, 5],
      [40, 6],
    ],
    99,
    [opened(31), closed(40)],
  ],
  [
    'contains',
    ruleOf([['contains', { text: 'jam' }, 'say']]),
    [
      [0, 'all well'],
      [4, 'a JAM in the gate'],
      [6, 'ok'],
    ],
    9,
    [opened(4), closed(6)],
  ],
  [
    'offline',
    ruleOf([['offline', {}]], { holdMs: 10 }),
    [
      [0, 1],
      [5, 0],
      [9, 1],
      [20, 0],
    ],
    99,
    [opened(30)],
  ],
  ['seen first', ruleOf([['first-seen', {}]]), [[5, 1]], MIN * 2, [opened(5), closed(5 + MIN)]],
  [
    'refused',
    ruleOf([['refused', { limit: 5, withinMs: 100 }]]),
    [
      [0, 3],
      [10, 3],
    ],
    999,
    [opened(10), closed(100)],
  ],
  [
    'expression',
    ruleOf([['expression', { expression: 'level < 5 && battery < 3.4' }]]),
    [
      [0, 3, 0, 'level'],
      [5, 3.3, 0, 'battery'],
      [7, 9, 0, 'level'],
    ],
    9,
    [opened(5), closed(7)],
  ],
])('%s', (_name, rule, told, until, expected) => {
  expect(run(rule, told, until)).toEqual(expected);
  expect(
    run(
      rule,
      told,
      until,
      [3, 15, 33, 61, 99].filter((at) => at < until),
    ),
  ).toEqual(expected);
});

it('opens beyond a fence and closes inside', () => {
  const area = { shape: 'circle', lat: 53.4, lon: -1.9, metres: 500 } as const;
  const at = (lat: number) => ({ lat, lon: -1.9, alt: null });
  const rule = ruleOf([['beyond', { area }, 'place']]);
  expect(
    run(
      rule,
      [
        [0, at(53.401)],
        [1, at(53.41)],
        [2, at(53.4005)],
      ],
      9,
    ),
  ).toEqual([opened(1), closed(2)]);
  const corners = [
    { lat: 53, lon: -2 },
    { lat: 54, lon: -2 },
    { lat: 54, lon: -1 },
    { lat: 53, lon: -1 },
  ];
  expect(isInArea({ shape: 'polygon', corners }, { lat: 53.5, lon: -1.5 }).inside).toBe(true);
  expect(isInArea({ shape: 'polygon', corners }, { lat: 52.5, lon: -1.5 }).inside).toBe(false);
  // One degree of latitude is 111.2 km on a sphere of 6371 km.
  expect(isInArea({ ...area, lat: 53 }, { lat: 54, lon: -1.9 }).metres).toBeCloseTo(111_195, -2);
});

it('does not take for silence what was never heard, and asks when something came', () => {
  const { plan } = ready(ruleOf([['silent', { withinMs: 100 }]]));
  const waiting = beganPlan(plan, QUIET, 0, 0, () => false);
  expect(advancePlan(plan, waiting, 1_000_000).transitions).toEqual([]);
  // Begun to watch what was heard before, it counts from there.
  const watching = beganPlan(plan, QUIET, 0, 0, () => true);
  expect(advancePlan(plan, watching, 200).transitions).toMatchObject([{ kind: 'opened', at: 100 }]);
  // Sixty values that come one after the other, each told by when it came.
  let state = waiting;
  for (let n = 0; n < 60; n++) {
    const next = stepPlan(plan, state, [{ part: 0, name: '', at: 500 + n, value: n }]);
    expect(next.transitions).toEqual([]);
    ({ state } = next);
  }
  expect(advancePlan(plan, state, 700).transitions).toMatchObject([{ kind: 'opened', at: 659 }]);
});

it('does not take for silence what the service could not hear', () => {
  const rule = ruleOf([['silent', { withinMs: 100 }]]);
  expect(
    run(
      rule,
      [
        [0, 1],
        [250, 1],
      ],
      300,
    ),
  ).toEqual([opened(100), closed(250)]);
  const { plan } = ready(rule);
  const heard = stepPlan(plan, QUIET, [{ part: 0, name: '', at: 0, value: 1 }]).state;
  // Away from 50 to 400: counted anew from there.
  const back = beganPlan(plan, heard, 400, 50);
  expect(advancePlan(plan, back, 499).transitions).toEqual([]);
  expect(advancePlan(plan, back, 500).transitions).toMatchObject([{ kind: 'opened', at: 500 }]);
  // Silent for long enough before: it opens when it was so.
  const late = beganPlan(plan, heard, 400, 150);
  expect(advancePlan(plan, late, 400).transitions).toMatchObject([{ kind: 'opened', at: 100 }]);
  // A rule that just began has heard nothing, and begins to count.
  expect(advancePlan(plan, beganPlan(plan, QUIET, 7, 7), 200).transitions).toMatchObject([{ at: 107 }]);
});

it('knows what is usual at an hour', () => {
  const { plan } = ready(ruleOf([['unusual', { spreads: 4 }]]));
  const noon = Date.parse('2026-01-10T12:30:00Z');
  const hours = Array.from({ length: 24 }, (_, hour) => (hour === 12 ? ([100, 5] as const) : null));
  const told = (at: number, value: number): PlanSample[] => [{ part: 0, name: '', at, value }];
  const known = usualPlan(plan, QUIET, 0, hours);
  expect(stepPlan(plan, known, told(noon, 119)).transitions).toEqual([]);
  expect(stepPlan(plan, known, told(noon, 121)).transitions).toMatchObject([{ kind: 'opened', value: 121 }]);
  expect(stepPlan(plan, known, told(noon + 3_600_000, 900)).transitions).toEqual([]);
  expect(stepPlan(plan, QUIET, told(noon, 900)).transitions).toEqual([]);
});

it('joins conditions by all and by any', () => {
  const both: [ConditionName, ConditionSettings, string?][] = [
    ['above', { limit: 10 }],
    ['below', { limit: 3.3 }, 'battery'],
  ];
  const told: Told[] = [
    [0, 11],
    [5, 3.2, 1],
    [9, 8],
    [12, 3.6, 1],
  ];
  expect(run(ruleOf(both), told, 99)).toEqual([opened(5), closed(9)]);
  expect(run(ruleOf(both, { join: 'any' }), told, 99)).toEqual([opened(0), closed(12)]);
});

it('opens only in its hours, and closes at any time', () => {
  // From 22:00 to 06:00, in the night in which the clocks go forward (29 March 2026, 01:00 becomes 02:00).
  const hours = { days: [6], from: 22 * 60, to: 6 * 60 };
  const at = (text: string): number => Date.parse(text);
  expect(spellAt(hours, 'Europe/London', at('2026-03-29T04:59:00Z'))).toMatchObject({
    active: true,
    to: at('2026-03-29T05:00:00Z'),
  });
  expect(spellAt(hours, 'Europe/London', at('2026-03-29T05:00:00Z'))).toMatchObject({
    active: false,
    to: at('2026-04-04T21:00:00Z'),
  });
  const rule = ruleOf([['above', { limit: 10 }]], { hours, holdMs: 5 * MIN });
  const told: Told[] = [
    [at('2026-03-28T21:30:00Z'), 11],
    [at('2026-03-29T05:30:00Z'), 9],
    [at('2026-03-29T05:40:00Z'), 12],
  ];
  expect(run(rule, told, at('2026-03-30T00:00:00Z'))).toEqual([
    opened(at('2026-03-28T22:05:00Z')),
    closed(at('2026-03-29T05:30:00Z')),
  ]);
});

it('gives the same however often time is looked at, and from wherever it goes on', () => {
  const rules = fc.constantFrom(
    ruleOf([['statistic', { statistic: 'mean', side: 'above', limit: 10, withinMs: 40 }]], {
      holdMs: 12,
      closeHoldMs: 3,
    }),
    ruleOf([['silent', { withinMs: 25 }]], { holdMs: 5 }),
    ruleOf([['rises', { amount: 6, withinMs: 50 }]], { closeHoldMs: 9 }),
    ruleOf([['changes', { withinMs: 15 }]], { holdMs: 4 }),
    ruleOf([['outside', { low: 5, high: 12, margin: 1 }]], { holdMs: 20 }),
    ruleOf(
      [
        ['above', { limit: 10 }],
        ['silent', { withinMs: 30 }],
      ],
      { join: 'any', holdMs: 6 },
    ),
  );
  const sample = fc.tuple(fc.integer({ min: 0, max: 300 }), fc.integer({ min: 0, max: 20 }));
  fc.assert(
    fc.property(
      rules,
      fc.uniqueArray(sample, { selector: ([at]) => at }),
      fc.array(fc.integer({ min: 0, max: 300 })),
      (rule, told, ticks) => {
        const once = run(rule, told, 500);
        expect(run(rule, told, 500, ticks)).toEqual(once);
        once.forEach(([kind, at], i) => {
          expect(kind).toBe(i % 2 === 0 ? 'opened' : 'closed');
          if (i > 0) expect(at).toBeGreaterThanOrEqual(once[i - 1]![1]);
        });
      },
    ),
  );
});

it('takes late values for nothing, and does not wait for a clock that was wrong', () => {
  const { plan } = ready(ruleOf([['outside', { low: 0, high: 9 }]]));
  const told = (at: number, value: number): PlanSample[] => [{ part: 0, name: '', at, value }];
  const { state } = stepPlan(plan, QUIET, told(100, 5));
  expect(stepPlan(plan, state, told(100, 50)).state).toBe(state);
  expect(stepPlan(plan, state, told(99, 50)).transitions).toEqual([]);
  const ahead = stepPlan(plan, QUIET, told(9_000_000, 5)).state;
  expect(stepPlan(plan, planWithoutFuture(plan, ahead, 1000, 1000), told(900, 50)).transitions).toMatchObject(
    [{ kind: 'opened' }],
  );
});

it('leaves behind what parts of other sorts remembered', () => {
  const sorts: [ConditionName, ConditionSettings][] = [
    ['silent', { withinMs: 100 }],
    ['statistic', { statistic: 'mean', side: 'above', limit: 10, withinMs: 100 }],
    ['unchanged', { withinMs: 100 }],
    ['rises', { amount: 5, withinMs: 100 }],
    ['unusual', { spreads: 5 }],
    ['changes', { withinMs: 100 }],
    ['above', { limit: 10 }],
  ];
  const told: PlanSample[] = [4, 9, 12].map((value, at) => ({ part: 0, name: '', at, value }));
  for (const before of sorts)
    for (const after of sorts) {
      const kept = stepPlan(ready(ruleOf([before])).plan, QUIET, told).state as PlanState;
      const { plan } = ready(ruleOf([after]));
      const fitted = fitPlan(plan, kept);
      if (before[0] === after[0]) expect(fitted).toBe(kept);
      const later = told.map((sample) => ({ ...sample, at: sample.at + 1000 }));
      expect(() => advancePlan(plan, stepPlan(plan, fitted, later).state, 9000)).not.toThrow();
    }
});

it('does not open again by itself after it was closed by hand', () => {
  const { plan } = ready(ruleOf([['outside', { low: 0, high: 9 }]]));
  const open = stepPlan(plan, QUIET, [{ part: 0, name: '', at: 1, value: 50 }]).state;
  const quiet = quietAgain(plan, open, false);
  expect(advancePlan(plan, quiet, 1_000_000).transitions).toEqual([]);
  expect(planDueAt(plan, quiet)).toBeNull();
});

it('tries a rule over the past, and suggests a limit', () => {
  const trial = beginTrial(ready(ruleOf([['above', { limit: 10 }]])).plan, 0);
  trial.take([4, 12, 15, 3, 20].map((value, at) => ({ part: 0, name: '', at, value })));
  expect(trial.end(9)).toEqual([
    { openedAt: 1, closedAt: 3, value: 12, extreme: 15 },
    { openedAt: 4, closedAt: null, value: 20, extreme: 20 },
  ]);
  const seen = Array.from({ length: 1001 }, (_, i) => i);
  expect(suggestLimit(seen, 'above')).toBe(1000);
  expect(suggestLimit(seen, 'below')).toBe(5);
  expect(suggestLimit([], 'above')).toBeNull();
});

it('says every sort in words, and what is missing of it', () => {
  const settings: ConditionSettings = {
    limit: 4,
    low: 1,
    high: 9,
    amount: 3,
    withinMs: 5 * MIN,
    statistic: 'mean',
    side: 'above',
    spreads: 5,
    text: '4',
    area: { shape: 'circle', lat: 1, lon: 2, metres: 30 },
    expression: 'level > 1.0',
  };
  const said = CONDITION_NAMES.map((name) => {
    const condition = readCondition(name, { ...settings, key: 'level', comparison: name })!;
    expect(condition.sort.check(condition.settings, undefined, streams)).toBeNull();
    if (condition.sort.fields.length > 0 && name !== 'changes')
      expect(CONDITIONS[name].check({ comparison: name } as never)).not.toBeNull();
    return ruleSentence(
      [{ condition, spoken: { stream: streams[0], key: 'level', whom: 'Dipwell North' } }],
      {
        join: 'all',
        holdMs: MIN,
        closeHoldMs: 0,
        hours: null,
      },
    );
  });
  expect(said).toMatchSnapshot();
});

it('moves the closing limit with a limit of its own, and fills a text', () => {
  expect(withOwnLimit({ limit: 10, closeLimit: 8 }, { limit: 20 })).toEqual({ limit: 20, closeLimit: 18 });
  expect(withOwnLimit({ limit: 10 }, {})).toEqual({ limit: 10 });
  expect(fillText('{device}: {value} {what}', { device: 'North', value: '4 mm' })).toBe('North: 4 mm {what}');
});
