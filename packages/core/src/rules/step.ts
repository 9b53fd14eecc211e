import type { Sample } from '../readings/types';
import { isAcross, isBack, type Condition } from './condition';

/** `quiet`: nothing; `opening`: across, hold running; `open`; `closing`: back, close hold running. */
export type RulePhase = 'quiet' | 'opening' | 'open' | 'closing';

/** Where one rule stands for one device. */
export interface RuleState {
  phase: RulePhase;
  /** When the phase began, epoch ms. */
  since: number;
  /** Time and value of the newest sample looked at; null before the first. */
  last: Sample | null;
  /** The value furthest across the limit while open or opening. */
  extreme: number | null;
}

export const QUIET: RuleState = { phase: 'quiet', since: 0, last: null, extreme: null };

/** An event opened or closed, with the time it did (epoch ms) and the value then known. */
export interface Transition {
  kind: 'opened' | 'closed';
  at: number;
  /** Null where it is about no number. */
  value: number | null;
  extreme: number | null;
}

export interface Step {
  state: RuleState;
  transitions: Transition[];
}

/**
 * Takes a rule one sample further. Pure and deterministic: what happened by the passing of time before the
 * sample (a hold that ran out) is worked out first, so the outcome does not depend on how often `advance` ran.
 * A sample not newer than the last one looked at changes nothing.
 */
export function step(condition: Condition, before: RuleState, sample: Sample): Step {
  if (before.last !== null && sample.at <= before.last.at) return { state: before, transitions: [] };
  const advanced = advance(condition, before, sample.at);
  const entered = enter(condition, advanced.state, sample);
  const settled = advance(condition, entered, sample.at);
  return { state: settled.state, transitions: [...advanced.transitions, ...settled.transitions] };
}

/**
 * Takes a rule through many samples, in the order given: the same as `step` for each, but what changes nothing while all is
 * quiet costs nothing.
 */
export function stepThrough(
  condition: Condition,
  before: RuleState,
  times: readonly number[],
  values: readonly number[],
): Step {
  let state = before;
  let lastAt = state.last?.at ?? -Infinity;
  let lastValue = state.last?.value ?? 0;
  const transitions: Transition[] = [];
  const settle = (): void => {
    if (lastAt !== (state.last?.at ?? -Infinity))
      state = { ...state, last: { at: lastAt, value: lastValue } };
  };
  for (let i = 0; i < times.length; i++) {
    const at = times[i]!;
    const value = values[i]!;
    if (state.phase === 'quiet' && !isAcross(condition, value)) {
      if (at > lastAt) {
        lastAt = at;
        lastValue = value;
      }
      continue;
    }
    settle();
    const next = step(condition, state, { at, value });
    state = next.state;
    transitions.push(...next.transitions);
    lastAt = state.last?.at ?? -Infinity;
    lastValue = state.last?.value ?? 0;
  }
  settle();
  return { state, transitions };
}

/** Lets time pass up to `now` (epoch ms) without a new sample: opens or closes what has held long enough. */
export function advance(condition: Condition, state: RuleState, now: number): Step {
  if (state.last === null) return { state, transitions: [] };
  const value = state.last.value;
  const extreme = state.extreme ?? value;
  if (state.phase === 'opening' && now >= state.since + condition.holdMs) {
    const at = state.since + condition.holdMs;
    return {
      state: { ...state, phase: 'open', since: at },
      transitions: [{ kind: 'opened', at, value, extreme }],
    };
  }
  if (state.phase === 'closing' && now >= state.since + condition.closeHoldMs) {
    const at = state.since + condition.closeHoldMs;
    const quiet: RuleState = { ...state, phase: 'quiet', since: at, extreme: null };
    return { state: quiet, transitions: [{ kind: 'closed', at, value, extreme }] };
  }
  return { state, transitions: [] };
}

/** When time alone next changes something, epoch ms; null when only a sample can. */
export function dueAt(condition: Condition, state: RuleState): number | null {
  if (state.phase === 'opening') return state.since + condition.holdMs;
  if (state.phase === 'closing') return state.since + condition.closeHoldMs;
  return null;
}

function enter(condition: Condition, state: RuleState, { at, value }: Sample): RuleState {
  // A sample from before the phase began, after a hold that ran out by time: nothing ends before it began.
  const sample = { at: Math.max(at, state.since), value };
  const across = isAcross(condition, sample.value);
  const back = isBack(condition, sample.value);
  const next: RuleState = { ...state, last: { at, value } };
  switch (state.phase) {
    case 'quiet':
      return across ? { ...next, phase: 'opening', since: sample.at, extreme: sample.value } : next;
    case 'opening':
      return across
        ? { ...next, extreme: further(condition, state.extreme, sample.value) }
        : { ...next, phase: 'quiet', since: sample.at, extreme: null };
    case 'open':
      return back
        ? { ...next, phase: 'closing', since: sample.at }
        : { ...next, extreme: further(condition, state.extreme, sample.value) };
    case 'closing':
      return back
        ? next
        : {
            ...next,
            phase: 'open',
            since: sample.at,
            extreme: further(condition, state.extreme, sample.value),
          };
  }
}

function further(condition: Condition, extreme: number | null, value: number): number {
  if (extreme === null) return value;
  return condition.comparison === 'above' ? Math.max(extreme, value) : Math.min(extreme, value);
}
