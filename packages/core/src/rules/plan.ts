import { DateTime } from 'luxon';
import type { Location } from '../readings/types';
import type { Condition } from './condition';
import { createSpells, type ActiveHours, type Spell } from './hours';
import { enterPhase, passPhase, phaseDue, type Holding } from './phase';
import type { Sense, Sensed, UsualHours } from './senses/sense';
import { advance, dueAt, QUIET, stepThrough, type RuleState, type Step, type Transition } from './step';

/** One condition of a rule, ready to be worked out. */
export interface PlanPart {
  sense: Sense<never, never>;
  settings: never;
}

/** What a rule does, whomever it watches. */
export interface RulePlan extends Holding {
  parts: readonly PlanPart[];
  join: 'all' | 'any';
  /** When it may open events; null for always. */
  hours: ActiveHours | null;
  /** By whose clock. */
  zone: string;
  /** Names of its sorts: a state that was kept by others remembers nothing of use. */
  shape: string;
  /** The one condition of a value across a limit: worked out the short way. Null for all others. */
  plain: Condition | null;
}

/** A value for a part of a rule. */
export interface PlanSample {
  part: number;
  name: string;
  at: number;
  value: number | string | Location;
}

/** Where a rule of any sort stands for one device. Plain JSON. */
export interface PlanState extends RuleState {
  /** The shape of the plan that it was kept by. */
  shape?: string;
  /** What each part remembers, and the newest time of each of its names. */
  parts?: { memory: unknown; newest: Record<string, number> }[];
  /** Up to when time was looked at. */
  looked?: number;
}

/** Steps of time in one go at the most; beyond them the rest is taken up next time. */
const MOST_STEPS = 2000;

interface Clockwork {
  spell: ((at: number) => Spell) | null;
  hour: (at: number) => number;
}
const clockworks = new WeakMap<RulePlan, Clockwork>();
function clockworkOf(plan: RulePlan): Clockwork {
  let found = clockworks.get(plan);
  if (found === undefined) {
    let from = 0;
    let hour = -1;
    found = {
      spell: plan.hours === null ? null : createSpells(plan.hours, plan.zone),
      hour(at) {
        // The hour stays until a quarter is over: zones differ by quarters of an hour.
        if (hour >= 0 && at >= from && at < from + 900_000) return hour;
        from = Math.floor(at / 900_000) * 900_000;
        return (hour = DateTime.fromMillis(at, { zone: plan.zone }).hour);
      },
    };
    clockworks.set(plan, found);
  }
  return found;
}

const beginParts = (plan: RulePlan): NonNullable<PlanState['parts']> =>
  plan.parts.map(({ sense }) => ({ memory: sense.begin, newest: {} }));

/** A state as a plan can go on from it: what parts of other sorts remembered is left behind. */
export function fitPlan(plan: RulePlan, state: PlanState): PlanState {
  if (state.parts === undefined || state.shape === plan.shape) return state;
  const { parts: _parts, shape: _shape, ...bare } = state;
  return bare;
}

/** What is true at a time, all parts together. */
function senseAll(plan: RulePlan, state: PlanState, at: number): Sensed {
  const { spell, hour } = clockworkOf(plan);
  const all = plan.parts.map(({ sense, settings }, i) =>
    sense.look(settings, state.parts![i]!.memory as never, at, hour),
  );
  const joined = plan.join === 'all';
  const across = joined ? all.every((one) => one.across) : all.some((one) => one.across);
  const back = joined ? all.some((one) => one.back) : all.every((one) => one.back);
  // The number spoken of is that of the first part that is so.
  const spoken = all.find((one) => one.across && one.value !== null) ?? all.find((one) => one.value !== null);
  const atRest =
    (state.phase === 'quiet' || state.phase === 'opening') && spell !== null && !spell(at).active;
  return { across: across && !atRest, back, value: spoken?.value ?? null };
}

function settle(plan: RulePlan, before: PlanState, at: number, transitions: Transition[]): PlanState {
  const sensed = senseAll(plan, before, at);
  const first = plan.parts[0]!;
  const further = (a: number, b: number): number => first.sense.further?.(first.settings, a, b) ?? b;
  let state: PlanState = {
    ...enterPhase(before, sensed, Math.max(at, before.since), further),
    ...(sensed.value !== null && { last: { at, value: sensed.value } }),
    looked: at,
  };
  // What opens may be back already, and what closes across again: once each at most, as nothing else came.
  for (let n = 0; n < 2; n++) {
    const passed = passPhase(plan, state, at);
    if (passed === null) break;
    transitions.push(passed.transition);
    state = { ...state, ...passed.state };
  }
  return state;
}

/** When time alone next changes something, epoch ms; null when only a value can. */
export function planDueAt(plan: RulePlan, state: PlanState): number | null {
  if (plan.plain !== null) return dueAt(plan.plain, state);
  if (state.parts === undefined) return null;
  const looked = state.looked ?? -Infinity;
  let due = phaseDue(plan, state) ?? Infinity;
  plan.parts.forEach(({ sense, settings }, i) => {
    due = Math.min(due, sense.due?.(settings, state.parts![i]!.memory as never, looked) ?? Infinity);
  });
  const { spell } = clockworkOf(plan);
  if (spell !== null && Number.isFinite(looked) && (state.phase === 'quiet' || state.phase === 'opening'))
    due = Math.min(due, spell(looked).to);
  return due === Infinity ? null : due;
}

