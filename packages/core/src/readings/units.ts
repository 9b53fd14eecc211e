/** A unit of the SenML registry (RFC 8428 §12.1, RFC 8798) as people write and search it. */
export interface Unit {
  /** The registry's code, as stored. */
  code: string;
  /** As people write it. */
  shown: string;
  /** What it measures, in plain words, for searching. */
  quantity: string;
  /** The unit that others of the same quantity are converted through. */
  base: string;
  /** base value = value × scale + offset. */
  scale: number;
  offset: number;
}

/** A unit that is its own base, or `scale` of another (RFC 8798: secondary units). */
const unit = (
  code: string,
  shown: string,
  quantity: string,
  base: string = code,
  scale = 1,
  offset = 0,
): Unit => ({ code, shown, quantity, base, scale, offset });

/** Units offered when a datastream is made, the most usual first. */
export const UNITS: readonly Unit[] = [
  unit('Cel', '°C', 'temperature'),
  unit('%RH', '% RH', 'relative humidity'),
  unit('mm', 'mm', 'length, water level, rain', 'm', 0.001),
  unit('m', 'm', 'length'),
  unit('cm', 'cm', 'length', 'm', 0.01),
  unit('km', 'km', 'length, distance', 'm', 1000),
  unit('%', '%', 'share, opening, charge', '/', 0.01),
  unit('V', 'V', 'voltage'),
  unit('mV', 'mV', 'voltage', 'V', 0.001),
  unit('A', 'A', 'current'),
  unit('mA', 'mA', 'current', 'A', 0.001),
  unit('W', 'W', 'power'),
  unit('kW', 'kW', 'power', 'W', 1000),
  unit('Wh', 'Wh', 'energy', 'J', 3600),
  unit('kWh', 'kWh', 'energy', 'J', 3_600_000),
  unit('hPa', 'hPa', 'air pressure', 'Pa', 100),
  unit('Pa', 'Pa', 'pressure'),
  unit('dBm', 'dBm', 'signal strength', 'dBW', 1, -30),
  unit('dBW', 'dBW', 'power level'),
  unit('lx', 'lx', 'illuminance, light'),
  unit('W/m2', 'W/m²', 'irradiance, sun'),
  unit('ppm', 'ppm', 'concentration, carbon dioxide', '/', 1e-6),
  unit('ug/m3', 'µg/m³', 'concentration, fine dust', 'kg/m3', 1e-9),
  unit('kg/m3', 'kg/m³', 'density'),
  unit('pH', 'pH', 'acidity'),
  unit('S/m', 'S/m', 'conductivity'),
  unit('mS/m', 'mS/m', 'conductivity', 'S/m', 0.001),
  unit('kg', 'kg', 'mass'),
  unit('g', 'g', 'mass', 'kg', 0.001),
  unit('l', 'l', 'volume', 'm3', 0.001),
  unit('m3', 'm³', 'volume'),
  unit('m2', 'm²', 'area'),
  unit('l/s', 'l/s', 'flow', 'm3/s', 0.001),
  unit('m3/s', 'm³/s', 'flow'),
  unit('m/h', 'm/h', 'speed', 'm/s', 1 / 3600),
  unit('mm/h', 'mm/h', 'rain rate', 'm/s', 0.001 / 3600),
  unit('m/s', 'm/s', 'speed, wind'),
  unit('km/h', 'km/h', 'speed', 'm/s', 1 / 3.6),
  unit('m/s2', 'm/s²', 'acceleration'),
  unit('deg', '°', 'angle, direction', 'rad', Math.PI / 180),
  unit('rad', 'rad', 'angle'),
  unit('rad/s', 'rad/s', 'turning rate'),
  unit('sr', 'sr', 'solid angle'),
  unit('Hz', 'Hz', 'frequency'),
  unit('MHz', 'MHz', 'frequency', 'Hz', 1e6),
  unit('1/s', '1/s', 'rate'),
  unit('1/min', '1/min', 'rate, turns', '1/s', 1 / 60),
  unit('beat/min', 'beat/min', 'heart rate'),
  unit('beats', '', 'heart beats counted'),
  unit('dB', 'dB', 'level'),
  unit('Bspl', 'B', 'sound pressure level'),
  unit('s', 's', 'time'),
  unit('ms', 'ms', 'time', 's', 0.001),
  unit('min', 'min', 'time', 's', 60),
  unit('h', 'h', 'time', 's', 3600),
  unit('count', '', 'count'),
  unit('/', '', 'ratio'),
  unit('%EL', '% bat', 'battery level'),
  unit('EL', 's bat', 'battery time left'),
  unit('K', 'K', 'temperature', 'Cel', 1, -273.15),
  unit('N', 'N', 'force'),
  unit('J', 'J', 'energy'),
  unit('C', 'C', 'charge'),
  unit('Ah', 'Ah', 'charge, battery capacity', 'C', 3600),
  unit('Ohm', 'Ω', 'resistance'),
  unit('F', 'F', 'capacitance'),
  unit('H', 'H', 'inductance'),
  unit('Wb', 'Wb', 'magnetic flux'),
  unit('T', 'T', 'magnetic flux density'),
  unit('lm', 'lm', 'light output'),
  unit('cd', 'cd', 'light intensity'),
  unit('cd/m2', 'cd/m²', 'luminance'),
  unit('Bq', 'Bq', 'radioactivity'),
  unit('Gy', 'Gy', 'absorbed dose'),
  unit('Sv', 'Sv', 'dose'),
  unit('S', 'S', 'conductance'),
  unit('kat', 'kat', 'catalytic activity'),
  unit('mol', 'mol', 'amount of substance'),
  unit('VA', 'VA', 'apparent power'),
  unit('kVA', 'kVA', 'apparent power', 'VA', 1000),
  unit('VAs', 'VAs', 'apparent energy'),
  unit('VAh', 'VAh', 'apparent energy', 'VAs', 3600),
  unit('kVAh', 'kVAh', 'apparent energy', 'VAs', 3_600_000),
  unit('var', 'var', 'reactive power'),
  unit('kvar', 'kvar', 'reactive power', 'var', 1000),
  unit('vars', 'vars', 'reactive energy'),
  unit('varh', 'varh', 'reactive energy', 'vars', 3600),
  unit('kvarh', 'kvarh', 'reactive energy', 'vars', 3_600_000),
  unit('J/m', 'J/m', 'energy per length'),
  unit('Wh/km', 'Wh/km', 'energy per distance', 'J/m', 3.6),
  unit('KiB', 'KiB', 'amount of data', 'B', 1024),
  unit('GB', 'GB', 'amount of data', 'B', 1e9),
  unit('B', 'B', 'amount of data'),
  unit('bit', 'bit', 'amount of data', 'B', 0.125),
  unit('bit/s', 'bit/s', 'data rate'),
  unit('Mbit/s', 'Mbit/s', 'data rate', 'bit/s', 1e6),
  unit('B/s', 'B/s', 'data rate', 'bit/s', 8),
  unit('MB/s', 'MB/s', 'data rate', 'bit/s', 8e6),
  unit('NTU', 'NTU', 'turbidity'),
  unit('lat', '° lat', 'latitude'),
  unit('lon', '° lon', 'longitude'),
  unit('/100', '%', 'share', '/', 0.01),
  unit('/1000', '‰', 'share', '/', 0.001),
  unit('ppb', 'ppb', 'concentration', '/', 1e-9),
];

