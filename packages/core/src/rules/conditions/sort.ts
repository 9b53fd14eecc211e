import type { Datastream, Value, ValueType } from '../../readings/types';
import type { Fact } from '../../history/batch';
import type { Sense } from '../senses/sense';
import type { ConditionSettings, SettingName } from '../settings';

/** A value in words: "mean 1,240 ppm over 15 min", "The mean of CO₂ of Hut over 15 min is 1,240 ppm." */
export interface Measured {
  short: string;
  sentence: string;
}

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

/** Datastreams of the device a condition watches, for what reads more than one. */
export type Around = readonly Pick<Datastream, 'key' | 'type' | 'aliases' | 'choices'>[];

/** What a condition looks at: a datastream, what the service knows of the device itself, or several datastreams. */
export type Looks = 'stream' | 'presence' | 'seen' | 'refused' | 'streams';

/** What one sort of condition is called, asks for and says. `S` is what it is set to, as it is stored. */
export interface ConditionWords<S extends object = object> {
  sort: string;
  /** "is above": what stands in a list of sorts. */
  title: string;
  watches: 'readings' | 'facts';
  looks?: Looks;
  /** Types of datastreams it can watch; all numbers where left out. */
  types?: readonly ValueType[];
  /** What it is set to, in the order in which it is asked for. */
  fields: readonly SettingName[];
  /** Version of what is stored of its settings, from 1. */
  version: number;
  /** Brings settings stored by an earlier version to this one. */
  upgrade?(settings: Record<string, unknown>, from: number): Record<string, unknown>;
  /** What is wrong with the settings; null where nothing is. */
  check(settings: S, stream?: Datastream, around?: Around): WrongCondition | null;
  /** What must be so, without "when": "Water level of any dipwell is below -300 mm". */
  clause(settings: S, spoken: Spoken): string;
  /** What must be so for it to close; "it is over" where left out. */
  closes?(settings: S, spoken: Spoken): string;
  /**
   * How a value is said that is no reading but made of several, or of where something is: short, as in a subject, and as a sentence. Left out
   * where it is the reading. `of` is the title and its device.
   */
  measured?(settings: S, value: number, say: { of: string; show: (value: number) => string }): Measured;
  /** For what watches facts: which of its key open and close an event, and what is said of each. */
  facts?: {
    opens: KeyedFact['kind'];
    closes: KeyedFact['kind'];
    opened(key: string, device: string): string;
    /** `after` is how long it was open, in words. */
    closed(key: string, device: string, after: string): string;
  };
}

/**
 * Everything about one sort of condition. A sort is a file. Sorts that watch values say how they are sensed; what watches
 * facts has no state of its own.
 */
export interface ConditionSort<S extends object = object> extends ConditionWords<S> {
  /** Which datastreams it reads, where it `looks` at several. */
  reads?(settings: S, around: Around): string[];
  /** How it is sensed on a device with these datastreams; null where it cannot be there. */
  sense?(settings: S, stream: Datastream | undefined, around: Around): Sense<S, never> | null;
}

/** A title and its device: "Water level of any dipwell". */
export const streamOf = ({ stream, key, whom }: Spoken): string =>
  `${stream?.title ?? `"${key}"`} of ${whom}`;
/** Writes a value in the unit of the datastream. */
export const showOf = ({ show }: Spoken): ((value: number) => string) => show ?? String;

/** Says which of some settings is missing or no number. */
export function missing(settings: ConditionSettings, names: readonly SettingName[]): WrongCondition | null {
  for (const name of names) {
    const value = settings[name];
    if (
      value === undefined ||
      value === null ||
      value === '' ||
      (typeof value === 'number' && !Number.isFinite(value))
    )
      return { field: name, reason: 'is missing', remedy: 'Give it.' };
  }
  return null;
}
