import { Op } from 'sequelize';
import { computingsOf, indexNames, roleIncludes, WIDGETS } from '@peatmoor/core';
import { contains } from '../store/filters';
import type { DeviceEntry } from '../registry';
import type { GrantRow } from '../store/models';
import { listIn } from '../store/rows';
import type { Store } from '../store/store';
import { boardOfRow, shownBy, type ShownRow } from './boards';

/** Datastreams of a device, by the numbers of their rows. */
export type Carried = ReadonlySet<number> | 'all';

/** What a link or some grants carry beyond a role: exactly these datastreams of these devices, and these dashboards. */
export interface Reach {
  devices: ReadonlyMap<number, { streams: Carried; steers: Carried }>;
  dashboards: ReadonlySet<number>;
  /** True where any of it may be steered. */
  steers: boolean;
}

/** What a caller sees: all of the workspace, or what is carried. */
export interface Sight {
  role: 'none' | 'viewer' | 'operator' | 'editor' | 'owner';
  reach: Reach | null;
}

/** True for whoever looks at the whole workspace by their role. */
export const seesAll = ({ role }: Sight): boolean => roleIncludes(role, 'viewer');

/** The rows of the devices that are seen; null for all of the workspace. */
export const devicesSeen = (sight: Sight): number[] | null =>
  seesAll(sight) ? null : [...(sight.reach?.devices.keys() ?? [])];

export const seesDevice = (sight: Sight, rowId: number): boolean =>
  seesAll(sight) || (sight.reach?.devices.has(rowId) ?? false);

/** Datastreams of a device that are seen. */
export function streamsSeen(sight: Sight, rowId: number): Carried {
  return seesAll(sight) ? 'all' : (sight.reach?.devices.get(rowId)?.streams ?? NOTHING);
}
const NOTHING: ReadonlySet<number> = new Set();

export const carries = (carried: Carried, streamId: number): boolean =>
  carried === 'all' || carried.has(streamId);

/** True where a datastream may be steered: by the role, or because that is granted. */
export function maySteer(sight: Sight, rowId: number, streamId: number): boolean {
  if (roleIncludes(sight.role, 'operator')) return true;
  const device = sight.reach?.devices.get(rowId);
  return device !== undefined && carries(device.steers, streamId);
}

/** A device with only what is seen of it: every name that is not carried is as if it were not there. */
export function narrowed(sight: Sight, entry: DeviceEntry): DeviceEntry {
  const seen = streamsSeen(sight, entry.rowId);
  if (seen === 'all') return entry;
  const streams = entry.streams.filter(({ streamId }) => seen.has(streamId));
  return { ...entry, streams, names: indexNames(streams), computed: computingsOf(streams) };
}

/** True where the whole device is seen, its place, notes and firmware too. */
export const seesWhole = (sight: Sight, rowId: number): boolean => streamsSeen(sight, rowId) === 'all';

/** What shown datastreams carry; nothing of it may be steered. */
export function reachOf(shown: readonly Pick<ShownRow, 'deviceRowId' | 'streamId'>[]): Reach {
  const devices = new Map<number, { streams: Set<number>; steers: Set<number> }>();
  for (const { deviceRowId, streamId } of shown) {
    const one = devices.get(deviceRowId) ?? { streams: new Set(), steers: new Set() };
    one.streams.add(streamId);
    devices.set(deviceRowId, one);
  }
  return { devices, dashboards: new Set(), steers: false };
}

/** All that is granted to somebody in a workspace; null for nothing. */
export async function reachOfGrants(
  store: Store,
  workspaceId: number,
  userId: number,
): Promise<Reach | null> {
  const grants = await listIn(store.models.grants, workspaceId, { where: { userId } });
  if (grants.length === 0) return null;
  const devices = new Map<number, { streams: Carried; steers: Carried }>();
  const dashboards = new Set<number>();
  const add = (rowId: number, streams: Carried, steers: Carried): void => {
    const before = devices.get(rowId) ?? { streams: NOTHING, steers: NOTHING };
    devices.set(rowId, { streams: both(before.streams, streams), steers: both(before.steers, steers) });
  };
  const boards = await listIn(store.models.dashboards, workspaceId, {
    where: { id: grants.flatMap(({ dashboardId }) => dashboardId ?? []) },
  });
  const labels = grants.flatMap(({ label }) => label ?? []);
  const labelled =
    labels.length === 0
      ? []
      : await listIn(store.models.devices, workspaceId, {
          where: {
            [Op.or]: labels.map((label) => ({ labels: contains(JSON.stringify(label)) })),
          } as never,
          attributes: ['rowId', 'labels'],
        });
  for (const grant of grants) {
    const steers: Carried = grant.role === 'operator' ? 'all' : NOTHING;
    if (grant.sort === 'device') add(grant.deviceRowId!, 'all', steers);
    else if (grant.sort === 'label') {
      for (const { rowId, labels } of labelled) if (labels.includes(grant.label!)) add(rowId, 'all', steers);
    } else await addBoard(grant);
  }
  return { devices, dashboards, steers: grants.some(({ role }) => role === 'operator') };

  async function addBoard({ dashboardId, role }: GrantRow): Promise<void> {
    const row = boards.find(({ id }) => id === dashboardId);
    if (row === undefined) return;
    dashboards.add(row.id);
    const board = boardOfRow(row);
    for (const { deviceRowId, streamId } of await shownBy(store, workspaceId, board, {
      counts: ({ type }) => WIDGETS[type].mostSources > 0,
    }))
      add(deviceRowId, new Set([streamId]), NOTHING);
    if (role !== 'operator') return;
    // Exactly what its controls steer.
    for (const { deviceRowId, streamId } of await shownBy(store, workspaceId, board, {
      counts: ({ type }) => WIDGETS[type].controls,
    }))
      add(deviceRowId, NOTHING, new Set([streamId]));
  }
}

function both(a: Carried, b: Carried): Carried {
  return a === 'all' || b === 'all' ? 'all' : new Set([...a, ...b]);
}
