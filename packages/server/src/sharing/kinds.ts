import type { Kind } from '@peatmoor/contract';
import { listIn } from '../store/rows';
import type { Store } from '../store/store';
import { carries, devicesSeen, streamsSeen, type Carried, type Sight } from './reach';

/** What is seen of the kinds of a workspace: datastreams and devices of each; null for all of it. */
export type KindsSeen = ReadonlyMap<number, { streams: Carried; devices: number }> | null;

/** What a caller sees of kinds: what they see of their devices. */
export async function kindsSeen(store: Store, sight: Sight & { workspaceId: number }): Promise<KindsSeen> {
  const rowIds = devicesSeen(sight);
  if (rowIds === null) return null;
  const seen = new Map<number, { streams: Carried; devices: number }>();
  const devices = await listIn(store.models.devices, sight.workspaceId, {
    where: { rowId: rowIds },
    attributes: ['rowId', 'kindId'],
  });
  for (const { rowId, kindId } of devices) {
    const before = seen.get(kindId) ?? { streams: new Set<number>(), devices: 0 };
    const streams = streamsSeen(sight, rowId);
    seen.set(kindId, {
      streams:
        streams === 'all' || before.streams === 'all' ? 'all' : new Set([...before.streams, ...streams]),
      devices: before.devices + 1,
    });
  }
  return seen;
}

/** A kind with only what is seen of it. */
export function narrowedKind(seen: KindsSeen, kind: Kind): Kind {
  const one = seen?.get(kind.id);
  if (one === undefined || seen === null) return kind;
  if (one.streams === 'all') return { ...kind, devices: one.devices };
  return {
    ...kind,
    notes: '',
    devices: one.devices,
    streams: kind.streams.filter(({ id }) => carries(one.streams, id)),
  };
}
