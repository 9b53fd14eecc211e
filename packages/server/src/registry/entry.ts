import { group, index } from 'd3-array';
import {
  computingsOf,
  indexNames,
  orderSteps,
  shownSteps,
  type CalibrationStep,
  type Computing,
  type Datastream,
  type NameIndex,
  type Proof,
  type Value,
} from '@peatmoor/core';
import type { CalibrationRow, DeviceRow, KindRow, SeriesRow, StreamRow } from '../store/models';
import { findAll } from '../store/rows';
import { writeMany, type Store } from '../store/store';

/** A datastream of one device, with the number of its series. */
export interface DeviceStream extends Datastream {
  streamId: number;
  seriesId: number;
  /** How kept values become shown ones on this device, in order of time: made right, and in the unit that is shown. */
  calibrations: CalibrationStep[];
  /** The same without the unit. */
  keptSteps: CalibrationStep[];
}

/** All that the way of a reading needs to know about a device, kept in memory. */
export interface DeviceEntry {
  rowId: number;
  workspaceId: number;
  id: string;
  name: string;
  kindId: number;
  kindTitle: string;
  intervalS: number;
  streams: DeviceStream[];
  names: NameIndex<DeviceStream>;
  /** Its computed datastreams that can be worked out. */
  computed: { stream: DeviceStream; computing: Computing }[];
  proof: Proof;
  lastSeenAt: number | null;
  acceptNew: boolean;
  gatewayRowId: number | null;
  serial: string | null;
  labels: readonly string[];
  /** What its board said that it keeps of controls by itself; null where it never said so. */
  keeps: string | null;
}

interface Surroundings {
  /** The entry as it was known before, whose times in memory may be later than those written down. */
  before(rowId: number): DeviceEntry | undefined;
  /** Told the newest reading of each series. */
  onNewest(seriesId: number, at: number, value: Value): void;
}

/** Reads devices with all that belongs to them: a few queries, however many they are. */
export async function readDevices(
  store: Store,
  rowIds: readonly number[],
  { before, onNewest }: Surroundings,
): Promise<Map<number, DeviceEntry>> {
  const { models } = store;
  const devices = await findAll(models.devices, { where: { rowId: [...rowIds] } });
  const result = new Map<number, DeviceEntry>();
  if (devices.length === 0) return result;
  const kindIds = [...new Set(devices.map(({ kindId }) => kindId))];
  const kinds = index(await findAll(models.kinds, { where: { id: kindIds } }), ({ id }) => id);
  const streams = group(
    await findAll(models.streams, { where: { kindId: kindIds }, order: ['id'] }),
    ({ kindId }) => kindId,
  );
  const series = group(await ensureSeries(store, devices, streams), ({ deviceRowId }) => deviceRowId);
  for (const rows of series.values())
    for (const row of rows)
      if (row.newestAt !== null) onNewest(row.id, row.newestAt, row.newestOther ?? row.newestValue ?? 0);
  const calibrations = group(
    await findAll(models.calibrations, {
      where: { deviceRowId: devices.map(({ rowId }) => rowId) },
      order: ['id'],
    }),
    ({ deviceRowId }) => deviceRowId,
  );
  for (const device of devices) {
    const { rowId, kindId } = device;
    const entry = makeEntry(
      device,
      kinds.get(kindId)!,
      streamsOf(streams.get(kindId) ?? [], series.get(rowId) ?? [], calibrations.get(rowId) ?? []),
    );
    entry.lastSeenAt = Math.max(device.lastSeenAt ?? 0, before(rowId)?.lastSeenAt ?? 0) || null;
    result.set(rowId, entry);
  }
  return result;
}

/** The datastreams of a device, each with its series and how its values are made right. */
function streamsOf(
  rows: readonly StreamRow[],
  series: readonly SeriesRow[],
  calibrations: readonly CalibrationRow[],
): DeviceStream[] {
  const seriesOf = new Map(series.map(({ id, streamId }) => [streamId, id]));
  return rows.map((row) => {
    const keptSteps = orderSteps(
      calibrations
        .filter(({ streamId }) => streamId === row.id)
        .map(({ fromAt, calibration }) => ({ from: fromAt, calibration })),
    );
    return {
      ...row,
      streamId: row.id,
      seriesId: seriesOf.get(row.id)!,
      keptSteps,
      calibrations: shownSteps(row, keptSteps),
    };
  });
}

function makeEntry(device: DeviceRow, kind: KindRow, streams: DeviceStream[]): DeviceEntry {
  const { rowId, workspaceId, id, name, proof, lastSeenAt, gatewayRowId, serial, labels, about } = device;
  return {
    rowId,
    workspaceId,
    id,
    name,
    kindId: kind.id,
    kindTitle: kind.title,
    intervalS: kind.intervalS,
    streams,
    names: indexNames(streams),
    computed: computingsOf(streams),
    proof,
    acceptNew: kind.acceptNew,
    gatewayRowId,
    serial,
    labels,
    lastSeenAt,
    keeps: about.keeps ?? null,
  };
}

/** The series of devices; those that are missing are made. */
async function ensureSeries(
  store: Store,
  devices: readonly DeviceRow[],
  streams: ReadonlyMap<number, readonly StreamRow[]>,
): Promise<SeriesRow[]> {
  const find = (): Promise<SeriesRow[]> =>
    findAll(store.models.series, { where: { deviceRowId: devices.map(({ rowId }) => rowId) } });
  const found = await find();
  const there = new Set(found.map(({ deviceRowId, streamId }) => `${deviceRowId}:${streamId}`));
  const missing = devices.flatMap(({ workspaceId, rowId, kindId }) =>
    (streams.get(kindId) ?? [])
      .filter(({ id }) => !there.has(`${rowId}:${id}`))
      .map(({ id }) => [workspaceId, rowId, id]),
  );
  if (missing.length === 0) return found;
  await writeMany(
    store,
    'INSERT IGNORE INTO series (workspaceId, deviceRowId, streamId) VALUES (?, ?, ?)',
    missing,
  );
  return find();
}
