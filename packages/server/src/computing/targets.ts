import type { Computing } from '@peatmoor/core';
import type { DeviceEntry, DeviceStream, Registry } from '../registry';
import { findAll } from '../store/rows';
import type { Store } from '../store/store';

/** A computed datastream of one device. */
export interface Target {
  entry: DeviceEntry;
  stream: DeviceStream;
  computing: Computing;
  /** The datastreams it reads. */
  inputs: DeviceStream[];
}

/** The computed datastreams of a device. */
export function targetsOf(entry: DeviceEntry): Target[] {
  return entry.computed.map(({ stream, computing }) => ({
    entry,
    stream,
    computing,
    inputs: entry.streams.filter(({ key }) => computing.inputs.includes(key)),
  }));
}

/** Computed datastreams of all devices of some workspaces, by the series that they read. */
export async function allTargets(
  store: Store,
  registry: Registry,
  isMine: (workspaceId: number) => boolean,
): Promise<Map<number, Target[]>> {
  const rows = await store.withConnection(
    async (connection) =>
      (await connection.query('SELECT DISTINCT kindId FROM streams WHERE computation IS NOT NULL')) as {
        kindId: number;
      }[],
  );
  const result = new Map<number, Target[]>();
  if (rows.length === 0) return result;
  const devices = await findAll(store.models.devices, {
    where: { kindId: rows.map(({ kindId }) => kindId) },
    attributes: ['rowId'],
  });
  for (const entry of (await registry.load(devices.map(({ rowId }) => rowId))).values()) {
    if (!isMine(entry.workspaceId)) continue;
    for (const target of targetsOf(entry))
      for (const { seriesId } of target.inputs)
        result.set(seriesId, [...(result.get(seriesId) ?? []), target]);
  }
  return result;
}
