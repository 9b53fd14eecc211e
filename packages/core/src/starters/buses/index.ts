import type { Bus } from '../../parts/index';
import type { BusCode } from './bus';
import { i2c } from './i2c';
import { serial } from './serial';
import { clocked, dataWire, oneWire, spi } from './wires';

const BUSES: { [S in Bus['sort']]: BusCode<Extract<Bus, { sort: S }>> } = {
  'data-wire': dataWire,
  'one-wire': oneWire,
  i2c,
  spi,
  serial,
  clocked,
};
/** The code of a bus. */
export const busCode = (bus: Bus): BusCode<Bus> => BUSES[bus.sort] as BusCode<Bus>;
