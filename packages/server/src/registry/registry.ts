import type { Value } from '@peatmoor/core';
import type { Bus } from '../bus';
import { gather } from '../store/gather';
import { findAll, findOne } from '../store/rows';
import type { Store } from '../store/store';
import { readDevices, type DeviceEntry, type DeviceStream } from './entry';
import { createTokenBook, type TokenVerdict } from './tokens';

export interface SeriesOwner {
  entry: DeviceEntry;
  stream: DeviceStream;
}

/** Device definitions in memory, read on first use and forgotten when they change. */
export interface Registry {
  byRow(rowId: number): Promise<DeviceEntry | null>;
  /** Several at once, by row, in a bounded number of queries; those that do not exist are left out. */
  load(rowIds: readonly number[]): Promise<Map<number, DeviceEntry>>;
  byId(workspaceId: number, id: string): Promise<DeviceEntry | null>;
  /** The entry if it is in memory already; no waiting. */
  known(rowId: number): DeviceEntry | undefined;
  /** A sub-device of a gateway, by its ID or by the serial text its gateway uses; null for any other. */
  subDevice(gateway: DeviceEntry, name: string): Promise<DeviceEntry | null>;
  /** Several of them at once, by the names that a message used; those that are none are left out. */
  subDevices(gateway: DeviceEntry, names: Iterable<string>): Promise<Map<string, DeviceEntry>>;
  /** All sub-devices of a gateway. */
  behind(gateway: DeviceEntry): Promise<DeviceEntry[]>;
  verify(token: string): Promise<TokenVerdict>;
  /** Of some tokens those that are there and not withdrawn. */
  validTokens(ids: readonly number[]): Promise<Set<number>>;
  /** The device of a series, where it is in memory; no waiting. */
  ownerKnown(seriesId: number): DeviceEntry | undefined;
  /** The one device of this ID in all workspaces; null where there is none, or more than one. */
  named(id: string): Promise<DeviceEntry | null>;
  /** The verdict on a whole token that was right before and whose device is unchanged since; no waiting. */
  knownToken(token: string): { entry: DeviceEntry; tokenId: number } | undefined;
  /** The device and datastream of a series, if it still exists. */
  ownerOf(seriesId: number): Promise<SeriesOwner | null>;
  /** Entries that are in memory now. */
  loaded(): Iterable<DeviceEntry>;
  /** Called with the newest reading of each series when a device is read into memory. */
  onNewest: (seriesId: number, at: number, value: Value) => void;
}

