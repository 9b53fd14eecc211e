import type { LiveMessage } from '@peatmoor/contract';
import type { Value } from '@peatmoor/core';
import type { Logger } from 'pino';
import { shownReading } from '../history/newest';
import type { Recent } from '../history/recent';
import { factsOf } from '../journal/others';
import type { Committed } from '../journal/writer';
import type { Registry } from '../registry';
import type { Audience } from './audience';

/** How long readings are gathered, in ms; those of a datastream of which nothing was told for a while are told in the next turn. */
const FLUSH_MS = 100;
const QUIET_MS = 2 * FLUSH_MS;
/** How soon pages are told that a device was heard of which no reading came. */
const HEARD_MS = 1500;

/** Tells pages of readings: the newest of each datastream that somebody watches, and of which something came that belongs before it. */
export interface LiveReadings {
  committed(committed: Committed): void;
  /** A picture came to another node. */
  pictured(series: number, at: number, facts: Value): void;
  /** A device was heard, whatever it said: pages are told where no reading tells them. */
  heard(deviceRowId: number): void;
  stop(): void;
}

interface Parts {
  registry: Registry;
  /** Asked for what was the newest reading before those that are told of here. */
  recent: Recent;
  /** Pages that show a device. */
  devices: Audience;
  send: (workspaceId: number, message: LiveMessage) => void;
  /** When a device was heard last, epoch ms. */
  lastSeen: (deviceRowId: number) => number | null;
  log: Logger;
}

type Newest = [series: number, reading: { at: number; value: Value }];

/** Readings that come fast are gathered for a tenth of a second, the newest of each series wins; others are told at once. */
export function createReadings({ registry, recent, devices, send, lastSeen, log }: Parts): LiveReadings {
  const fresh = new Map<number, Newest[1]>();
  /** Of each series that is watched the newest time that pages were told of, and when they were told (on the monotonic clock). */
  const told = new Map<number, { at: number; when: number }>();
  /** Series of which something came that belongs before that time, and those of which pages are told without waiting. */
  const late = new Set<number>();
  const prompt = new Set<number>();
  /** Devices that were heard, by when pages know that they were. */
  const toldHeard = new Map<number, number>();
  let plannedHeard: NodeJS.Timeout | undefined;
  let planned: NodeJS.Timeout | undefined;
  let plannedPrompt: NodeJS.Immediate | undefined;
  let flushedAt = -Infinity;

  /** Says of which datastreams something came that belongs before the newest: what is shown of their past is read again. */
  const tellLate = async (): Promise<void> => {
    if (late.size === 0) return;
    const all = [...late];
    late.clear();
    const byDevice = new Map<string, { workspaceId: number; message: LiveMessage & { type: 'past' } }>();
    for (const seriesId of all) {
      const owner = await registry.ownerOf(seriesId);
      if (owner === null) continue;
      const { workspaceId, id: device } = owner.entry;
      if (!isWatched(workspaceId, device)) continue;
      const place = `${workspaceId} ${device}`;
      const one = byDevice.get(place) ?? { workspaceId, message: { type: 'past', device, streams: [] } };
      one.message.streams.push(owner.stream.key);
      byDevice.set(place, one);
    }
    for (const { workspaceId, message } of byDevice.values()) send(workspaceId, message);
  };

  const tell = async (readings: readonly Newest[]): Promise<void> => {
    const byDevice = new Map<
      number,
      { workspaceId: number; device: string; values: [string, number, Value][]; heard: number | undefined }
    >();
    for (const [series, { at, value }] of readings) {
      const owner = await registry.ownerOf(series);
      if (owner === null || !isWatched(owner.entry.workspaceId, owner.entry.id)) {
        told.delete(series);
        continue;
      }
      const { entry, stream } = owner;
      told.set(series, { at: Math.max(at, told.get(series)?.at ?? -Infinity), when: performance.now() });
      const one = byDevice.get(entry.rowId) ?? {
        workspaceId: entry.workspaceId,
        device: entry.id,
        values: [],
        heard: lastSeen(entry.rowId) ?? undefined,
      };
      byDevice.set(entry.rowId, one);
      const shown = shownReading(stream, at, value);
      one.values.push([stream.key, shown.at, shown.value]);
    }
    for (const [rowId, { workspaceId, device, values, heard }] of byDevice) {
      if (heard !== undefined && toldHeard.has(rowId)) toldHeard.set(rowId, heard);
      send(workspaceId, { type: 'readings', device, values, heard });
    }
  };
  const tellHeard = async (): Promise<void> => {
    const all = [...toldHeard];
    toldHeard.clear();
    for (const [rowId, told] of all) {
      const at = lastSeen(rowId);
      const entry = at === null || at <= told ? null : await registry.byRow(rowId);
      if (entry !== null && isWatched(entry.workspaceId, entry.id))
        send(entry.workspaceId, { type: 'heard', device: entry.id, at: at! });
    }
  };
  const missed = (error: Error): void => log.debug({ err: error }, 'live readings missed');
  const flush = async (): Promise<void> => {
    const readings = [...fresh];
    fresh.clear();
    prompt.clear();
    await tellLate();
    await tell(readings);
  };
  const flushPrompt = async (): Promise<void> => {
    const readings = [...prompt].map((series): Newest => [series, fresh.get(series)!]);
    for (const series of prompt) fresh.delete(series);
    prompt.clear();
    await tell(readings);
  };
  /** At once where nothing was told for a while; what comes faster is told together. */
  const plan = (): void => {
    planned ??= setTimeout(
      () => {
        planned = undefined;
        flushedAt = performance.now();
        flush().catch(missed);
      },
      Math.max(0, flushedAt + FLUSH_MS - performance.now()),
    );
  };
  const put = (series: number, reading: Newest[1], now: number): void => {
    fresh.set(series, reading);
    const before = told.get(series);
    if (before === undefined || now - before.when < QUIET_MS) return;
    prompt.add(series);
    plannedPrompt ??= setImmediate(() => {
      plannedPrompt = undefined;
      flushPrompt().catch(missed);
    });
  };
  const isWatched = (workspaceId: number, device: string): boolean => {
    for (const _ of devices.of(workspaceId, device)) return true;
    return false;
  };
  return {
    committed({ batch, others }) {
      if (devices.isEmpty()) return;
      const now = performance.now();
      for (const { series, at, value } of others) put(series, { at, value: factsOf(value) }, now);
      for (let i = 0; i < batch.series.length; i++) {
        const series = batch.series[i]!;
        const at = batch.times[i]!;
        const newest = recent.newest(series)?.at ?? told.get(series)?.at;
        if (newest !== undefined && at <= newest) late.add(series);
        const known = fresh.get(series);
        if (known === undefined || at >= known.at) put(series, { at, value: batch.values[i]! }, now);
        else late.add(series);
      }
      if (fresh.size > 0 || late.size > 0) plan();
    },
    pictured(series, at, facts) {
      if (devices.isEmpty()) return;
      put(series, { at, value: facts }, performance.now());
      plan();
    },
    heard(deviceRowId) {
      if (devices.isEmpty() || toldHeard.has(deviceRowId)) return;
      toldHeard.set(deviceRowId, -Infinity);
      plannedHeard ??= setTimeout(() => {
        plannedHeard = undefined;
        tellHeard().catch(missed);
      }, HEARD_MS);
    },
    stop() {
      clearTimeout(plannedHeard);
      clearTimeout(planned);
      clearImmediate(plannedPrompt);
    },
  };
}
