import type { IncomingMessage } from 'node:http';
import type { Duplex } from 'node:stream';
import type { LiveMessage } from '@peatmoor/contract';
import { calibrate, type Value } from '@peatmoor/core';
import type { Logger } from 'pino';
import { WebSocketServer, type WebSocket } from 'ws';
import type { Bus } from '../bus';
import { factsOf } from '../journal/others';
import type { Committed } from '../journal/writer';
import type { Registry } from '../registry';

const FLUSH_MS = 100;
const MOST_BUFFERED = 4_000_000;
const HEARTBEAT_MS = 30_000;

export interface LiveHub {
  upgrade(request: IncomingMessage, socket: Duplex, head: Buffer, workspaceId: number): void;
  committed(committed: Committed): void;
  count(): number;
  stop(): void;
}

/** Sends pages what happens in their workspace. Readings are gathered for a tenth of a second, the newest of each series wins. */
export function createLiveHub(registry: Registry, bus: Bus, log: Logger): LiveHub {
  const server = new WebSocketServer({ noServer: true, maxPayload: 1024 });
  const pages = new Map<number, Set<WebSocket>>();
  const fresh = new Map<number, { at: number; value: Value }>();

  const send = (workspaceId: number, message: LiveMessage): void => {
    const sockets = pages.get(workspaceId);
    if (sockets === undefined) return;
    const text = JSON.stringify(message);
    for (const socket of sockets) {
      // A page that does not keep up is dropped; it connects again and reads everything anew.
      if (socket.bufferedAmount > MOST_BUFFERED) socket.terminate();
      else socket.send(text);
    }
  };
  bus.on('live', ({ workspaceId, message }) => send(workspaceId, message));

  const flush = async (): Promise<void> => {
    if (fresh.size === 0) return;
    const readings = [...fresh];
    fresh.clear();
    const devices = new Map<
      number,
      { workspaceId: number; device: string; values: [string, number, Value][] }
    >();
    for (const [seriesId, { at, value }] of readings) {
      const owner = await registry.ownerOf(seriesId);
      if (owner === null) continue;
      const { entry, stream } = owner;
      const one = devices.get(entry.rowId) ?? {
        workspaceId: entry.workspaceId,
        device: entry.id,
        values: [],
      };
      devices.set(entry.rowId, one);
      one.values.push([
        stream.key,
        at,
        typeof value === 'number' ? calibrate(stream.calibrations, at, value) : value,
      ]);
    }
    for (const { workspaceId, device, values } of devices.values())
      send(workspaceId, { type: 'readings', device, values });
  };
  const timer = setInterval(
    () => flush().catch((error: Error) => log.debug({ error: error.message }, 'live readings missed')),
    FLUSH_MS,
  );
  const heartbeat = setInterval(() => {
    for (const sockets of pages.values()) for (const socket of sockets) socket.ping();
  }, HEARTBEAT_MS);

  return {
    upgrade(request, socket, head, workspaceId) {
      server.handleUpgrade(request, socket, head, (page) => {
        const mine = pages.get(workspaceId) ?? new Set();
        pages.set(workspaceId, mine);
        mine.add(page);
        page.on('close', () => mine.delete(page));
        page.on('error', () => page.terminate());
        page.send(JSON.stringify({ type: 'hello', now: Date.now() } satisfies LiveMessage));
      });
    },
    committed({ batch, others }) {
      if (pages.size === 0) return;
      for (const { series, at, value } of others) fresh.set(series, { at, value: factsOf(value) });
      for (let i = 0; i < batch.series.length; i++) {
        const known = fresh.get(batch.series[i]!);
        if (known === undefined || batch.times[i]! >= known.at)
          fresh.set(batch.series[i]!, { at: batch.times[i]!, value: batch.values[i]! });
      }
    },
    count: () => [...pages.values()].reduce((sum, sockets) => sum + sockets.size, 0),
    stop() {
      clearInterval(timer);
      clearInterval(heartbeat);
      for (const sockets of pages.values()) for (const socket of sockets) socket.terminate();
      server.close();
    },
  };
}
