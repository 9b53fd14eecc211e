import { above } from './above';
import { below } from './below';
import { notConfirmed } from './notConfirmed';
import { raised } from './raised';
import type { ConditionSort } from './sort';

export * from './sort';
export type { RaisedSettings } from './raised';

/** Every sort of condition. Adding one is a file and a line here. */
const SORTS = [above, below, raised, notConfirmed] as const;

export type ConditionName = 'above' | 'below' | 'raised' | 'not-confirmed';
export const CONDITIONS = Object.fromEntries(
  SORTS.map((sort): [string, ConditionSort<never>] => [sort.sort, sort as ConditionSort<never>]),
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
