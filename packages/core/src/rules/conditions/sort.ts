import type { Datastream, Value } from '../../readings/types';
import type { Fact } from '../../history/batch';
import type { RuleState, Step } from '../step';

/** Facts about something of a device that has a key. */
export type KeyedFact = Extract<Fact, { key: string }>;

/** Whom and what a rule's sentence speaks of, and how it writes a value. */
export interface Spoken {
  /** The datastream; undefined where there is none of that key. */
  stream: Datastream | undefined;
  /** Its key, or that of an event a device raises itself. */
  key: string;
  whom: string;
  show?: (value: Value) => string;
}

export interface WrongCondition {
  field: string;
  reason: string;
  remedy: string;
}

/**
 * Everything about one sort of condition. A sort is a file. `S` is what it is set to, as it is stored. Sorts that watch
 * readings say what many of them, and time passing, do to a rule's state; what watches facts has no state of its own.
 */
export interface ConditionSort<S extends object = object> {
  sort: string;
  watches: 'readings' | 'facts';
  /** Version of what is stored of its settings, from 1. */
  version: number;
  /** Brings settings stored by an earlier version to this one. */
  upgrade?(settings: Record<string, unknown>, from: number): Record<string, unknown>;
  /** What is wrong with the settings; null where nothing is. */
  check(settings: S): WrongCondition | null;
  /** The rule as one sentence. */
  sentence(settings: S, spoken: Spoken): string;
  /** For what watches facts: which of its key open and close an event, and what is said of each. */
  facts?: {
    opens: KeyedFact['kind'];
    closes: KeyedFact['kind'];
    opened(key: string, device: string): string;
    /** `after` is how long it was open, in words. */
    closed(key: string, device: string, after: string): string;
  };
  stepThrough?(settings: S, before: RuleState, times: readonly number[], values: readonly number[]): Step;
  /** Lets time pass up to `now`, epoch ms. */
  advance?(settings: S, state: RuleState, now: number): Step;
  /** When time alone next changes something, epoch ms; null when only a reading can. */
  dueAt?(settings: S, state: RuleState): number | null;
}
