import { PLAIN_STREAM, type Datastream } from '@peatmoor/core';

/** A datastream for tests: the water level of a dipwell, changed as a test needs it. */
export function stream(change: Partial<Datastream> = {}): Datastream {
  return {
    ...PLAIN_STREAM,
    key: 'level',
    title: 'Water level',
    type: 'number',
    unit: 'mm',
    min: -800,
    max: 200,
    rangePolicy: 'refuse',
    decimals: 0,
    direction: 'report',
    pin: null,
    aliases: [],
    ...change,
  };
}
