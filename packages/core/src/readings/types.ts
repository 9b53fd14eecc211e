/** The value types a datastream can have in this version. Booleans are kept as 0 and 1. */
export const VALUE_TYPES = ['number', 'integer', 'boolean'] as const;
export type ValueType = (typeof VALUE_TYPES)[number];

/** `report`: the device tells; `control`: people tell the device; `both`. */
export const DIRECTIONS = ['report', 'control', 'both'] as const;
export type Direction = (typeof DIRECTIONS)[number];

/** What happens to a value outside the range: refused, moved to the nearest bound, or kept and marked. */
export const RANGE_POLICIES = ['refuse', 'limit', 'mark'] as const;
export type RangePolicy = (typeof RANGE_POLICIES)[number];

/** A named, typed line of values, as a device kind declares it. */
export interface Datastream {
  /** `[a-z][a-z0-9_]{0,39}`, not one of the reserved names. */
  key: string;
  title: string;
  type: ValueType;
  /** A code of the SenML units registry, or null where the value has none. */
  unit: string | null;
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
}

/** One value of one datastream at one time (epoch milliseconds). */
export interface Sample {
  at: number;
  value: number;
}

/** True where a device may report values on this datastream. */
export function isReportable(stream: Pick<Datastream, 'direction'>): boolean {
  return stream.direction !== 'control';
}

/** True where people may tell the device a value on this datastream. */
export function isControllable(stream: Pick<Datastream, 'direction'>): boolean {
  return stream.direction !== 'report';
}
