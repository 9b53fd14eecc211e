import {
  I2C,
  measure,
  moduleOf,
  reads,
  SERIAL,
  single,
  type BusStep,
  type Module,
  type PartWay,
  type Steps,
} from './part';

/** Numbers for setting right that the part keeps (26 bytes from 0x88, 7 from 0xE1), then its measurement (8 bytes from 0xF7). */
const PRESSURE_STEPS: readonly BusStep[] = [
  { write: [0xf2, 0x01] },
  { write: [0xf4, 0x25] },
  { waitMs: 15 },
  { write: [0x88] },
  { read: 26 },
  { write: [0xe1] },
  { read: 7 },
  { write: [0xf7] },
  { read: 8 },
];
const FINE: Steps = [
  ['rawT', 'b[36] * 4096.0 + b[37] * 16.0 + (b[38] >> 4)'],
  ['tA', '(rawT / 16384.0 - u16(b[1], b[0]) / 1024.0) * s16(b[3], b[2])'],
  ['tB', 'rawT / 131072.0 - u16(b[1], b[0]) / 8192.0'],
  ['fine', 'tA + tB * tB * s16(b[5], b[4])'],
];
const PRESSURE: Steps = [
  ...FINE,
  ['rawP', 'b[33] * 4096.0 + b[34] * 16.0 + (b[35] >> 4)'],
  ['pA', 'fine / 2.0 - 64000.0'],
  ['pB', 'pA * pA * s16(b[17], b[16]) / 32768.0 + pA * s16(b[15], b[14]) * 2.0'],
  ['pC', 'pB / 4.0 + s16(b[13], b[12]) * 65536.0'],
  ['pD', '(s16(b[11], b[10]) * pA * pA / 524288.0 + s16(b[9], b[8]) * pA) / 524288.0'],
  ['pE', '(1.0 + pD / 32768.0) * u16(b[7], b[6])'],
  ['pF', '(1048576.0 - rawP - pC / 4096.0) * 6250.0 / pE'],
  ['pG', 's16(b[23], b[22]) * pF * pF / 2147483648.0 + pF * s16(b[21], b[20]) / 32768.0'],
];
const HUMIDITY: Steps = [
  ...FINE,
  ['h4', '(s16(b[29], 0) / 16.0) + (b[30] & 15)'],
  ['h5', '(s16(b[31], 0) / 16.0) + (b[30] >> 4)'],
  ['h6', 's16(b[32], 0) / 256.0'],
  ['hA', 'fine - 76800.0'],
  ['hB', 'u16(b[39], b[40]) - (h4 * 64.0 + h5 / 16384.0 * hA)'],
  ['hC', '1.0 + h6 / 67108864.0 * hA * (1.0 + b[28] / 67108864.0 * hA)'],
  ['hD', 'hB * (s16(b[27], b[26]) / 65536.0 * hC)'],
];
const pressure = (steps: Steps, value: string): PartWay => ({
  sort: 'bytes',
  from: { sort: 'i2c', address: 0x76, steps: PRESSURE_STEPS },
  steps,
  value,
});

const carbon = (value: string): PartWay => ({
  sort: 'bytes',
  from: {
    sort: 'i2c',
    address: 0x62,
    steps: [{ write: [0x21, 0xb1] }, { waitMs: 2 }, { write: [0xec, 0x05] }, { waitMs: 2 }, { read: 9 }],
  },
  steps: [],
  value,
});

const dust = (value: string): PartWay => ({
  sort: 'bytes',
  from: { sort: 'serial', speed: 9600, head: [0x42, 0x4d, 0, 28], count: 32, sum: 'sum-16' },
  steps: [],
  value,
});