export function createRegistry(store: Store, bus: Bus): Registry {
  const { models } = store;
  const entries = new Map<number, Promise<DeviceEntry | null>>();
  const ready = new Map<number, DeviceEntry>();
  const owners = new Map<number, SeriesOwner>();
  const rowsById = new Map<string, number>();
  const rowsBehind = createBehind(store, bus);
  /** Grows with every change, so that what was read before one is not remembered after it. */
  let changes = 0;
  const lookUpName = gather(async (ids: readonly string[]) => {
    const rows = await store.withConnection(
      async (connection) =>
        (await connection.query(
          'SELECT id, MIN(rowId) AS rowId FROM devices WHERE id IN (?) GROUP BY id HAVING COUNT(*) = 1',
          [[...ids]],
        )) as { id: string; rowId: number }[],
    );
    return new Map(rows.map(({ id, rowId }) => [id, Number(rowId)] as const));
  });
  const tokens = createTokenBook(store, {
    byRow: (rowId) => registry.byRow(rowId),
    changes: () => changes,
  });

  const forget = (rowId: number): void => {
    entries.delete(rowId);
    const entry = ready.get(rowId);
    ready.delete(rowId);
    if (entry !== undefined) rowsById.delete(`${entry.workspaceId}:${entry.id}`);
    for (const stream of entry?.streams ?? []) owners.delete(stream.seriesId);
    tokens.forget(rowId);
  };
  bus.on('definitions', ({ kindId, deviceRowId, all }) => {
    changes++;
    if (all) for (const rowId of [...entries.keys()]) forget(rowId);
    if (deviceRowId !== undefined) forget(deviceRowId);
    if (kindId !== undefined)
      for (const rowId of [...entries.keys()]) {
        const entry = ready.get(rowId);
        // What is being read just now may be of this kind, and from before the change.
        if (entry === undefined || entry.kindId === kindId) forget(rowId);
      }
  });
  const load = gather((rowIds: readonly number[]) =>
    readDevices(store, rowIds, {
      before: (rowId) => ready.get(rowId),
      onNewest: (seriesId, at, value) => registry.onNewest(seriesId, at, value),
    }),
  );
  const remember = (rowId: number, entry: DeviceEntry | null): void => {
    if (entry === null) return void entries.delete(rowId);
    for (const stream of entry.streams) owners.set(stream.seriesId, { entry, stream });
    ready.set(rowId, entry);
    rowsById.set(`${entry.workspaceId}:${entry.id}`, rowId);
  };

  const registry: Registry = {
    onNewest: () => undefined,
    byRow(rowId) {
      const known = entries.get(rowId);
      if (known !== undefined) return known;
      const loading: Promise<DeviceEntry | null> = load(rowId).then(
        (entry) => {
          // Changed while it was read: read again.
          if (entries.get(rowId) !== loading) return registry.byRow(rowId);
          remember(rowId, entry);
          return entry;
        },
        (error: unknown) => {
          if (entries.get(rowId) === loading) entries.delete(rowId);
          throw error;
        },
      );
      entries.set(rowId, loading);
      return loading;
    },
    async byId(workspaceId, id) {
      const known = rowsById.get(`${workspaceId}:${id}`);
      if (known !== undefined) return registry.byRow(known);
      const device = await findOne(models.devices, { workspaceId, id });
      return device === null ? null : registry.byRow(device.rowId);
    },
    known: (rowId) => ready.get(rowId),
    async load(rowIds) {
      const result = new Map<number, DeviceEntry>();
      const found = await Promise.all([...new Set(rowIds)].map((rowId) => registry.byRow(rowId)));
      for (const entry of found) if (entry !== null) result.set(entry.rowId, entry);
      return result;
    },
    async subDevice(gateway, name) {
      return (await registry.subDevices(gateway, [name])).get(name) ?? null;
    },
    async subDevices(gateway, names) {
      const known = await rowsBehind(gateway);
      const rows = new Map<string, number>();
      for (const name of names) {
        const rowId = known.get(name);
        if (rowId !== undefined) rows.set(name, rowId);
      }
      const found = await registry.load([...rows.values()]);
      const result = new Map<string, DeviceEntry>();
      for (const [name, rowId] of rows) {
        const entry = found.get(rowId);
        if (entry !== undefined) result.set(name, entry);
      }
      return result;
    },
    async behind(gateway) {
      const rows = new Set((await rowsBehind(gateway)).values());
      return [...(await registry.load([...rows])).values()];
    },
    verify: (token) => tokens.verify(token),
    async validTokens(ids) {
      const rows = await findAll(models.deviceTokens, {
        where: { id: [...new Set(ids)], withdrawnAt: null },
        attributes: ['id'],
      });
      return new Set(rows.map(({ id }) => id));
    },
    ownerKnown: (seriesId) => owners.get(seriesId)?.entry,
    async named(id) {
      const rowId = await lookUpName(id);
      return rowId === null ? null : registry.byRow(rowId);
    },
    knownToken(text) {
      const known = tokens.known(text);
      const entry = known && ready.get(known.rowId);
      return entry && { entry, tokenId: known.tokenId };
    },
    async ownerOf(seriesId) {
      const known = owners.get(seriesId);
      if (known !== undefined) return known;
      const row = await findOne(models.series, { id: seriesId });
      if (row === null) return null;
      const entry = await registry.byRow(row.deviceRowId);
      const stream = entry?.streams.find((one) => one.seriesId === seriesId);
      return entry && stream ? { entry, stream } : null;
    },
    loaded: () => ready.values(),
  };
  return registry;
}

/** The rows of a gateway's sub-devices, by ID and by serial text; remembered until a definition changes. */
function createBehind(store: Store, bus: Bus): (gateway: DeviceEntry) => Promise<Map<string, number>> {
  const behindOf = new Map<number, Promise<Map<string, number>>>();
  bus.on('definitions', () => behindOf.clear());
  return (gateway) => {
    const known = behindOf.get(gateway.rowId);
    if (known !== undefined) return known;
    const reading = findAll(store.models.devices, {
      where: { gatewayRowId: gateway.rowId },
      attributes: ['rowId', 'id', 'serial'],
    }).then((rows) => {
      const names = new Map<string, number>();
      for (const { rowId, serial } of rows) if (serial !== null) names.set(serial, rowId);
      for (const { rowId, id } of rows) names.set(id, rowId);
      return names;
    });
    behindOf.set(gateway.rowId, reading);
    reading.catch(() => behindOf.delete(gateway.rowId));
    return reading;
  };
}
