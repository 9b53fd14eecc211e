import { quantileSorted } from 'd3-array';
import { advancePlan, beganPlan, stepPlan, type PlanSample, type PlanState, type RulePlan } from './plan';
import { QUIET, stepThrough, type Step, type Transition } from './step';

/** One time that a rule would have been open. */
export interface Occurrence {
  openedAt: number;
  /** Null where it would still be open. */
  closedAt: number | null;
  value: number | null;
  extreme: number | null;
}

/** A rule that is run over the past, some values after others. */
export interface RuleTrial {
  /** Takes values in order of time. */
  take(samples: readonly PlanSample[]): void;
  /** The same for a rule that one datastream is enough for. */
  takeColumns(times: readonly number[], values: readonly number[]): void;
  /** Lets time pass to the end, and gives what would have happened. */
  end(at: number): Occurrence[];
}

/**
 * Begins to try a rule from a time on, as if it had been made then. `heard`: whether anything of what it watches came before; what never
 * came is not silent.
 */
export function beginTrial(plan: RulePlan, from: number, first: PlanState = QUIET, heard = true): RuleTrial {
  let state: PlanState = beganPlan(plan, first, from, from, () => heard);
  const occurrences: Occurrence[] = [];
  const note = (transitions: readonly Transition[]): void => {
    for (const { kind, at, value, extreme } of transitions)
      if (kind === 'opened') occurrences.push({ openedAt: at, closedAt: null, value, extreme });
      else if (occurrences.length > 0) Object.assign(occurrences.at(-1)!, { closedAt: at, extreme });
  };
  const keep = (next: Step): void => {
    state = next.state;
    note(next.transitions);
  };
  return {
    take: (samples) => keep(stepPlan(plan, state, samples)),
    takeColumns(times, values) {
      if (plan.plain !== null) keep(stepThrough(plan.plain, state, times, values));
      else
        keep(
          stepPlan(
            plan,
            state,
            times.map((at, i) => ({ part: 0, name: '', at, value: values[i]! })),
          ),
        );
    },
    end(at) {
      for (let n = 0; n < 1000; n++) {
        const next = advancePlan(plan, state, at);
        note(next.transitions);
        if (next.state === state) break;
        state = next.state;
      }
      const last = occurrences.at(-1);
      if (last?.closedAt === null && state.extreme !== null) last.extreme = state.extreme;
      return occurrences;
    },
  };
}

/** A number with two digits that say something, not nearer to the middle than the value. */
function roundAway(value: number, up: boolean): number {
  if (value === 0 || !Number.isFinite(value)) return value;
  const step = 10 ** (Math.floor(Math.log10(Math.abs(value))) - 1);
  const rounded = (up ? Math.ceil(value / step) : Math.floor(value / step)) * step;
  return Number(rounded.toPrecision(12));
}

/**
 * A limit that what was seen crosses seldom: beyond all but a two-hundredth of it. Null where nothing was seen. `sorted`:
 * ascending.
 */
export function suggestLimit(sorted: readonly number[], side: 'above' | 'below'): number | null {
  const value = quantileSorted(sorted as number[], side === 'above' ? 0.995 : 0.005);
  return value === undefined ? null : roundAway(value, side === 'above');
}
