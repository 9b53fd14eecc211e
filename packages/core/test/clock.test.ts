import fc from 'fast-check';
import { clockTrouble, followClock, mayTidy, startClock, type ClockState } from '../src';

const MINUTE = 60_000;
const HOUR = 3_600_000;
const DAY = 86_400_000;
const NOW = Date.UTC(2026, 10, 1, 12);

/** Lets a clock run, asked every 100 ms, with a wall clock that is off by as much as `off` says. */
function run(state: ClockState, fromMs: number, forMs: number, off: number): ClockState {
  for (let passed = fromMs; passed <= fromMs + forMs; passed += 100)
    state = followClock(state, NOW + passed + off, passed);
  return state;
}

it('follows a clock that goes right, and one that is corrected by a little', () => {
  let state = run(startClock(NOW, 0, NOW - MINUTE), 0, 10_000, 0);
  expect(state).toEqual({ shown: NOW + 10_000, passed: 10_000, step: null });
  state = run(state, 10_000, 1000, -300);
  expect(clockTrouble(state, NOW + 11_000 - 300)).toBeNull();
});

it('waits for a clock that is set back by an hour, and has caught up after two', () => {
  let state = run(startClock(NOW, 0, null), 0, 1000, 0);
  state = run(state, 1000, 10_000, -HOUR);
  expect(state.shown).toBeGreaterThan(NOW + 1000);
  expect(clockTrouble(state, NOW + 11_000 - HOUR)).toContain('was set back by 60 min');
  expect(mayTidy(state, NOW + 11_000 - HOUR)).toBe(false);
  for (let passed = 11_000; passed < 2.1 * HOUR; passed += 1000)
    state = followClock(state, NOW + passed - HOUR, passed);
  expect(clockTrouble(state, NOW + state.passed - HOUR)).toBeNull();
  expect(state.shown).toBe(NOW + state.passed - HOUR);
});

it('follows a clock that is set ahead at once, and says so where it is far', () => {
  const state = run(run(startClock(NOW, 0, null), 0, 1000, 0), 1000, 1000, 30 * DAY);
  expect(state.shown).toBe(NOW + 2000 + 30 * DAY);
  expect(clockTrouble(state, state.shown)).toContain('jumped ahead by 30 days');
  expect(mayTidy(state, state.shown)).toBe(false);
  // A day later it is believed.
  expect(mayTidy({ ...state, passed: state.passed + DAY + 1 }, state.shown)).toBe(true);
});

it('goes on from what was before where a computer wakes up in 1970, and says that its clock cannot be right', () => {
  let state = startClock(0, 0, NOW);
  expect(state.shown).toBe(NOW);
  for (let passed = 0; passed <= 5000; passed += 100) state = followClock(state, passed, passed);
  expect(state.shown).toBe(NOW + 5000);
  expect(clockTrouble(state, 5000)).toContain('says 1970-01-01, which cannot be');
  // Then it is set.
  state = followClock(state, NOW + HOUR, 6000);
  expect(state.shown).toBe(NOW + HOUR);
});

it('starts in a future that is far from what was before with a warning, and returns from it', () => {
  let state = startClock(NOW + 40 * DAY, 0, NOW);
  expect(mayTidy(state, NOW + 40 * DAY)).toBe(false);
  state = followClock(state, NOW + 1000, 1000);
  expect(state.shown).toBe(NOW + 1000);
});

it('follows a clock at once that is set back by a day: what it said before was wrong', () => {
  const ahead = run(run(startClock(NOW, 0, null), 0, 1000, 0), 1000, 20_000, DAY);
  const state = run(ahead, 21_000, 1000, 0);
  expect(state.shown).toBe(NOW + 22_000);
  expect(clockTrouble(state, state.shown)).toContain('jumped back by 24 h');
});

it('never shows a time twice as long as the wall clock is off by less than an hour', () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: -30, max: 30 }), { minLength: 1, maxLength: 20 }), (minutes) => {
      let state = startClock(NOW, 0, null);
      let last = state.shown;
      let passed = 0;
      for (const off of minutes)
        for (let i = 0; i < 50; i++) {
          passed += 1000;
          state = followClock(state, NOW + passed + off * MINUTE, passed);
          expect(state.shown).toBeGreaterThanOrEqual(last);
          last = state.shown;
        }
    }),
  );
});
