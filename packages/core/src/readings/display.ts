import type { Datastream, Value } from './types';
import { displayUnit, type UnitSystem } from './units';
import { meanValue, showValue, sumValue } from './value';

type Shown = Pick<Datastream, 'type' | 'unit' | 'decimals'> & { choices?: readonly string[] };

/** How the values of a datastream are shown to a person. */
export interface Display {
  /** The unit as people write it; empty for none. */
  unit: string;
  /** A stored value as it is shown. */
  convert(value: number): number;
  /** A shown value as it is stored. */
  back(shown: number): number;
  /** A shown value as it is wanted of a device: a converted one is whole where the datastream has whole numbers. */
  wanted(shown: number): number;
  /** A value without its unit. */
  value(value: Value): string;
  /** How far apart stored values are that lie this far apart, in the unit that is shown. */
  distance(stored: number): number;
  /** A value with its unit. */
  reading(value: Value): string;
  /** A mean of stored values with its unit, see `meanValue`. */
  mean(value: number): string;
  /** A sum of so many stored values, in the unit that is shown. */
  total(sum: number, count: number): number;
  /** The same, as it is in the unit that is shown, with its unit, see `sumValue`. */
  sum(shown: number): string;
}

/** Shows a datastream in a person's units, with as many decimals as tell the same as the stored ones. */
export function displayOf(stream: Shown, system: UnitSystem): Display {
  const { shown: unit, scale, offset } = displayUnit(stream.unit, system);
  const plain = scale === 1 && offset === 0;
  const more = Math.max(0, Math.ceil(-Math.log10(scale)));
  const digits = stream.type === 'integer' ? 0 : stream.decimals;
  const changed: Shown = plain
    ? stream
    : { ...stream, type: 'number', decimals: digits === null ? null : Math.min(6, digits + more) };
  const convert = (value: number): number =>
    plain ? value : Number((value * scale + offset).toPrecision(12));
  const back = (shown: number): number =>
    plain ? shown : Number(((shown - offset) / scale).toPrecision(15));
  const show = (value: Value): string =>
    showValue(changed, typeof value === 'number' ? convert(value) : value);
  const inUnit = (text: string): string => (unit === '' ? text : `${text} ${unit}`);
  return {
    unit,
    convert,
    back,
    wanted: (shown) => (plain || stream.type !== 'integer' ? back(shown) : Math.round(back(shown))),
    distance: (stored) => (plain ? stored : Number((stored * Math.abs(scale)).toPrecision(12))),
    value: show,
    reading: (value) => inUnit(show(value)),
    total: (sum, count) => (plain ? sum : Number((sum * scale + offset * count).toPrecision(12))),
    sum: (shown) => inUnit(sumValue(changed, shown)),
    mean: (value) => inUnit(meanValue(stream.type === 'integer' ? stream : changed, convert(value))),
  };
}
