import type { Datastream } from '../readings/types';
import type { Condition } from './condition';
import { readCondition, type ConditionName, type ReadyCondition } from './conditions';
import type { ActiveHours } from './hours';
import type { PlanPart, RulePlan } from './plan';
import type { ConditionSettings } from './settings';

/** One condition of a rule, as it is kept. */
export interface RuleCondition {
  sort: ConditionName;
  settings: ConditionSettings & { version?: number };
  /** Key of the datastream, or of an event a device raises itself; empty where the sort needs none. */
  stream: string;
  /** Row of the device it looks at; null for the one that the rule watches. */
  device: number | null;
}

/** What a rule says of when it opens and closes. */
export interface RuleDefinition {
  conditions: readonly RuleCondition[];
  join: 'all' | 'any';
  holdMs: number;
  closeHoldMs: number;
  hours: ActiveHours | null;
}

/** Conditions of a rule at the most. */
export const MOST_CONDITIONS = 8;

/** What one part of a rule must be told. */
export interface PlanInput {
  part: number;
  /** What the part calls it. */
  name: string;
  /** Key of the datastream; or what the service knows of the device itself. */
  of: { stream: string } | 'presence' | 'seen' | 'refused';
  /** Row of the device; null for the one that the rule watches. */
  device: number | null;
}

/** What a device has of its own in a rule that watches many. */
export interface OwnInRule {
  /** Its own limit, in place of that of the first condition. */
  limit?: number;
}

export interface ReadyPlan {
  plan: RulePlan;
  inputs: PlanInput[];
}

/** The settings of a condition with a limit of one's own: what closes it lies as far from it as before. */
export function withOwnLimit<S extends ConditionSettings>(settings: S, { limit }: OwnInRule): S {
  if (limit === undefined || settings.limit === undefined) return settings;
  const closeLimit =
    settings.closeLimit == null ? settings.closeLimit : limit + (settings.closeLimit - settings.limit);
  return { ...settings, limit, ...(closeLimit !== undefined && { closeLimit }) };
}

/**
 * Makes a rule ready for one device. `streamsOf` gives the datastreams of a device (null for the watched one). Null where it
 * cannot be watched there: a datastream is gone, or nothing in it has a state of its own.
 */
export function planOf(
  rule: RuleDefinition,
  zone: string,
  streamsOf: (device: number | null) => readonly Datastream[] | undefined,
  own: OwnInRule = {},
): ReadyPlan | null {
  const parts: PlanPart[] = [];
  const inputs: PlanInput[] = [];
  let plain: Condition | null = null;
  for (const [part, condition] of rule.conditions.entries()) {
    const ready = readCondition(condition.sort, condition.settings);
    const streams = streamsOf(condition.device);
    if (ready === null || streams === undefined) return null;
    const { sort } = ready;
    const settings = (part === 0 ? withOwnLimit(ready.settings, own) : ready.settings) as never;
    const stream = streams.find(({ key }) => key === condition.stream);
    const looks = sort.looks ?? 'stream';
    if (looks === 'stream' && stream === undefined) return null;
    const sense = sort.sense?.(settings, stream, streams) ?? null;
    if (sense === null) return null;
    parts.push({ sense: sense as PlanPart['sense'], settings });
    const { device } = condition;
    if (looks === 'stream') inputs.push({ part, name: '', of: { stream: condition.stream }, device });
    else if (looks === 'streams')
      for (const key of sort.reads!(settings, streams))
        inputs.push({ part, name: key, of: { stream: key }, device });
    else inputs.push({ part, name: looks, of: looks, device });
    if ((condition.sort === 'above' || condition.sort === 'below') && rule.conditions.length === 1)
      plain = {
        closeLimit: null,
        ...(settings as ConditionSettings & { limit: number }),
        comparison: condition.sort,
        holdMs: rule.holdMs,
        closeHoldMs: rule.closeHoldMs,
      };
  }
  const { join, holdMs, closeHoldMs, hours } = rule;
  return {
    plan: {
      parts,
      join,
      holdMs,
      closeHoldMs,
      hours,
      zone,
      shape: rule.conditions.map(({ sort }) => sort).join(),
      plain: hours === null ? plain : null,
    },
    inputs,
  };
}

/** The condition that a rule watches facts by; null for rules that have a state of their own. */
export function factCondition({ conditions: [first] }: RuleDefinition): ReadyCondition | null {
  const ready = first === undefined ? null : readCondition(first.sort, first.settings);
  return ready?.sort.watches === 'facts' ? ready : null;
}
