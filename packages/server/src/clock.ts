import {
  AHEAD_MS,
  clockTrouble,
  followClock,
  mayTidy,
  PLAINLY_WRONG_BEFORE,
  startClock,
  type ClockState,
} from '@peatmoor/core';

/** The last time that can be written, epoch ms (ECMA-262 §21.4.1.1). */
const LAST_TIME = 8.64e15;

// The one clock of the process. It is asked everywhere, so that a wall clock that is set back gives no time twice.
let state: ClockState = startClock(Date.now(), performance.now(), null);

/** The time, epoch ms: the wall clock's, while that goes with the passing of time. */
export function now(): number {
  state = followClock(state, Date.now(), performance.now());
  return Math.floor(state.shown);
}

/** Begins with the newest time that is known to have been (epoch ms), which a service before has written down. */
export function beginClock(mark: number | null): void {
  state = startClock(Date.now(), performance.now(), mark);
}

/** What people should know about the clock; null while nothing is wrong. */
export function troubleOfClock(): string | null {
  now();
  return clockTrouble(state, Date.now());
}

/** True while the clock may decide what is old enough to be deleted. */
export function clockMayTidy(): boolean {
  now();
  return mayTidy(state, Date.now());
}

/** The latest time that a reading can truly have, epoch ms: a later one came from a clock that was wrong. */
export function latestPossible(): number {
  return clockIsPlainlyWrong() ? LAST_TIME : now() + AHEAD_MS + 60_000;
}

/** True where the wall clock cannot be right: times that boards send are better. */
export function clockIsPlainlyWrong(): boolean {
  return Date.now() < PLAINLY_WRONG_BEFORE;
}