/** What is in the air. */
export const AIR: readonly Module[] = [
  moduleOf({
    key: 'air-pressure',
    title: 'Air pressure, temperature and humidity over I²C',
    words: 'barometer weather climate altitude height I2C',
    rank: 3,
    shortestS: 1,
    ...I2C,
    looseWords: 'No answer, or a pressure that no place on earth has.',
    measures: [
      measure(
        'temperature',
        'Temperature',
        reads('number', 'Cel', -40, 85, 2),
        pressure(FINE, 'fine / 5120.0'),
        {
          kernel: ['/sys/bus/iio/devices/iio:device*/in_temp_input', 0.001],
        },
      ),
      measure(
        'pressure',
        'Air pressure',
        reads('number', 'hPa', 300, 1100, 1),
        pressure(PRESSURE, '(pF + (pG + s16(b[19], b[18])) / 16.0) / 100.0'),
        {
          loose: 'value < 250 || value > 1200',
          kernel: ['/sys/bus/iio/devices/iio:device*/in_pressure_input', 10],
        },
      ),
      measure(
        'humidity',
        'Humidity',
        reads('number', '%RH', 0, 100, 1),
        pressure(HUMIDITY, 'hD * (1.0 - b[25] * hD / 524288.0)'),
        { kernel: ['/sys/bus/iio/devices/iio:device*/in_humidityrelative_input', 0.001] },
      ),
    ],
  }),
  single({
    key: 'carbon-serial',
    title: 'Carbon dioxide over serial',
    as: 'Carbon dioxide',
    words: 'CO2 air quality room ventilation infrared UART',
    rank: 2,
    shortestS: 5,
    ...SERIAL,
    looseWords: 'No answer, or a wrong sum.',
    stream: reads('integer', 'ppm', 0, 10_000),
    way: {
      sort: 'bytes',
      from: {
        sort: 'serial',
        speed: 9600,
        ask: [0xff, 0x01, 0x86, 0, 0, 0, 0, 0, 0x79],
        head: [0xff, 0x86],
        count: 9,
        sum: 'negated',
      },
      steps: [],
      value: 'u16(b[2], b[3])',
    },
    loose: 'value == 0',
  }),
  moduleOf({
    key: 'carbon-i2c',
    title: 'Carbon dioxide, temperature and humidity over I²C',
    words: 'CO2 air quality room ventilation climate I2C',
    rank: 4,
    shortestS: 5,
    ...I2C,
    looseWords: 'No answer, or 0 ppm.',
    measures: [
      measure('carbon', 'Carbon dioxide', reads('integer', 'ppm', 0, 40_000), carbon('u16(b[0], b[1])'), {
        loose: 'value == 0',
        kernel: ['/sys/bus/iio/devices/iio:device*/in_concentration_co2_raw', 1],
      }),
      measure(
        'temperature',
        'Temperature',
        reads('number', 'Cel', -10, 60, 1),
        carbon('u16(b[3], b[4]) * 175.0 / 65535.0 - 45'),
        {
          loose: 'u16(b[0], b[1]) == 0',
        },
      ),
      measure(
        'humidity',
        'Humidity',
        reads('number', '%RH', 0, 100, 1),
        carbon('u16(b[6], b[7]) * 100.0 / 65535.0'),
        {
          loose: 'u16(b[0], b[1]) == 0',
        },
      ),
    ],
  }),
  moduleOf({
    key: 'dust',
    title: 'Fine dust over serial',
    words: 'particles PM2.5 PM10 smoke air quality UART',
    rank: 5,
    shortestS: 2,
    ...SERIAL,
    looseWords: 'No frame, or a wrong sum.',
    measures: [
      measure('fine', 'Fine dust, 2.5 µm', reads('integer', 'ug/m3', 0, 1000), dust('u16(b[12], b[13])')),
      measure('coarse', 'Dust, 10 µm', reads('integer', 'ug/m3', 0, 1000), dust('u16(b[14], b[15])')),
    ],
  }),
  single({
    key: 'sound-level',
    title: 'Sound level, analog',
    as: 'Sound level',
    words: 'noise loudness microphone analogue decibel',
    pins: [34],
    wiring: [
      ['supply', '3.3 V'],
      ['ground', 'GND'],
      ['signal', 'GPIO {pin}'],
    ],
    looseWords: 'Below 30 dB.',
    stream: reads('number', 'dB', 30, 130, 1),
    // 50 mV a decibel.
    way: { sort: 'analogue', value: 'share * 66' },
    loose: 'value < 25',
  }),
];
