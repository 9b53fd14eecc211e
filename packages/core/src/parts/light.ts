import { I2C, reads, single, WIRES, type Module } from './part';

/** Light and sun. */
export const LIGHT: readonly Module[] = [
  single({
    key: 'photoresistor',
    title: 'Photoresistor',
    as: 'Light',
    words: 'light brightness dark day',
    rank: 1,
    pins: [34],
    wiring: WIRES.divider,
    stream: reads('number', '%', 0, 100, 0),
    way: { sort: 'analogue', value: 'share * 100' },
  }),
  single({
    key: 'light-lux',
    title: 'Light in lux over I²C',
    as: 'Light',
    words: 'brightness illuminance sun day dark I2C',
    rank: 2,
    ...I2C,
    looseWords: 'No answer.',
    stream: reads('number', 'lx', 0, 65_535, 0),
    way: {
      sort: 'bytes',
      from: { sort: 'i2c', address: 0x23, steps: [{ write: [0x20] }, { waitMs: 180 }, { read: 2 }] },
      steps: [],
      value: 'u16(b[0], b[1]) / 1.2',
    },
    kernel: ['/sys/bus/iio/devices/iio:device*/in_illuminance_raw', 1 / 1.2],
  }),
];
