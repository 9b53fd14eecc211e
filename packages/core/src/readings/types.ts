import type { Computation } from './computation';
import type { Follow } from './follow';
import type { RunAtMost, WithoutLink } from './kept';

/** The value types a datastream can have. */
export const VALUE_TYPES = [
  'number',
  'integer',
  'boolean',
  'choice',
  'text',
  'colour',
  'location',
  'image',
] as const;
export type ValueType = (typeof VALUE_TYPES)[number];

/** `report`: the device tells; `control`: people tell the device; `both`. */
export const DIRECTIONS = ['report', 'control', 'both'] as const;
export type Direction = (typeof DIRECTIONS)[number];

/** `lasting`: the newest wanted value holds until another. `momentary`: a press, once, within its time limit, and never later. */
export const HOLDS = ['lasting', 'momentary'] as const;
export type Holds = (typeof HOLDS)[number];

/** What happens to a value outside the range: refused, moved to the nearest bound, or kept and marked. */
export const RANGE_POLICIES = ['refuse', 'limit', 'mark'] as const;
export type RangePolicy = (typeof RANGE_POLICIES)[number];

/** A place on earth: degrees north and east, metres above the sea where known. */
export interface Location {
  lat: number;
  lon: number;
  alt: number | null;
}

export const IMAGE_TYPES = ['image/jpeg', 'image/png', 'image/webp'] as const;
export type ImageType = (typeof IMAGE_TYPES)[number];

/** What is told of an image where its bytes are not needed. */
export interface ImageFacts {
  type: ImageType;
  /** Bytes. */
  size: number;
}

/** An image as it came. */
export interface ImageValue extends ImageFacts {
  bytes: Uint8Array;
}

/**
 * A value as it is kept. Booleans are 0 and 1, choices the place in their list, colours 0xRRGGBB: those are numbers,
 * like numbers and integers. Texts, locations and images are not.
 */
export type Value = number | string | Location | ImageFacts;

/** A named, typed line of values, as a device kind declares it. */
export interface Datastream {
  /** `[a-z][a-z0-9_]{0,39}`, not one of the reserved names. */
  key: string;
  title: string;
  description: string;
  type: ValueType;
  /** A code of the SenML units registry, or null where the value has none. */
  unit: string | null;
  /** What a plain number means when it arrives, where that is not the unit that is shown; absent or null: the same. */
  sentUnit?: string | null;
  /** The unit in which its readings are kept, where that is not the unit that is shown; absent or null: the same. */
  keptUnit?: string | null;
  min: number | null;
  max: number | null;
  rangePolicy: RangePolicy;
  /** Decimals to show, 0 to 6; null shows what the value needs. */
  decimals: number | null;
  direction: Direction;
  /** Virtual pin, a whole number 0–999, or null. */
  pin: number | null;
  /** Other names the firmware may use, already folded. */
  aliases: string[];
  /** The texts a choice may take, in the order of their numbers; empty for other types. */
  choices: string[];
  /** Colour of its lines, `#rrggbb`, or null for the next of the palette. */
  colour: string | null;
  /** The part it comes from (a key of the parts catalogue), or null. */
  part: string | null;
  /** Pin of the board, as printed on it; empty where none is noted. */
  boardPin: string;
  /** What a control is wanted to be before anybody wants anything else; null for nothing. */
  defaultValue: string | null;
  /** How long a wanted value holds. */
  holds: Holds;
  /** Seconds within which it must be applied; null for no limit, and two report intervals where it is momentary. */
  timeLimitS: number | null;
  /** What must be measured for a wanted value to be confirmed; null for nothing. */
  follow: Follow | null;
  /** True where people are asked before a value is sent from a page. */
  asks: boolean;
  /** How long it may stay at a value; null for any time. */
  runAtMost: RunAtMost | null;
  /** What the board does when it has heard nothing for so long; null for nothing. */
  withoutLink: WithoutLink | null;
  /** Days its readings are kept: null for ever, 0 for only the newest. */
  keepDays: number | null;
  /** How it is made from other datastreams of the device; null where the device or a person tells it. */
  computation: Computation | null;
}

/** One value of one datastream at one time (epoch milliseconds). */
export interface Sample {
  at: number;
  value: number;
}

/** True where a device may report values on this datastream. */
export function isReportable(stream: Pick<Datastream, 'direction' | 'computation'>): boolean {
  return stream.direction !== 'control' && !stream.computation;
}

/** True where readings come in: what the device reports, and what is computed from it. */
export function isMeasured(stream: Pick<Datastream, 'direction'>): boolean {
  return stream.direction !== 'control';
}

/** True where people may tell the device a value on this datastream. */
export function isControllable(stream: Pick<Datastream, 'direction'>): boolean {
  return stream.direction !== 'report';
}

/** The states that it may be in, as texts, in the order of their numbers; none where it is no choice and not on or off. */
export function choicesOf({ type, choices }: Pick<Datastream, 'type' | 'choices'>): readonly string[] {
  return type === 'boolean' ? ['off', 'on'] : choices;
}

/** True where values are kept as numbers: all types but text, location and image. */
export function isNumeric(stream: Pick<Datastream, 'type'>): boolean {
  return stream.type !== 'text' && stream.type !== 'location' && stream.type !== 'image';
}

/** True where values lie on a scale: numbers and integers. These have a unit and a range, and can be averaged. */
export function isScalar(stream: Pick<Datastream, 'type'>): boolean {
  return stream.type === 'number' || stream.type === 'integer';
}
