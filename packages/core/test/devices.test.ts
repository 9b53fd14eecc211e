import fc from 'fast-check';
import {
  bandOf,
  bandWords,
  checkFollow,
  followSentence,
  DEVICE_ID_PATTERN,
  EMPTY_PROOF,
  followed,
  inspectToken,
  deadlineOf,
  isPending,
  isUnderWay,
  isWithin,
  makeToken,
  nextCommandState,
  nextProofStep,
  PLAIN_STREAM,
  presenceOf,
  proofAdvice,
  proposeDeviceId,
  TOKEN_LENGTH,
  TOKEN_RANDOM_BYTES,
  type Datastream,
  type Follow,
} from '@peatmoor/core';

const random = fc.uint8Array({ minLength: TOKEN_RANDOM_BYTES, maxLength: TOKEN_RANDOM_BYTES });
const LETTERS = '0123456789abcdefghjkmnpqrstvwxyz';

describe('a device token', () => {
  it('is recognised whole, also in capitals and with spaces around', () => {
    fc.assert(
      fc.property(random, (bytes) => {
        const token = makeToken(bytes);
        expect(inspectToken(token)).toMatchObject({ state: 'whole', token });
        expect(inspectToken(` ${token.toUpperCase()}\n`)).toMatchObject({ state: 'whole', token });
      }),
    );
  });

  it('shows every single wrong letter and every swapped pair', () => {
    fc.assert(
      fc.property(
        random,
        fc.integer({ min: 4, max: TOKEN_LENGTH - 1 }),
        fc.constantFrom(...LETTERS),
        (bytes, place, letter) => {
          const token = makeToken(bytes);
          fc.pre(token[place] !== letter);
          expect(inspectToken(token.slice(0, place) + letter + token.slice(place + 1)).state).toBe(
            'mistyped',
          );
          const next = token[place + 1];
          if (next === undefined || next === token[place]) return;
          expect(
            inspectToken(token.slice(0, place) + next + token[place] + token.slice(place + 2)).state,
          ).toBe('mistyped');
        },
      ),
    );
  });

  it('is told apart when only half of it was copied, with its fingerprint where that is there', () => {
    const token = makeToken(new Uint8Array(TOKEN_RANDOM_BYTES).map((_, i) => i * 7));
    expect(inspectToken(token.slice(0, 20))).toEqual({
      state: 'half-copied',
      fingerprint: token.slice(4, 10),
    });
    expect(inspectToken(token.slice(0, 8))).toEqual({ state: 'half-copied', fingerprint: null });
    expect(inspectToken(`${token}x`).state).toBe('mistyped');
    expect(inspectToken('hunter2').state).toBe('not-a-token');
  });
});

it('proposes device IDs that are allowed and not taken', () => {
  fc.assert(
    fc.property(fc.string({ maxLength: 50 }), (name) =>
      expect(proposeDeviceId(name)).toMatch(DEVICE_ID_PATTERN),
    ),
  );
  expect(proposeDeviceId('Dipwell North', new Set(['dipwell-north', 'dipwell-north-2']))).toBe(
    'dipwell-north-3',
  );
});

it('tells online from quiet by the expected interval', () => {
  const facts = { connected: false, lastSeenAt: 1000, intervalS: 60 };
  expect(presenceOf(facts, 1000 + 180_000).state).toBe('online');
  expect(presenceOf(facts, 1000 + 180_001)).toEqual({ state: 'quiet', since: 1000 });
  expect(presenceOf({ ...facts, lastSeenAt: null }, 5).state).toBe('never');
});

it('leads a new device from step to step', () => {
  expect(nextProofStep(EMPTY_PROOF)).toBe('seen');
  expect(nextProofStep({ ...EMPTY_PROOF, seenAt: 1 })).toBe('token right');
  const done = { ...EMPTY_PROOF, seenAt: 1, tokenRightAt: 1, connectedAt: 1, firstReadingAt: 1 };
  expect(nextProofStep(done)).toBeNull();
  expect(proofAdvice(done)).toContain('dashboard');
});

it('takes a command from waiting to applied and lets nothing undo it', () => {
  expect(nextCommandState('waiting', 'delivered')).toBe('sent');
  expect(nextCommandState('sent', 'applied')).toBe('applied');
  expect(nextCommandState('sent', 'delivered')).toBeNull();
  for (const happening of ['delivered', 'refused', 'replaced', 'timed-out'] as const)
    expect(nextCommandState('applied', happening)).toBeNull();
  expect([isPending('sent'), isPending('expired')]).toEqual([true, false]);
});

it('ends a press that nobody answered as not known, which the board may still settle', () => {
  expect([nextCommandState('waiting', 'timed-out'), nextCommandState('sent', 'unheard')]).toEqual([
    'expired',
    'not-known',
  ]);
  expect(nextCommandState('not-known', 'applied')).toBe('applied');
  expect(nextCommandState('not-known', 'refused')).toBe('refused');
  for (const happening of ['delivered', 'replaced', 'timed-out', 'unheard'] as const)
    expect(nextCommandState('not-known', happening)).toBeNull();
  expect(isPending('not-known')).toBe(false);
});

it('means a lasting value for ever unless it has a time limit, and a press for two report intervals', () => {
  const lasting = { holds: 'lasting', timeLimitS: null } as const;
  const momentary = { holds: 'momentary', timeLimitS: null } as const;
  expect(deadlineOf(lasting, 60, 1000)).toBeNull();
  expect(deadlineOf({ ...lasting, timeLimitS: 30 }, 60, 1000)).toBe(31_000);
  expect(deadlineOf(momentary, 60, 1000)).toBe(121_000);
  expect(deadlineOf(momentary, 1, 1000)).toBe(6000);
  expect(deadlineOf({ ...momentary, timeLimitS: 1 }, 60, 1000)).toBe(2000);
});

