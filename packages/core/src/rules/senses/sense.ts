import type { Location } from '../../readings/types';

/** One value that a condition looks at. */
export interface Sensation {
  /** Key of the datastream, or `presence`, `seen` and `refused` for what the service knows of a device itself. */
  name: string;
  at: number;
  value: number | string | Location;
}

/** What is usual in each hour of the day, 24 of them: the median, and the spread around it; null where too little is known. */
export type UsualHours = readonly (readonly [median: number, spread: number] | null)[];

/** What is true at a moment. */
export interface Sensed {
  /** An event may open. */
  across: boolean;
  /** An open event may close. Neither of both where it is in between. */
  back: boolean;
  /** The number that is spoken of; null for none. */
  value: number | null;
}

export const UNKNOWN: Sensed = { across: false, back: false, value: null };

/**
 * How a sort of condition knows whether it is so: from what came, kept in a memory that is plain JSON, and from the time. Pure.
 * `S` is what it is set to, `M` its memory.
 */
export interface Sense<S = object, M = unknown> {
  begin: M;
  /** True where it asks when something came, not of which time it was: what a board stored and sends late was heard now. */
  hears?: true;
  /** Takes one value more; values come in order of time. */
  take(settings: S, memory: M, sensation: Sensation): M;
  /** What is true at a time not before the newest value. `hour`: the hour of the day where the rule is at home. */
  look(settings: S, memory: M, at: number, hour: (at: number) => number): Sensed;
  /** When time alone next changes what is true, strictly after `after`, epoch ms; null for never. */
  due?(settings: S, memory: M, after: number): number | null;
  /**
   * The service is there again since `at`, after it was away from `from` on; or the rule began to watch, at `at`. `heard`: something
   * of what it watches came at some time before.
   */
  began?(settings: S, memory: M, at: number, from: number, heard: boolean): M;
  /** What is usual from now on. */
  usual?(settings: S, memory: M, hours: UsualHours): M;
  /** The one of two values that is further across; the newest where a sort does not say. */
  further?(settings: S, a: number, b: number): number;
}
