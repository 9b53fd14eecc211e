import { ENDS, I2C, measure, moduleOf, reads, single, WIRES, type Module, type PartWay } from './part';

const temperature = (min: number, max: number, decimals = 1) => reads('number', 'Cel', min, max, decimals);

const climate = (value: string): PartWay => ({
  sort: 'bytes',
  from: { sort: 'data-wire' },
  steps: [],
  value,
});

const infrared = (register: number): PartWay => ({
  sort: 'bytes',
  from: { sort: 'i2c', address: 0x5a, steps: [{ write: [register] }, { read: 3 }] },
  steps: [],
  value: 'u16(b[1], b[0]) * 0.02 - 273.15',
});

const thermocouple = (value: string): PartWay => ({
  sort: 'bytes',
  from: { sort: 'spi', count: 4 },
  steps: [],
  value,
});

/** Temperature, and humidity with it. */
export const WARMTH: readonly Module[] = [
  moduleOf({
    key: 'climate-wire',
    title: 'Temperature and humidity on one data wire',
    words: 'air room climate moisture sensor greenhouse',
    rank: 1,
    shortestS: 2,
    pins: [4],
    wiring: [...WIRES.three, ['10 kΩ from GPIO {pin}', '3.3 V']],
    looseWords: 'No answer, or a wrong sum.',
    measures: [
      measure(
        'temperature',
        'Temperature',
        temperature(-40, 80),
        climate('(1 - 2 * (b[2] >> 7)) * u16(b[2] & 127, b[3]) / 10.0'),
        {
          kernel: ['/sys/bus/iio/devices/iio:device*/in_temp_input', 0.001],
        },
      ),
      measure('humidity', 'Humidity', reads('number', '%RH', 0, 100, 1), climate('u16(b[0], b[1]) / 10.0'), {
        kernel: ['/sys/bus/iio/devices/iio:device*/in_humidityrelative_input', 0.001],
      }),
    ],
  }),
  single({
    key: 'temperature-probe',
    title: 'Temperature probe on a one-wire bus',
    as: 'Temperature',
    words: 'digital waterproof steel several on one pin',
    rank: 2,
    shortestS: 1,
    pins: [4],
    shared: true,
    wiring: [...WIRES.three, ['4.7 kΩ from GPIO {pin}', '3.3 V']],
    looseWords: 'No answer, 85 °C right after power came back, or −127 °C.',
    stream: temperature(-55, 125, 2),
    way: { sort: 'bytes', from: { sort: 'one-wire' }, steps: [], value: 's16(b[1], b[0]) / 16.0' },
    // 85 is what the probe holds before it has measured.
    loose: 'value == 85 || value < -55',
    kernel: ['/sys/bus/w1/devices/28-*/temperature', 0.001],
  }),
  single({
    key: 'thermistor',
    title: 'Thermistor, 10 kΩ',
    as: 'Temperature',
    words: 'temperature NTC bead probe',
    rank: 3,
    pins: [34],
    wiring: WIRES.divider,
    looseWords: 'The lowest or the highest there is.',
    stream: temperature(-40, 125),
    way: { sort: 'analogue', value: '1 / (log((1 - share) / share) / 3950 + 1 / 298.15) - 273.15' },
    loose: ENDS,
  }),
  single({
    key: 'analogue-temperature',
    title: 'Analog temperature sensor, 10 mV a degree',
    as: 'Temperature',
    words: 'analogue temperature proportional celsius',
    rank: 4,
    pins: [34],
    wiring: WIRES.three,
    looseWords: 'Near 0 °C, or far above 150 °C.',
    stream: temperature(2, 150),
    way: { sort: 'analogue', value: 'share * 330' },
    loose: 'value > 160 || share < 0.004',
  }),
  moduleOf({
    key: 'thermocouple',
    title: 'Thermocouple amplifier over SPI',
    words: 'temperature oven kiln high heat furnace',
    rank: 6,
    shortestS: 1,
    pins: [18, 19, 5],
    wiring: [
      ['supply', '3.3 V'],
      ['ground', 'GND'],
      ['clock', 'GPIO {pin}'],
      ['data out', 'GPIO {pin2}'],
      ['chip select', 'GPIO {pin3}'],
    ],
    looseWords: 'The amplifier says so itself: open, or shorted.',
    measures: [
      measure(
        'temperature',
        'Temperature',
        temperature(-200, 1350, 2),
        thermocouple('s16(b[0], b[1] & 252) / 16.0'),
        {
          loose: '(b[1] & 1) == 1',
          kernel: ['/sys/bus/iio/devices/iio:device*/in_temp0_raw', 0.25],
        },
      ),
      measure(
        'inside',
        'Temperature of the amplifier',
        temperature(-55, 125, 2),
        thermocouple('s16(b[2], b[3] & 240) / 256.0'),
      ),
    ],
  }),
  moduleOf({
    key: 'infrared-thermometer',
    title: 'Infrared thermometer',
    words: 'temperature surface without touching object contactless I2C',
    rank: 7,
    ...I2C,
    looseWords: 'No answer, or its highest bit set.',
    measures: [
      measure('object', 'Temperature of the surface', temperature(-70, 380), infrared(7), {
        loose: 'b[1] > 127',
        kernel: ['/sys/bus/iio/devices/iio:device*/in_temp_object_raw', 0.02, -273.15],
      }),
      measure('around', 'Temperature around it', temperature(-40, 125), infrared(6), {
        loose: 'b[1] > 127',
        kernel: ['/sys/bus/iio/devices/iio:device*/in_temp_ambient_raw', 0.02, -273.15],
      }),
    ],
  }),
];
