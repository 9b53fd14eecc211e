import fc from 'fast-check';
import {
  DEVICE_ID_PATTERN,
  EMPTY_PROOF,
  inspectToken,
  deadlineOf,
  isPending,
  makeToken,
  nextCommandState,
  nextProofStep,
  presenceOf,
  proofAdvice,
  proposeDeviceId,
  TOKEN_LENGTH,
  TOKEN_RANDOM_BYTES,
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
