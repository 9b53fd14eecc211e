import { createHash, timingSafeEqual } from 'node:crypto';
import {
  computingsOf,
  indexNames,
  type Computing,
  inspectToken,
  type Datastream,
  orderSteps,
  type CalibrationStep,
  type NameIndex,
  type Proof,
  type Value,
} from '@peatmoor/core';
import type { Bus } from './bus';
import type { CalibrationRow, DeviceRow, KindRow, StreamRow, TokenRow } from './store/models';
import { findAll, findOne } from './store/rows';
import type { Store } from './store/store';

/** A datastream of one device, with the number of its series. */
export interface DeviceStream extends Datastream {
  streamId: number;
  seriesId: number;
  /** How its values are made right on this device, in order of time. */
  calibrations: CalibrationStep[];
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
}

/** What a token proves, or why it proves nothing. */
export type TokenVerdict =
  | { state: 'right'; entry: DeviceEntry; tokenId: number }
  | { state: 'withdrawn' | 'wrong'; entry: DeviceEntry; hint: string }
  | { state: 'unknown'; entry: null; hint: string };

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
  /** The verdict on a whole token that was right before and whose device is unchanged since; no waiting. */
  knownToken(token: string): { entry: DeviceEntry; tokenId: number } | undefined;
  /** The device and datastream of a series, if it still exists. */
  ownerOf(seriesId: number): Promise<SeriesOwner | null>;
  /** Entries that are in memory now. */
  loaded(): Iterable<DeviceEntry>;
  /** Called with the newest reading of each series when a device is read into memory. */
  onNewest: (seriesId: number, at: number, value: Value) => void;
}

const MOST_REMEMBERED = 20_000;
/** Devices that are read together. */
const MOST_AT_ONCE = 500;
const NO_SECRETS = { fingerprints: new Set<string>(), texts: new Set<string>() };

/** SHA-256 of a token or key: enough for secrets of a hundred random bits. */
export function hashSecret(secret: string): Buffer {
  return createHash('sha256').update(secret).digest();
}

