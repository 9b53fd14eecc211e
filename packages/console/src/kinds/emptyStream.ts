import { PLAIN_STREAM } from '@peatmoor/core';
import type { NewStream } from '@peatmoor/contract';

/** A datastream before anything is said about it. */
export const EMPTY_STREAM: NewStream = { ...PLAIN_STREAM, key: '', title: '', unconfirmed: false };
