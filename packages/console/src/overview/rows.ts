import type { Datastream } from '@peatmoor/core';
import type { Kind } from '@peatmoor/contract';

/** Datastreams that a row of the ledger can show: what is measured, without pictures. */
export function inRows(kind: Pick<Kind, 'streams'>): Datastream[] {
  return kind.streams.filter(({ direction, type }) => direction !== 'control' && type !== 'image');
}
