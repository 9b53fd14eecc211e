import { expression } from './expression';
import type { ConditionSort } from './sort';
import { CONDITION_WORDS, readWords, type ConditionName } from './words';

export * from './sort';
export * from './words';
export { isInArea } from './area';
export type { RaisedSettings } from './raised';

/** The sorts with all that they do. Only expressions do more than their words, as they need the library of formulas. */
export const CONDITIONS = { ...CONDITION_WORDS, expression } as unknown as Readonly<
  Record<ConditionName, ConditionSort<never>>
>;

/** A condition that is ready to be worked with: its sort, and what it is set to. */
export interface ReadyCondition {
  sort: ConditionSort<never>;
  settings: never;
}

/** What is kept of a condition: its settings with their version. The name of the sort is kept beside it. */
export function storeCondition(sort: ConditionName, settings: object): Record<string, unknown> {
  return { ...settings, version: CONDITIONS[sort].version };
}

/** Reads a stored condition of any version, as `readWords` does. */
export function readCondition(name: string, stored: object): ReadyCondition | null {
  const read = readWords(name, stored);
  return read && { sort: CONDITIONS[name as ConditionName], settings: read.settings };
}