export function createRegistry(store: Store, bus: Bus): Registry {
  const { models } = store;
  const entries = new Map<number, Promise<DeviceEntry | null>>();
  const ready = new Map<number, DeviceEntry>();
  const tokens = new Map<string, TokenRow>();
  const owners = new Map<number, SeriesOwner>();
  /** Tokens that were right, in memory only, so that a busy board's token is not looked up and hashed for every message. */
  const right = new Map<string, { rowId: number; tokenId: number }>();
  /** What is remembered by secret, for each device, so that it is forgotten with it. */
  const secretsOf = new Map<number, { fingerprints: Set<string>; texts: Set<string> }>();
  const rowsById = new Map<string, number>();
  /** Rows of a gateway's sub-devices, by ID and by serial text. */
  const behindOf = new Map<number, Promise<Map<string, number>>>();
  /** Grows with every change, so that what was read before one is not remembered after it. */
  let changes = 0;

  const secrets = (rowId: number): { fingerprints: Set<string>; texts: Set<string> } => {
    let known = secretsOf.get(rowId);
    if (known === undefined) secretsOf.set(rowId, (known = { fingerprints: new Set(), texts: new Set() }));
    return known;
  };
  const forget = (rowId: number): void => {
    entries.delete(rowId);
    const entry = ready.get(rowId);
    ready.delete(rowId);
    if (entry !== undefined) rowsById.delete(`${entry.workspaceId}:${entry.id}`);
    for (const stream of entry?.streams ?? []) owners.delete(stream.seriesId);
    const { fingerprints, texts } = secretsOf.get(rowId) ?? NO_SECRETS;
    for (const fingerprint of fingerprints) tokens.delete(fingerprint);
    for (const text of texts) right.delete(text);
    secretsOf.delete(rowId);
  };
  bus.on('definitions', ({ kindId, deviceRowId }) => {
    changes++;
    behindOf.clear();
    if (deviceRowId !== undefined) forget(deviceRowId);
    if (kindId !== undefined)
      for (const rowId of [...entries.keys()]) {
        const entry = ready.get(rowId);
        // What is being read just now may be of this kind, and from before the change.
        if (entry === undefined || entry.kindId === kindId) forget(rowId);
      }
  });

  /** Reads devices with all that belongs to them: a few queries, however many they are. */
  const readMany = async (rowIds: readonly number[]): Promise<Map<number, DeviceEntry>> => {
    const devices = await findAll(models.devices, { where: { rowId: [...rowIds] } });
    const result = new Map<number, DeviceEntry>();
    if (devices.length === 0) return result;
    const kindIds = [...new Set(devices.map(({ kindId }) => kindId))];
    const kinds = new Map(
      (await findAll(models.kinds, { where: { id: kindIds } })).map((kind) => [kind.id, kind] as const),
    );
    const streams = groupBy(
      await findAll(models.streams, { where: { kindId: kindIds }, order: ['id'] }),
      ({ kindId }) => kindId,
    );
    const series = await ensureSeries(devices, streams);
    const calibrations = groupBy(
      await findAll(models.calibrations, {
        where: { deviceRowId: devices.map(({ rowId }) => rowId) },
        order: ['id'],
      }),
      ({ deviceRowId }) => deviceRowId,
    );
    for (const device of devices)
      result.set(
        device.rowId,
        makeEntry(
          device,
          kinds.get(device.kindId)!,
          streams.get(device.kindId) ?? [],
          series.get(device.rowId) ?? new Map<number, number>(),
          calibrations.get(device.rowId) ?? [],
        ),
      );
    return result;
  };
  // Those asked for in one turn are read together.
  let asked: { rowId: number; resolve(entry: DeviceEntry | null): void; reject(error: unknown): void }[] = [];
  const readAsked = (): void => {
    const all = asked;
    asked = [];
    for (let i = 0; i < all.length; i += MOST_AT_ONCE) {
      const some = all.slice(i, i + MOST_AT_ONCE);
      readMany(some.map(({ rowId }) => rowId)).then(
        (found) => {
          for (const { rowId, resolve } of some) resolve(found.get(rowId) ?? null);
        },
        (error: unknown) => {
          for (const { reject } of some) reject(error);
        },
      );
    }
  };
  const load = (rowId: number): Promise<DeviceEntry | null> =>
    new Promise((resolve, reject) => {
      asked.push({ rowId, resolve, reject });
      if (asked.length === 1) setImmediate(readAsked);
    });
  const remember = (rowId: number, entry: DeviceEntry | null): void => {
    if (entry === null) {
      entries.delete(rowId);
      return;
    }
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
    knownToken(text) {
      const known = right.get(text);
      const entry = known && ready.get(known.rowId);
      return entry && { entry, tokenId: known.tokenId };
    },
    async verify(text) {
      const before = changes;
      const shape = inspectToken(text);
      if (shape.fingerprint === null)
        return { state: 'unknown', entry: null, hint: TOKEN_HINTS[shape.state] };
      const token =
        tokens.get(shape.fingerprint) ??
        (await findOne(models.deviceTokens, { fingerprint: shape.fingerprint }));
      if (token === null)
        return {
          state: 'unknown',
          entry: null,
          hint:
            shape.state === 'whole'
              ? 'No device has this token. Make a new one on the device’s page.'
              : TOKEN_HINTS[shape.state],
        };
      if (changes === before) {
        if (tokens.size >= MOST_REMEMBERED) tokens.clear();
        tokens.set(shape.fingerprint, token);
        secrets(token.deviceRowId).fingerprints.add(shape.fingerprint);
      }
      const entry = await registry.byRow(token.deviceRowId);
      if (entry === null)
        return { state: 'unknown', entry: null, hint: 'The device of this token was deleted.' };
      if (shape.state !== 'whole') return { state: 'wrong', entry, hint: TOKEN_HINTS[shape.state] };
      if (!timingSafeEqual(hashSecret(shape.token), token.secretHash))
        return { state: 'wrong', entry, hint: TOKEN_HINTS.mistyped };
      if (token.withdrawnAt !== null)
        return {
          state: 'withdrawn',
          entry,
          hint: `The token ${shape.fingerprint} was withdrawn. Make a new one on the page of ${entry.name}.`,
        };
      // Withdrawn perhaps, while it was looked up: look again.
      if (changes !== before) return registry.verify(text);
      if (right.size >= MOST_REMEMBERED) right.clear();
      right.set(text, { rowId: entry.rowId, tokenId: token.id });
      secrets(entry.rowId).texts.add(text);
      return { state: 'right', entry, tokenId: token.id };
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

  function makeEntry(
    device: DeviceRow,
    kind: KindRow,
    rows: StreamRow[],
    series: Map<number, number>,
    calibrations: CalibrationRow[],
  ): DeviceEntry {
    const before = ready.get(device.rowId);
    const streams = rows.map((row): DeviceStream => ({
      ...row,
      streamId: row.id,
      seriesId: series.get(row.id)!,
      calibrations: orderSteps(
        calibrations
          .filter(({ streamId }) => streamId === row.id)
          .map(({ fromAt, calibration }) => ({ from: fromAt, calibration })),
      ),
    }));
    return {
      rowId: device.rowId,
      workspaceId: device.workspaceId,
      id: device.id,
      name: device.name,
      kindId: kind.id,
      kindTitle: kind.title,
      intervalS: kind.intervalS,
      streams,
      names: indexNames(streams),
      computed: computingsOf(streams),
      proof: device.proof,
      acceptNew: kind.acceptNew,
      gatewayRowId: device.gatewayRowId,
      serial: device.serial,
      lastSeenAt: Math.max(device.lastSeenAt ?? 0, before?.lastSeenAt ?? 0) || null,
    };
  }

  /** Series of devices by device and datastream; those that are missing are made. */
  async function ensureSeries(
    devices: readonly DeviceRow[],
    streams: ReadonlyMap<number, StreamRow[]>,
  ): Promise<Map<number, Map<number, number>>> {
    const find = async (rowIds: number[]): Promise<Map<number, Map<number, number>>> => {
      const rows = await findAll(models.series, { where: { deviceRowId: rowIds } });
      for (const row of rows)
        if (row.newestAt !== null)
          registry.onNewest(row.id, row.newestAt, row.newestOther ?? row.newestValue ?? 0);
      const found = new Map<number, Map<number, number>>();
      for (const { id, deviceRowId, streamId } of rows) {
        const known = found.get(deviceRowId);
        if (known === undefined) found.set(deviceRowId, new Map([[streamId, id]]));
        else known.set(streamId, id);
      }
      return found;
    };
    const found = await find(devices.map(({ rowId }) => rowId));
    const missing = devices.flatMap(({ workspaceId, rowId, kindId }) =>
      (streams.get(kindId) ?? [])
        .filter(({ id }) => found.get(rowId)?.has(id) !== true)
        .map(({ id }) => [workspaceId, rowId, id]),
    );
    if (missing.length === 0) return found;
    await store.withConnection((connection) =>
      connection.batch(
        'INSERT IGNORE INTO series (workspaceId, deviceRowId, streamId) VALUES (?, ?, ?)',
        missing,
      ),
    );
    for (const [rowId, series] of await find([...new Set(missing.map(([, rowId]) => rowId!))]))
      found.set(rowId, series);
    return found;
  }

  function rowsBehind(gateway: DeviceEntry): Promise<Map<string, number>> {
    const known = behindOf.get(gateway.rowId);
    if (known !== undefined) return known;
    const reading = findAll(models.devices, {
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
  }
  return registry;
}

const TOKEN_HINTS = {
  whole: 'The token is not known.',
  'half-copied': 'The token is cut short: only a part of it was copied. Copy the whole token again.',
  mistyped:
    'The token has a wrong letter; its own check letters do not fit. Copy it again instead of typing it.',
  'not-a-token':
    'This is not a device token. A device token begins with "moor" and is shown once, when it is made.',
} as const;

function groupBy<R>(rows: readonly R[], keyOf: (row: R) => number): Map<number, R[]> {
  const groups = new Map<number, R[]>();
  for (const row of rows) {
    const known = groups.get(keyOf(row));
    if (known === undefined) groups.set(keyOf(row), [row]);
    else known.push(row);
  }
  return groups;
}
