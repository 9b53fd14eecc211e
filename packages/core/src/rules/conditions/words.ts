import { above } from './above';
import { below } from './below';
import { between } from './between';
import { beyond } from './beyond';
import { changes } from './changes';
import { contains } from './contains';
import { equals } from './equals';
import { expressionWords } from './expressionWords';
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
import { statistic } from './statistic';
import { unchanged } from './unchanged';
import { unusual } from './unusual';
import type { ConditionWords } from './sort';

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
  expressionWords,
] as const;

/** What the sorts are called, ask for and say: enough to write a rule, without what works formulas out. */
export const CONDITION_WORDS = Object.fromEntries(
  SORTS.map((sort): [string, ConditionWords<never>] => [sort.sort, sort as unknown as ConditionWords<never>]),
) as Readonly<Record<ConditionName, ConditionWords<never>>>;

/** A condition that can be spoken of: its sort, and what it is set to. */
export interface SpeakableCondition {
  sort: ConditionWords<never>;
  settings: never;
}

/**
 * Reads a stored condition of any version: what earlier ones stored is brought up to date. Null for a sort that is not known
 * here, as a later version of the service may have made it.
 */
export function readWords(name: string, stored: object): SpeakableCondition | null {
  if (!Object.hasOwn(CONDITION_WORDS, name)) return null;
  const sort = CONDITION_WORDS[name as ConditionName];
  const { version = 1, ...settings } = stored as Record<string, unknown> & { version?: number };
  const upgraded = version < sort.version ? (sort.upgrade?.(settings, version) ?? settings) : settings;
  return { sort, settings: upgraded as never };
}
