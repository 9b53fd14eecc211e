import type { IncomingMessage } from 'node:http';
import type { Duplex } from 'node:stream';
import type { LiveMessage } from '@peatmoor/contract';
import { calibrate, type Value } from '@peatmoor/core';
import type { Logger } from 'pino';
import { WebSocketServer, type WebSocket } from 'ws';
import type { Bus } from '../bus';
import { shownTime } from '../ingest/times';
import { factsOf } from '../journal/others';
import type { Committed } from '../journal/writer';
import type { Registry } from '../registry';
import type { Store } from '../store/store';
import { ended, type Holder } from './passes';

const FLUSH_MS = 100;
const MOST_BUFFERED = 4_000_000;
const HEARTBEAT_MS = 30_000;
/** How often it is looked whether those who opened pages may still. */
const LOOK_MS = 1000;
/** Close code of a page that may not stay (RFC 6455 §7.4.2: 4000 to 4999 are for applications). */
const SIGNED_OUT = 4401;

export interface LiveHub {
  upgrade(request: IncomingMessage, socket: Duplex, head: Buffer, holder: Holder): void;
  committed(committed: Committed): void;
  count(): number;
  stop(): void;
}

/** Sends pages what happens in their workspace. Readings are gathered for a tenth of a second, the newest of each series wins. */
export function createLiveHub(store: Store, registry: Registry, bus: Bus, log: Logger): LiveHub {
  const server = new WebSocketServer({ noServer: true, maxPayload: 1024 });
  const pages = new Map<number, Set<WebSocket>>();
  const holders = new Map<Holder, WebSocket>();
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
        shownTime(at),
        typeof value === 'number' ? calibrate(stream.calibrations, at, value) : value,
      ]);
    }
    for (const { workspaceId, device, values } of devices.values())
      send(workspaceId, { type: 'readings', device, values });
  };
  const timer = setInterval(
    () => flush().catch((error: Error) => log.debug({ err: error }, 'live readings missed')),
    FLUSH_MS,
  );
  // A page whose session, key or membership ended is closed, wherever that was done.
  let looking = false;
  const look = setInterval(() => {
    if (holders.size === 0 || looking) return;
    looking = true;
    ended(store, [...holders.keys()])
      .then((gone) => {
        for (const holder of gone) holders.get(holder)?.close(SIGNED_OUT, 'signed out');
      })
      .catch((error: Error) => log.debug({ err: error }, 'open pages are looked at later'))
      .finally(() => (looking = false));
  }, LOOK_MS);
  const heartbeat = setInterval(() => {
    for (const sockets of pages.values()) for (const socket of sockets) socket.ping();
  }, HEARTBEAT_MS);

  return {
    upgrade(request, socket, head, holder) {
      const { workspaceId } = holder;
      server.handleUpgrade(request, socket, head, (page) => {
        const mine = pages.get(workspaceId) ?? new Set();
        pages.set(workspaceId, mine);
        mine.add(page);
        holders.set(holder, page);
        page.on('close', () => {
          mine.delete(page);
          holders.delete(holder);
          if (mine.size === 0 && pages.get(workspaceId) === mine) pages.delete(workspaceId);
        });
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
      clearInterval(look);
      for (const sockets of pages.values()) for (const socket of sockets) socket.terminate();
      server.close();
    },
  };
}
