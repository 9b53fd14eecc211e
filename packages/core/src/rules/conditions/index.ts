import { above } from './above';
import { below } from './below';
import { between } from './between';
import { beyond } from './beyond';
import { changes } from './changes';
import { contains } from './contains';
import { equals } from './equals';
import { expression } from './expression';
import { falls } from './falls';
import { firstSeen } from './firstSeen';
import { inside } from './inside';
import { notConfirmed } from './notConfirmed';
import { offline } from './offline';
import { online } from './online';
import { outside } from './outside';
import { raised } from './raised';
import { refused } from './refused';
import { rises } from './rises';
import { silent } from './silent';
import type { ConditionSort } from './sort';
import { statistic } from './statistic';
import { unchanged } from './unchanged';
import { unusual } from './unusual';

export * from './sort';
export { isInArea } from './area';
export type { RaisedSettings } from './raised';

/** Names of the sorts, in the order in which they are offered. */
export const CONDITION_NAMES = [
  'above',
  'below',
  'between',
  'outside',
  'equals',
  'changes',
  'rises',
  'falls',
  'statistic',
  'silent',
  'unchanged',
  'unusual',
  'inside',
  'beyond',
  'contains',
  'offline',
  'online',
  'first-seen',
  'refused',
  'not-confirmed',
  'raised',
  'expression',
] as const;
export type ConditionName = (typeof CONDITION_NAMES)[number];

/** Every sort of condition. Adding one is a file and a line here. */
const SORTS = [
  above,
  below,
  between,
  outside,
  equals,
  changes,
  rises,
  falls,
  statistic,
  silent,
  unchanged,
  unusual,
  inside,
  beyond,
  contains,
  offline,
  online,
  firstSeen,
  refused,
  notConfirmed,
  raised,
  expression,
] as const;

export const CONDITIONS = Object.fromEntries(
  SORTS.map((sort): [string, ConditionSort<never>] => [sort.sort, sort as unknown as ConditionSort<never>]),
) as Readonly<Record<ConditionName, ConditionSort<never>>>;

/** A condition that is ready to be worked with: its sort, and what it is set to. */
export interface ReadyCondition {
  sort: ConditionSort<never>;
  settings: never;
}

/** What is kept of a condition: its settings with their version. The name of the sort is kept beside it. */
export function storeCondition(sort: ConditionName, settings: object): Record<string, unknown> {
  return { ...settings, version: CONDITIONS[sort].version };
}

/**
 * Reads a stored condition of any version: what earlier ones stored is brought up to date. Null for a sort that is not known
 * here, as a later version of the service may have made it.
 */
export function readCondition(name: string, stored: object): ReadyCondition | null {
  if (!Object.hasOwn(CONDITIONS, name)) return null;
  const sort = CONDITIONS[name as ConditionName];
  const { version = 1, ...settings } = stored as Record<string, unknown> & { version?: number };
  const upgraded = version < sort.version ? (sort.upgrade?.(settings, version) ?? settings) : settings;
  return { sort, settings: upgraded as never };
}