/** Lets time pass up to `now`. The outcome does not depend on how often it is called. */
export function advancePlan(plan: RulePlan, before: PlanState, now: number): Step {
  if (plan.plain !== null) return advance(plan.plain, before, now);
  const transitions: Transition[] = [];
  let state = before;
  for (let n = 0; n < MOST_STEPS; n++) {
    const due = planDueAt(plan, state);
    if (due === null || due > now) break;
    const passed = passPhase(plan, state, due);
    if (passed !== null) {
      transitions.push(passed.transition);
      state = { ...state, ...passed.state, looked: Math.max(state.looked ?? due, due) };
    } else state = settle(plan, state, due, transitions);
  }
  return { state, transitions };
}

/** Takes a rule through values in order of time. A value not newer than the last of its name changes nothing. */
export function stepPlan(plan: RulePlan, before: PlanState, samples: readonly PlanSample[]): Step {
  if (plan.plain !== null)
    return stepThrough(
      plan.plain,
      before,
      samples.map(({ at }) => at),
      samples.map(({ value }) => value as number),
    );
  const transitions: Transition[] = [];
  let state: PlanState =
    before.parts === undefined ? { ...before, parts: beginParts(plan), shape: plan.shape } : before;
  for (let i = 0; i < samples.length; i++) {
    const { part, name, at, value } = samples[i]!;
    const { sense, settings } = plan.parts[part]!;
    const known = state.parts![part]!;
    if (at <= (known.newest[name] ?? -Infinity)) continue;
    const passed = advancePlan(plan, state, at);
    transitions.push(...passed.transitions);
    state = passed.state as PlanState;
    const memory = sense.take(settings, state.parts![part]!.memory as never, { name, at, value });
    state = {
      ...state,
      parts: state.parts!.map((one, p) =>
        p === part ? { memory, newest: { ...one.newest, [name]: at } } : one,
      ),
    };
    // Values of one moment are looked at together.
    const next = samples[i + 1];
    if (next === undefined || next.at !== at)
      state = settle(plan, state, Math.max(at, state.looked ?? at), transitions);
  }
  return { state, transitions };
}

/**
 * The service is there again at `at`, after being away since `from`; or a rule begins to watch. `heard`: whether something of what a
 * part watches ever came.
 */
export function beganPlan(
  plan: RulePlan,
  before: PlanState,
  at: number,
  from: number,
  heard: (part: number) => boolean = () => true,
): PlanState {
  if (plan.plain !== null || !plan.parts.some(({ sense }) => sense.began !== undefined)) return before;
  const parts = before.parts ?? beginParts(plan);
  return {
    ...before,
    shape: plan.shape,
    parts: parts.map((one, i) => {
      const { sense, settings } = plan.parts[i]!;
      return {
        ...one,
        memory: sense.began?.(settings, one.memory as never, at, from, heard(i)) ?? one.memory,
      };
    }),
    looked: before.looked ?? at,
  };
}

/** What is usual for a part from now on. */
export function usualPlan(plan: RulePlan, before: PlanState, part: number, hours: UsualHours): PlanState {
  const { sense, settings } = plan.parts[part]!;
  if (sense.usual === undefined) return before;
  const parts = before.parts ?? beginParts(plan);
  return {
    ...before,
    shape: plan.shape,
    parts: parts.map((one, i) =>
      i === part ? { ...one, memory: sense.usual!(settings, one.memory as never, hours) } : one,
    ),
  };
}

/** A rule's state after its event was closed by hand, or after the rule was changed: what was looked at stays looked at. */
export function quietAgain(plan: RulePlan, before: PlanState, changed: boolean): PlanState {
  const { last, parts, looked } = before;
  const kept = { ...QUIET, last, ...(looked !== undefined && { looked }) };
  if (parts === undefined) return kept;
  return {
    ...kept,
    shape: plan.shape,
    parts: changed ? beginParts(plan).map((one, i) => ({ ...one, newest: parts[i]?.newest ?? {} })) : parts,
  };
}

/** True where a state knows of a time after `latest` (epoch ms). */
export function liesAhead(state: PlanState, latest: number): boolean {
  if ((state.last?.at ?? 0) > latest || state.since > latest || (state.looked ?? 0) > latest) return true;
  return state.parts?.some(({ newest }) => Object.values(newest).some((at) => at > latest)) ?? false;
}

/**
 * A state without what lies after `latest` (epoch ms): only a wrong clock can have given it. What a part remembers of that time is
 * forgotten, and it begins anew at `now`; an open event stays open until what comes closes it.
 */
export function planWithoutFuture(plan: RulePlan, state: PlanState, latest: number, now: number): PlanState {
  if (!liesAhead(state, latest)) return state;
  const right: PlanState = {
    ...state,
    since: Math.min(state.since, now),
    last: (state.last?.at ?? 0) > latest ? null : state.last,
  };
  if (state.parts === undefined) return right;
  return {
    ...right,
    looked: Math.min(right.looked ?? now, now),
    parts: state.parts.map(({ newest }, i) => {
      const { sense, settings } = plan.parts[i]!;
      return {
        memory: sense.began?.(settings, sense.begin as never, now, now, true) ?? sense.begin,
        newest: Object.fromEntries(Object.entries(newest).filter(([, at]) => at <= latest)),
      };
    }),
  };
}
