import type { NewStream } from '@peatmoor/contract';

/** A datastream before anything is said about it. */
export const EMPTY_STREAM: NewStream = {
  key: '',
  title: '',
  type: 'number',
  unit: null,
  min: null,
  max: null,
  rangePolicy: 'refuse',
  decimals: null,
  direction: 'report',
  pin: null,
  aliases: [],
};