const number = { ...PLAIN_STREAM, key: 'wanted', title: 'Wanted', unit: '%', direction: 'control' as const };
const lamp = { ...number, key: 'lamp', title: 'Lamp', type: 'boolean' as const, unit: null };
const light = { ...PLAIN_STREAM, key: 'light', title: 'Light', unit: 'lx', aliases: ['lux'] };

test.each<[string, Partial<Follow>, Datastream, number, number | undefined, unknown]>([
  ['within a tolerance', { way: 'same', tolerance: 3 }, number, 60, undefined, { min: 57, max: 63 }],
  [
    'a level for one value',
    { way: 'level', steps: [{ wanted: 'on', min: 200, max: null }] },
    lamp,
    1,
    0,
    { min: 200, max: null },
  ],
  ['nothing for another', { way: 'level', steps: [{ wanted: 'on', min: 200, max: null }] }, lamp, 0, 0, null],
  [
    'a level for any other',
    {
      way: 'level',
      steps: [
        { wanted: '', min: null, max: 5 },
        { wanted: 'on', min: 200, max: null },
      ],
    },
    lamp,
    0,
    0,
    { min: null, max: 5 },
  ],
  [
    'a fall',
    { way: 'rise', steps: [{ wanted: 'off', min: null, max: -200 }] },
    lamp,
    0,
    250,
    { min: null, max: 50 },
  ],
  [
    'no change without a reading before',
    { way: 'rise', steps: [{ wanted: '', min: 1, max: null }] },
    lamp,
    1,
    undefined,
    null,
  ],
])('what must follow: %s', (_name, follow, control, wanted, before, band) => {
  expect(
    bandOf(
      { stream: 'light', withinS: 30, tolerance: 0, way: 'same', steps: [], ...follow },
      control,
      wanted,
      before,
    ),
  ).toEqual(band);
});

test('a measured value lies within, whatever rounding left; what follows is found by an earlier key too', () => {
  expect(isWithin({ min: 0.1 + 0.2, max: null }, 0.3)).toBe(true);
  expect(isWithin({ min: 57, max: 63 }, 63.1)).toBe(false);
  expect(followed({ stream: 'lux' }, [lamp, light])).toBe(light);
  expect(followed({ stream: 'gone' }, [lamp, light])).toBeUndefined();
  expect(bandWords({ min: 200, max: null }, light)).toBe('at least 200 lx');
  expect(nextCommandState('applied', 'followed')).toBe('confirmed');
  expect(nextCommandState('applied', 'unfollowed')).toBe('not-confirmed');
  expect(nextCommandState('not-confirmed', 'followed')).toBe('confirmed');
  expect(nextCommandState('waiting', 'followed')).toBeNull();
  expect([isUnderWay('applied', true), isUnderWay('applied', false)]).toEqual([true, false]);
});

describe('what must follow a control is checked with its kind', () => {
  const opening = { ...PLAIN_STREAM, key: 'opening', title: 'Opening', unit: '%' };
  const kind = [number, lamp, light, opening];
  const follow = (more: Partial<Follow>): Follow => ({
    stream: 'opening',
    way: 'same',
    withinS: 30,
    tolerance: 0,
    steps: [],
    ...more,
  });

  it.each<[string, Partial<Follow>, Datastream, string | null]>([
    ['the same quantity', {}, number, null],
    ['a datastream that is gone', { stream: 'gone' }, number, 'stream'],
    ['a control, which is not measured', { stream: 'lamp' }, number, 'stream'],
    ['another unit as the same', { stream: 'light' }, number, 'stream'],
    ['another type as the same', {}, lamp, 'stream'],
    [
      'a level of another quantity',
      { stream: 'light', way: 'level', steps: [{ wanted: 'on', min: 1, max: null }] },
      lamp,
      null,
    ],
    ['no level at all', { stream: 'light', way: 'level' }, lamp, 'steps'],
    [
      'a level without bounds',
      { stream: 'light', way: 'level', steps: [{ wanted: '', min: null, max: null }] },
      lamp,
      'steps[0].min',
    ],
    [
      'bounds the wrong way round',
      { stream: 'light', way: 'rise', steps: [{ wanted: '', min: 2, max: 1 }] },
      lamp,
      'steps[0].max',
    ],
    [
      'a value that it does not take',
      { stream: 'light', way: 'rise', steps: [{ wanted: 'perhaps', min: 2, max: null }] },
      lamp,
      'steps[0].wanted',
    ],
  ])('%s', (_name, more, control, field) => {
    expect(checkFollow(follow(more), control, kind)?.field ?? null).toBe(field);
  });

  it('is said in a sentence', () => {
    expect(followSentence(follow({ tolerance: 3 }), kind)).toBe(
      'Confirmed when Opening comes within 3 % of it in 30 s.',
    );
    expect(followSentence(follow({}), kind)).toBe('Confirmed when Opening is the same in 30 s.');
    expect(followSentence(follow({ stream: 'gone' }), kind)).toBe('"gone" is gone: nothing confirms it.');
    expect(
      followSentence(
        follow({ stream: 'light', way: 'rise', steps: [{ wanted: 'on', min: 1, max: null }] }),
        kind,
      ),
    ).toBe('Confirmed when Light changes by what is said for 1 wanted value, in 30 s.');
  });
});
