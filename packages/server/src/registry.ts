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
  /** Time of its newest message that named none, so that two in one millisecond stay two. */
  lastAt: number;
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
  byId(workspaceId: number, id: string): Promise<DeviceEntry | null>;
  /** The entry if it is in memory already; no waiting. */
  known(rowId: number): DeviceEntry | undefined;
  /** A sub-device of a gateway, by its ID or by the serial text its gateway uses; null for any other. */
  subDevice(gateway: DeviceEntry, name: string): Promise<DeviceEntry | null>;
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
  const subDevices = new Map<string, number>();
  /** Grows with every change, so that what was read before one is not remembered after it. */
  let changes = 0;

  const forget = (rowId: number): void => {
    entries.delete(rowId);
    const entry = ready.get(rowId);
    ready.delete(rowId);
    for (const stream of entry?.streams ?? []) owners.delete(stream.seriesId);
    for (const [fingerprint, token] of tokens) if (token.deviceRowId === rowId) tokens.delete(fingerprint);
    for (const [hash, { rowId: owner }] of right) if (owner === rowId) right.delete(hash);
    subDevices.clear();
  };
  bus.on('definitions', ({ kindId, deviceRowId }) => {
    changes++;
    if (deviceRowId !== undefined) forget(deviceRowId);
    if (kindId !== undefined)
      for (const rowId of [...entries.keys()]) {
        const entry = ready.get(rowId);
        // What is being read just now may be of this kind, and from before the change.
        if (entry === undefined || entry.kindId === kindId) forget(rowId);
      }
  });

  const load = async (rowId: number): Promise<DeviceEntry | null> => {
    const device = await findOne(models.devices, { rowId });
    if (device === null) return null;
    const kind = (await findOne(models.kinds, { id: device.kindId })) as KindRow;
    const streams = await findAll(models.streams, { where: { kindId: device.kindId }, order: ['id'] });
    const series = await ensureSeries(store, device, streams);
    const calibrations = await findAll(models.calibrations, { where: { deviceRowId: rowId }, order: ['id'] });
    return makeEntry(device, kind, streams, series, calibrations);
  };
  const remember = (rowId: number, entry: DeviceEntry | null): void => {
    if (entry === null) {
      entries.delete(rowId);
      return;
    }
    for (const stream of entry.streams) owners.set(stream.seriesId, { entry, stream });
    ready.set(rowId, entry);
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
      for (const entry of ready.values())
        if (entry.workspaceId === workspaceId && entry.id === id) return entry;
      const device = await findOne(models.devices, { workspaceId, id });
      return device === null ? null : registry.byRow(device.rowId);
    },
    known: (rowId) => ready.get(rowId),
    async subDevice(gateway, name) {
      const key = `${gateway.rowId}:${name}`;
      const rowId = subDevices.get(key);
      if (rowId !== undefined) return registry.byRow(rowId);
      const found =
        (await findOne(models.devices, { gatewayRowId: gateway.rowId, id: name })) ??
        (await findOne(models.devices, { gatewayRowId: gateway.rowId, serial: name }));
      if (found === null) return null;
      if (subDevices.size >= MOST_REMEMBERED) subDevices.clear();
      subDevices.set(key, found.rowId);
      return registry.byRow(found.rowId);
    },
    async behind(gateway) {
      const rows = await findAll(models.devices, { where: { gatewayRowId: gateway.rowId } });
      const entries = await Promise.all(rows.map(({ rowId }) => registry.byRow(rowId)));
      return entries.filter((entry) => entry !== null);
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
      if (changes === before) tokens.set(shape.fingerprint, token);
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
      lastAt: before?.lastAt ?? 0,
      lastSeenAt: Math.max(device.lastSeenAt ?? 0, before?.lastSeenAt ?? 0) || null,
    };
  }

  async function ensureSeries(
    target: Store,
    device: DeviceRow,
    streams: StreamRow[],
  ): Promise<Map<number, number>> {
    const find = () => findAll(models.series, { where: { deviceRowId: device.rowId } });
    let rows = await find();
    const missing = streams.filter((stream) => !rows.some((row) => row.streamId === stream.id));
    if (missing.length > 0) {
      await target.withConnection((connection) =>
        connection.batch(
          'INSERT IGNORE INTO series (workspaceId, deviceRowId, streamId) VALUES (?, ?, ?)',
          missing.map((stream) => [device.workspaceId, device.rowId, stream.id]),
        ),
      );
      rows = await find();
    }
    for (const row of rows)
      if (row.newestAt !== null)
        registry.onNewest(row.id, row.newestAt, row.newestOther ?? row.newestValue ?? 0);
    return new Map(rows.map((row) => [row.streamId, row.id]));
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
