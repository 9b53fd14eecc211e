import type { RuleState, Transition } from './step';
import type { Sensed } from './senses/sense';

/** How long what is so must last before an event opens, and before it closes, in ms. */
export interface Holding {
  holdMs: number;
  closeHoldMs: number;
}

/** What a rule's phase becomes with what is true at a time. `further` gives the one of two values that is further across. */
export function enterPhase(
  state: RuleState,
  { across, back, value }: Sensed,
  at: number,
  further: (a: number, b: number) => number,
): RuleState {
  const extreme =
    value === null ? state.extreme : state.extreme === null ? value : further(state.extreme, value);
  switch (state.phase) {
    case 'quiet':
      return across ? { ...state, phase: 'opening', since: at, extreme: value } : state;
    case 'opening':
      return across ? { ...state, extreme } : { ...state, phase: 'quiet', since: at, extreme: null };
    case 'open':
      if (back) return { ...state, phase: 'closing', since: at };
      return across ? { ...state, extreme } : state;
    case 'closing':
      if (back) return state;
      return { ...state, phase: 'open', since: at, ...(across && { extreme }) };
  }
}

/** Opens or closes what has lasted long enough at a time; null where nothing has. */
export function passPhase(
  { holdMs, closeHoldMs }: Holding,
  state: RuleState,
  now: number,
): { state: RuleState; transition: Transition } | null {
  const value = state.last?.value ?? state.extreme;
  const extreme = state.extreme ?? value;
  if (state.phase === 'opening' && now >= state.since + holdMs) {
    const at = state.since + holdMs;
    return {
      state: { ...state, phase: 'open', since: at },
      transition: { kind: 'opened', at, value, extreme },
    };
  }
  if (state.phase === 'closing' && now >= state.since + closeHoldMs) {
    const at = state.since + closeHoldMs;
    return {
      state: { ...state, phase: 'quiet', since: at, extreme: null },
      transition: { kind: 'closed', at, value, extreme },
    };
  }
  return null;
}

/** When a phase ends by the passing of time, epoch ms; null for never. */
export function phaseDue({ holdMs, closeHoldMs }: Holding, { phase, since }: RuleState): number | null {
  if (phase === 'opening') return since + holdMs;
  return phase === 'closing' ? since + closeHoldMs : null;
}
