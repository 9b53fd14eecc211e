import { isControllable, presenceOf } from '@peatmoor/core';
import type { Device } from '@peatmoor/contract';
import { now as clockNow } from '../clock';
import { describeHas, readHas } from '../commands/boardHas';
import { newestOf } from '../history/newest';
import { notFound } from '../problems';
import type { DeviceEntry } from '../registry';
import { narrowed, seesAll, seesDevice, seesWhole } from '../sharing/reach';
import type { DeviceRow } from '../store/models';
import { listIn, oneIn } from '../store/rows';
import type { ApiParts } from './context';
import type { Scope } from './scope';

type Parts = Pick<ApiParts, 'store' | 'registry' | 'presence' | 'recent'>;

/** The row of a device that a path names, in the caller's workspace, or 404. */
export async function rowOfDevice(
  { store }: Pick<ApiParts, 'store'>,
  scope: Scope,
  id: string | undefined,
): Promise<DeviceRow> {
  const row = await oneIn(store.models.devices, scope.workspaceId, { id: (id ?? '').slice(0, 80) });
  if (row === null || !seesDevice(scope, row.rowId)) throw notFound('device', id ?? '');
  return row;
}

/** Devices as callers see them, in the order of their rows: a bounded number of queries. */
export async function describeDevices(
  parts: Parts,
  scope: Scope,
  rows: readonly DeviceRow[],
): Promise<Device[]> {
  const { store, registry } = parts;
  const { models } = store;
  const open = new Map<number, number>();
  for (const { deviceRowId } of await listIn(models.events, scope.workspaceId, {
    where: { closedAt: null, deviceRowId: rows.map(({ rowId }) => rowId) },
    attributes: ['deviceRowId'],
  }))
    open.set(deviceRowId, (open.get(deviceRowId) ?? 0) + 1);
  const entries = await registry.load(rows.map(({ rowId }) => rowId));
  const behind = rows.flatMap(({ gatewayRowId }) => gatewayRowId ?? []);
  const gateways = new Map(
    behind.length === 0
      ? []
      : (await listIn(models.devices, scope.workspaceId, { where: { rowId: behind } })).map(
          ({ rowId, id }) => [rowId, id] as const,
        ),
  );
  const pictures = await picturesOf(parts, scope, rows);
  const steered = rows.flatMap(({ rowId }) =>
    entries.get(rowId)?.streams.some(isControllable) === true ? [rowId] : [],
  );
  const has = await readHas(store, scope.workspaceId, steered);
  return rows.flatMap((row) => {
    const entry = entries.get(row.rowId);
    if (entry === undefined) return [];
    const device = describe(
      parts,
      narrowed(scope, entry),
      row,
      seesAll(scope) ? (open.get(row.rowId) ?? 0) : 0,
      gateways,
      pictures,
      has,
    );
    const { dashboardId } = device;
    const leads = seesAll(scope) || scope.reach?.dashboards.has(dashboardId ?? 0);
    if (seesWhole(scope, row.rowId)) return [leads ? device : { ...device, dashboardId: null }];
    // The label by which a shared page lets its devices be chosen is said, and no other.
    const label = scope.visit?.board.forLabel;
    return [{ ...device, ...UNSEEN, labels: row.labels.filter((one) => one === label) }];
  });
}

/** What is not said of a device of which only some datastreams are shown. */
const UNSEEN = {
  labels: [],
  place: null,
  notes: '',
  about: {},
  gateway: null,
  serial: null,
  dashboardId: null,
  pictureAt: null,
} satisfies Partial<Device>;

/** Whether a device is there, and when it was heard last, as this service has seen. */
export function presentNow(
  presence: ApiParts['presence'],
  { rowId, lastSeenAt: known, intervalS }: DeviceEntry,
): Pick<Device, 'lastSeenAt' | 'connected' | 'presence'> {
  const lastSeenAt = presence.lastSeen(rowId) ?? known;
  const connected = presence.isConnected(rowId);
  return { lastSeenAt, connected, presence: presenceOf({ connected, lastSeenAt, intervalS }, clockNow()) };
}

function describe(
  { presence, recent }: Parts,
  entry: DeviceEntry,
  row: DeviceRow,
  openEvents: number,
  gateways: ReadonlyMap<number, string>,
  pictures: ReadonlyMap<number, number>,
  has: Awaited<ReturnType<typeof readHas>>,
): Device {
  return {
    id: entry.id,
    name: entry.name,
    kindId: entry.kindId,
    kindTitle: entry.kindTitle,
    createdAt: row.createdAt,
    ...presentNow(presence, entry),
    proof: entry.proof,
    newest: newestOf(entry, recent),
    has: describeHas(entry, has.get(entry.rowId) ?? []),
    openEvents,
    dashboardId: row.dashboardId,
    labels: row.labels,
    place: row.place,
    notes: row.notes,
    about: row.about,
    gateway: gateways.get(row.gatewayRowId ?? 0) ?? null,
    serial: row.serial,
    pictureAt: pictures.get(entry.rowId) ?? null,
    version: row.revision,
  };
}

/** When the pictures of devices were made, by device. */
async function picturesOf(
  { store }: Parts,
  { workspaceId }: Scope,
  devices: readonly DeviceRow[],
): Promise<Map<number, number>> {
  if (devices.length === 0) return new Map();
  const rows = await store.withConnection(
    async (connection) =>
      (await connection.query(
        'SELECT deviceRowId, madeAt FROM devicePictures WHERE workspaceId = ? AND deviceRowId IN (?)',
        [workspaceId, devices.map(({ rowId }) => rowId)],
      )) as { deviceRowId: number; madeAt: number }[],
  );
  return new Map(rows.map(({ deviceRowId, madeAt }) => [deviceRowId, Number(madeAt)]));
}
