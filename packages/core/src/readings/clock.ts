import { counted } from '../words';

/** No clock of a service can rightly show a time before this one: it is older than the service. */
export const PLAINLY_WRONG_BEFORE = Date.UTC(2026, 0, 1);

/** A difference between the wall clock and the passing of time that is a step, and no drift, in ms. */
const STEP_MS = 1500;
/** A wall clock that is further behind than this is believed: what it said before was wrong. No hour more of summer time is. */
const FAR_MS = 70 * 60_000;
/** How fast a clock runs that waits for the wall clock to come up. */
const SLOW = 0.5;
/** After a step of so much, nothing is deleted for being old for a while, both in ms. */
const LARGE_MS = 43_200_000;
const WAIT_MS = 86_400_000;

/** A clock that never jumps back, unless what it showed was wrong by more than an hour. */
export interface ClockState {
  /** What it shows, epoch ms, and the passing of time at which it showed that, ms. */
  shown: number;
  passed: number;
  /** The last step of the wall clock that was noticed: by how much (positive: ahead), and when in the passing of time. */
  step: { byMs: number; passed: number } | null;
}

/** A clock at the start. `mark`: the newest time that is known to have been, epoch ms; null for none. */
export function startClock(wall: number, passed: number, mark: number | null): ClockState {
  const byMs = mark === null ? 0 : wall - mark;
  const isBehind = byMs < 0 && (wall < PLAINLY_WRONG_BEFORE || -byMs <= FAR_MS);
  const isStep = byMs < -STEP_MS || byMs > LARGE_MS;
  return { shown: isBehind ? mark! : wall, passed, step: isStep ? { byMs, passed } : null };
}

/**
 * Takes a clock further. While the wall clock goes with the passing of time, it is followed. One that is set ahead is followed
 * at once; one that is set back by up to an hour is waited for, running slowly, so that no time comes twice; by more, what was shown
 * before was wrong, and it is followed at once; one that is plainly wrong is not followed at all.
 */
export function followClock(state: ClockState, wall: number, passed: number): ClockState {
  const elapsed = Math.max(0, passed - state.passed);
  const expected = state.shown + elapsed;
  const behind = expected - wall;
  if (Math.abs(behind) <= STEP_MS) return { ...state, shown: Math.max(wall, state.shown), passed };
  const noticed = (byMs: number): ClockState['step'] =>
    // While it is waited for, the wall clock stays behind: that is still the same step.
    state.step !== null &&
    Math.sign(state.step.byMs) === Math.sign(byMs) &&
    Math.abs(byMs) <= Math.abs(state.step.byMs)
      ? state.step
      : { byMs, passed };
  if (behind < 0) return { shown: wall, passed, step: { byMs: -behind, passed } };
  if (wall < PLAINLY_WRONG_BEFORE) return { shown: expected, passed, step: noticed(-behind) };
  if (behind > FAR_MS) return { shown: wall, passed, step: { byMs: -behind, passed } };
  return { shown: Math.max(wall, state.shown + elapsed * SLOW), passed, step: noticed(-behind) };
}

/** What is to be said of a clock, for people; null while nothing is wrong. */
export function clockTrouble(state: ClockState, wall: number): string | null {
  if (wall < PLAINLY_WRONG_BEFORE)
    return `The clock of this computer says ${new Date(wall).toISOString().slice(0, 10)}, which cannot be. Set it, or connect it to the internet; until then the times that boards send are believed.`;
  const behind = state.shown - wall;
  if (behind > STEP_MS)
    return `The clock of this computer was set back by ${spell(behind)}. Times go on from the last until it has caught up; nothing is lost.`;
  const { step } = state;
  if (step === null || Math.abs(step.byMs) < LARGE_MS || state.passed - step.passed > WAIT_MS) return null;
  return `The clock of this computer jumped ${step.byMs > 0 ? 'ahead' : 'back'} by ${spell(Math.abs(step.byMs))}. Check that it is right; old readings are kept for a day, whatever their datastream says.`;
}

/** True while a clock may decide what is old enough to be deleted. */
export function mayTidy(state: ClockState, wall: number): boolean {
  return clockTrouble(state, wall) === null;
}

function spell(ms: number): string {
  const minutes = Math.round(ms / 60_000);
  if (minutes < 1) return 'some seconds';
  if (minutes < 120) return `${minutes} min`;
  return minutes < 2880 ? `${Math.round(minutes / 60)} h` : counted(Math.round(minutes / 1440), 'day');
}
