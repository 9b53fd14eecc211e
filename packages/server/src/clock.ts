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

/** A step back of what is shown that is one, in ms. */
const BACK_MS = 1000;

/** The time of a database that several services share, epoch ms, the passing of time at which it was that, and by how much that may be wrong, ms. */
let lead: { at: number; passed: number; error: number } | null = null;
/** How fast two clocks go apart at the most: a ten thousandth. */
const DRIFT = 1e-4;
/** What is wrong with this computer's own clock, where the database's is followed. */
let ownTrouble: string | null = null;
/** How often what was shown turned out to be wrong and later than now. */
let era = 0;
const backListeners = new Set<() => void>();

/** The clock that is followed: of this computer, or of the database that several services share. */
const wall = (): number => (lead === null ? Date.now() : lead.at + (performance.now() - lead.passed));

// The one clock of the process. It is asked everywhere, so that a wall clock that is set back gives no time twice.
let state: ClockState = startClock(Date.now(), performance.now(), null);

/** The time, epoch ms: that of the clock that is followed, while it goes with the passing of time. */
export function now(): number {
  const before = state.shown;
  state = followClock(state, wall(), performance.now());
  if (state.shown < before - BACK_MS) {
    era++;
    for (const listener of backListeners) queueMicrotask(listener);
  }
  return Math.floor(state.shown);
}

/** Begins with the newest time that is known to have been (epoch ms), which a service before has written down. */
export function beginClock(mark: number | null): void {
  state = startClock(wall(), performance.now(), mark);
}

/**
 * The database's time (epoch ms) is the time: it was this at a moment of the passing of time, give or take `error` (both ms). What was known
 * better before stays, as long as the two agree: an answer that took long says little.
 */
export function followDatabase(at: number, passed: number, error: number): void {
  if (lead !== null) {
    const elapsed = passed - lead.passed;
    const known = lead.error + elapsed * DRIFT;
    if (error > known && Math.abs(at - (lead.at + elapsed)) <= known + error + 1) return;
  }
  lead = { at, passed, error };
}

/** Another service has shown a later time already: none before it is shown here. */
export function notBefore(at: number): void {
  const shown = now();
  if (at > shown) state = { ...state, shown: at };
}

/** How far the clock of this computer itself is ahead of the one that is followed, in ms. */
export const ownClockAhead = (): number => Date.now() - wall();

/** Says what is wrong with the clock of this computer, beside the time that is followed; null for nothing. */
export function sayOwnTrouble(text: string | null): void {
  ownTrouble = text;
}

/** Hears that what was shown was wrong, and later than it is: whatever remembers such a time forgets it. */
export function onClockBack(listener: () => void): () => void {
  backListeners.add(listener);
  return () => void backListeners.delete(listener);
}

/** How often it has happened in services before. */
export function beginEra(count: number): void {
  era = count;
}

/** How often it has happened. */
export const clockEra = (): number => era;

/** What people should know about the clock; null while nothing is wrong. */
export function troubleOfClock(): string | null {
  now();
  return ownTrouble ?? clockTrouble(state, wall());
}

/** True while the clock may decide what is old enough to be deleted. */
export function clockMayTidy(): boolean {
  now();
  return mayTidy(state, wall());
}

/** The latest time that a reading can truly have, epoch ms: a later one came from a clock that was wrong. */
export function latestPossible(): number {
  return clockIsPlainlyWrong() ? LAST_TIME : now() + AHEAD_MS + 60_000;
}

/** True where the clock that is followed cannot be right: times that boards send are better. */
export function clockIsPlainlyWrong(): boolean {
  return wall() < PLAINLY_WRONG_BEFORE;
}
