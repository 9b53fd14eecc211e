/** A unit of the SenML registry (RFC 8428 §12.1, RFC 8798) as people write and search it. */
export interface Unit {
  /** The registry's code, as stored. */
  code: string;
  /** As people write it. */
  shown: string;
  /** What it measures, in plain words, for searching. */
  quantity: string;
}

const unit = (code: string, shown: string, quantity: string): Unit => ({ code, shown, quantity });

/** Units offered when a datastream is made, the most usual first. */
export const UNITS: readonly Unit[] = [
  unit('Cel', '°C', 'temperature'),
  unit('%RH', '% RH', 'relative humidity'),
  unit('mm', 'mm', 'length, water level, rain'),
  unit('m', 'm', 'length'),
  unit('cm', 'cm', 'length'),
  unit('km', 'km', 'length, distance'),
  unit('%', '%', 'share, opening, charge'),
  unit('V', 'V', 'voltage'),
  unit('mV', 'mV', 'voltage'),
  unit('A', 'A', 'current'),
  unit('mA', 'mA', 'current'),
  unit('W', 'W', 'power'),
  unit('kW', 'kW', 'power'),
  unit('Wh', 'Wh', 'energy'),
  unit('kWh', 'kWh', 'energy'),
  unit('hPa', 'hPa', 'air pressure'),
  unit('Pa', 'Pa', 'pressure'),
  unit('bar', 'bar', 'pressure'),
  unit('lx', 'lx', 'illuminance, light'),
  unit('W/m2', 'W/m²', 'irradiance, sun'),
  unit('ppm', 'ppm', 'concentration, carbon dioxide'),
  unit('ug/m3', 'µg/m³', 'concentration, fine dust'),
  unit('pH', 'pH', 'acidity'),
  unit('S/m', 'S/m', 'conductivity'),
  unit('mS/m', 'mS/m', 'conductivity'),
  unit('kg', 'kg', 'mass'),
  unit('g', 'g', 'mass'),
  unit('l', 'l', 'volume'),
  unit('m3', 'm³', 'volume'),
  unit('l/s', 'l/s', 'flow'),
  unit('m3/s', 'm³/s', 'flow'),
  unit('mm/h', 'mm/h', 'rain rate'),
  unit('m/s', 'm/s', 'speed, wind'),
  unit('km/h', 'km/h', 'speed'),
  unit('m/s2', 'm/s²', 'acceleration'),
  unit('deg', '°', 'angle, direction'),
  unit('rad', 'rad', 'angle'),
  unit('Hz', 'Hz', 'frequency'),
  unit('1/min', '1/min', 'rate, turns'),
  unit('beat/min', 'beat/min', 'heart rate'),
  unit('dB', 'dB', 'level, sound'),
  unit('dBm', 'dBm', 'signal strength'),
  unit('s', 's', 'time'),
  unit('ms', 'ms', 'time'),
  unit('min', 'min', 'time'),
  unit('h', 'h', 'time'),
  unit('d', 'd', 'time'),
  unit('count', '', 'count'),
  unit('/', '', 'ratio'),
  unit('EL', '% bat', 'battery level'),
  unit('EM', 's bat', 'battery time left'),
  unit('K', 'K', 'temperature'),
  unit('N', 'N', 'force'),
  unit('J', 'J', 'energy'),
  unit('C', 'C', 'charge'),
  unit('Ohm', 'Ω', 'resistance'),
  unit('F', 'F', 'capacitance'),
  unit('H', 'H', 'inductance'),
  unit('T', 'T', 'magnetic flux density'),
  unit('lm', 'lm', 'light output'),
  unit('cd', 'cd', 'light intensity'),
  unit('Bq', 'Bq', 'radioactivity'),
  unit('VA', 'VA', 'apparent power'),
  unit('var', 'var', 'reactive power'),
  unit('B', 'B', 'amount of data'),
  unit('bit/s', 'bit/s', 'data rate'),
  unit('lat', '° lat', 'latitude'),
  unit('lon', '° lon', 'longitude'),
];

const byCode = new Map(UNITS.map((entry) => [entry.code, entry]));

/** The unit of a registry code, or undefined where the code is not known. */
export function unitOf(code: string): Unit | undefined {
  return byCode.get(code);
}

/** The unit as people write it; an empty text for none. */
export function showUnit(code: string | null): string {
  return code === null ? '' : (byCode.get(code)?.shown ?? code);
}