const byCode = new Map(UNITS.map((entry) => [entry.code, entry]));
/** Spellings that people and boards use for a registry code. */
const SPELLINGS = new Map(UNITS.filter(({ shown }) => shown !== '').map(({ shown, code }) => [shown, code]));

/** The unit of a registry code, or undefined where the code is not known. */
export function unitOf(code: string): Unit | undefined {
  return byCode.get(code);
}

/** What may be a unit of a maker's own: a few letters and signs, such as rpm or µS/cm. */
const OWN_UNIT = /^[\p{L}\p{N}\p{S}%°'"/·*^_.-]{1,16}$/u;

/** A unit as it is kept: the registry's code for what people write (°C is Cel), or one of a maker's own as it is. */
export function readUnit(text: string): string | null {
  const plain = text.trim();
  if (byCode.has(plain)) return plain;
  return SPELLINGS.get(plain) ?? (OWN_UNIT.test(plain) ? plain : null);
}

/** The unit as people write it; an empty text for none. */
export function showUnit(code: string | null): string {
  return code === null ? '' : (byCode.get(code)?.shown ?? code);
}

/**
 * Converts a value to another unit of the same quantity. Undefined where the units measure different quantities, or
 * one is not known. The result is rounded to twelve significant digits, so that 21.5 °C stays 21.5 by way of K.
 */
export function convertUnit(value: number, from: string, to: string): number | undefined {
  const source = byCode.get(from) ?? byCode.get(SPELLINGS.get(from) ?? '');
  const target = byCode.get(to);
  if (source === undefined || target === undefined || source.base !== target.base) return undefined;
  if (source.code === target.code) return value;
  return Number(((value * source.scale + source.offset - target.offset) / target.scale).toPrecision(12));
}

/** How values of one unit become those of another: value × scale + offset. */
export interface UnitLine {
  scale: number;
  offset: number;
}

/** The line between two units of the same quantity; null where they measure different ones, or one is not known. */
export function lineBetween(from: string, to: string): UnitLine | null {
  const source = byCode.get(from);
  const target = byCode.get(to);
  if (source === undefined || target === undefined || source.base !== target.base) return null;
  const exact = (value: number): number => Number(value.toPrecision(15));
  return {
    scale: exact(source.scale / target.scale),
    offset: exact((source.offset - target.offset) / target.scale),
  };
}

/** How a person wants values shown: as they are stored, or in the units usual in the USA. */
export const UNIT_SYSTEMS = ['metric', 'imperial'] as const;
export type UnitSystem = (typeof UNIT_SYSTEMS)[number];

interface Imperial {
  shown: string;
  scale: number;
  offset: number;
}

const IMPERIAL = new Map<string, Imperial>([
  ['Cel', { shown: '°F', scale: 1.8, offset: 32 }],
  ['mm', { shown: 'in', scale: 1 / 25.4, offset: 0 }],
  ['cm', { shown: 'in', scale: 1 / 2.54, offset: 0 }],
  ['m', { shown: 'ft', scale: 1 / 0.3048, offset: 0 }],
  ['km', { shown: 'mi', scale: 1 / 1.609344, offset: 0 }],
  ['m/s', { shown: 'mph', scale: 1 / 0.44704, offset: 0 }],
  ['km/h', { shown: 'mph', scale: 1 / 1.609344, offset: 0 }],
  ['mm/h', { shown: 'in/h', scale: 1 / 25.4, offset: 0 }],
  ['kg', { shown: 'lb', scale: 1 / 0.45359237, offset: 0 }],
  ['g', { shown: 'oz', scale: 1 / 28.349523125, offset: 0 }],
  ['l', { shown: 'gal', scale: 1 / 3.785411784, offset: 0 }],
  ['hPa', { shown: 'inHg', scale: 1 / 33.8638866667, offset: 0 }],
]);

/** How a stored unit is shown to a person of a unit system: shown value = value × scale + offset. */
export function displayUnit(code: string | null, system: UnitSystem): Imperial {
  const imperial = system === 'imperial' && code !== null ? IMPERIAL.get(code) : undefined;
  return imperial ?? { shown: showUnit(code), scale: 1, offset: 0 };
}
