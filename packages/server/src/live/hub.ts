import type { IncomingMessage } from 'node:http';
import type { Duplex } from 'node:stream';
import { BEAT_MS, type LiveMessage } from '@peatmoor/contract';
import type { Value } from '@peatmoor/core';
import type { Logger } from 'pino';
import { WebSocketServer, type WebSocket } from 'ws';
import type { Bus } from '../bus';
import { newestOf } from '../history/newest';
import type { Recent } from '../history/recent';
import type { Committed } from '../journal/writer';
import type { Registry } from '../registry';
import { listIn } from '../store/rows';
import type { Store } from '../store/store';
import { createAudience, type Watched } from './audience';
import { ended, type Holder } from './passes';
import { createReadings } from './readings';
import { heardBy, mayWatch, partSeenBy, type PartSeen } from './sight';
import { readWatch, type Watch } from './watch';
import { now as clockNow } from '../clock';

const MOST_BUFFERED = 4_000_000;
/** A page that has left so many pings unanswered is gone. */
const MOST_UNANSWERED = 3;
/** How often it is looked whether those who opened pages may still. */
const LOOK_MS = 1000;
/** Close code of a page that may not stay (RFC 6455 §7.4.2: 4000 to 4999 are for applications). */
const SIGNED_OUT = 4401;
/** RFC 6455, registry of close codes. */
const TRY_LATER = 1013;
/** How long pages stay open while no database says whether they may, in ms. */
const MOST_UNKNOWN_MS = 10_000;
/** The same for one that sends what is not understood, or without end (RFC 6455 §7.4.1). */
const NOT_UNDERSTOOD = 1008;
/** Pages that are open with one link at the most: more would take from everybody else. */
const MOST_OF_LINK = 500;
/** How soon after a change it is found out anew what is seen, and after which changes. */
const ANEW_MS = 300;
/** And how long after that did not work. */
const ANEW_LATER_MS = 5000;
const MAY_SHOW_OTHERS: ReadonlySet<string> = new Set(['devices', 'kinds', 'dashboards', 'links', 'grants']);
const MOST_WATCH_BYTES = 128 * 1024;
/** Messages of a page in a second at the most. */
const MOST_MESSAGES = 20;

/** How it is found out again what a page sees; `key` where it is the same for several. */
interface Renewal {
  key: string | null;
  anew(): Promise<Holder | null>;
  take(part: PartSeen | null): void;
}

interface HubParts {
  store: Store;
  registry: Registry;
  recent: Recent;
  bus: Bus;
  /** When a device was heard last, epoch ms; null for never, as far as this service knows. */
  lastSeen: (deviceRowId: number) => number | null;
  log: Logger;
}

export interface LiveHub {
  /** `anew` finds out again what the holder may see; null where they may not any more. */
  upgrade(
    request: IncomingMessage,
    socket: Duplex,
    head: Buffer,
    holder: Holder,
    anew: () => Promise<Holder | null>,
  ): Promise<void>;
  /** Called before the recent values are told: what came late is told by what was the newest before. */
  committed(committed: Committed): void;
  /** A picture came to another node. */
  pictured(series: number, at: number, facts: Value): void;
  /** A device was heard, whatever it said. */
  heard(deviceRowId: number): void;
  /** Pages may have missed something: they read again what they show. */
  readAgain(): void;
  count(): number;
  stop(): void;
}

/**
 * Sends pages what happens in their workspace: changes to all of them, readings, commands and arrivals of a device to those that
 * say they show it.
 */
export function createLiveHub({ store, registry, recent, bus, lastSeen, log }: HubParts): LiveHub {
  const server = new WebSocketServer({ noServer: true, maxPayload: MOST_WATCH_BYTES });
  const pages = new Map<number, Set<WebSocket>>();
  const holders = new Map<Holder, WebSocket>();
  const unanswered = new WeakMap<WebSocket, number>();
  /** Pages that see only a part of their workspace, and how it is found out again which. */
  const parts = new Map<WebSocket, PartSeen>();
  const renewals = new Map<WebSocket, Renewal>();
  const devices = createAudience();
  const arrivals = createAudience();

  const audienceOf = (workspaceId: number, message: LiveMessage): Iterable<WebSocket> => {
    switch (message.type) {
      case 'readings':
      case 'past':
      case 'heard':
      case 'has':
        return devices.of(workspaceId, message.device);
      case 'command':
        return devices.of(workspaceId, message.command.deviceId);
      case 'arrival':
        return arrivals.of(workspaceId, message.arrival.deviceId);
      default:
        return pages.get(workspaceId) ?? [];
    }
  };
  const send = (workspaceId: number, message: LiveMessage): void => {
    let whole: string | undefined;
    for (const socket of audienceOf(workspaceId, message)) {
      const part = parts.get(socket);
      const heard = part === undefined ? message : heardBy(part, message);
      if (heard === null) continue;
      const text = heard === message ? (whole ??= JSON.stringify(message)) : JSON.stringify(heard);
      // A page that does not keep up is dropped; it connects again and reads everything anew.
      if (socket.bufferedAmount > MOST_BUFFERED) socket.terminate();
      else socket.send(text);
    }
  };
  bus.on('live', ({ workspaceId, message }) => {
    send(workspaceId, message);
    if (message.type === 'changed' && MAY_SHOW_OTHERS.has(message.what)) lookAnew(workspaceId);
  });
  /** What pages that see only a part may see is found out again, together for changes that come in bursts. */
  const changesOf = new Map<number, NodeJS.Timeout>();
  let under: Promise<void> = Promise.resolve();
  let stopped = false;
  /** One after the other, and once for all pages of one link: however many look, it is one look. */
  const renew = async (sockets: readonly WebSocket[]): Promise<void> => {
    const found = new Map<string, PartSeen | null>();
    for (const socket of sockets) {
      const renewal = renewals.get(socket);
      if (renewal === undefined) continue;
      const known = renewal.key === null ? undefined : found.get(renewal.key);
      let part: PartSeen | null;
      if (known !== undefined) part = known;
      else {
        const now = await renewal.anew();
        part = now === null ? null : await partSeenBy(registry, now);
        if (renewal.key !== null) found.set(renewal.key, part);
      }
      renewal.take(part);
    }
  };
  const lookAnew = (workspaceId: number, afterMs = ANEW_MS): void => {
    if (changesOf.has(workspaceId) || stopped) return;
    const timer = setTimeout(() => {
      changesOf.delete(workspaceId);
      under = under
        .then(() => renew([...(pages.get(workspaceId) ?? [])]))
        .catch((error: Error) => {
          log.debug({ err: error }, 'what a page sees is looked at later');
          lookAnew(workspaceId, ANEW_LATER_MS);
        });
    }, afterMs);
    changesOf.set(workspaceId, timer);
  };

  const countOf = (link: number): number => {
    let count = 0;
    for (const { pass } of holders.keys()) if (pass.kind === 'link' && pass.id === link) count++;
    return count;
  };

  const readings = createReadings({ registry, recent, devices, send, lastSeen, log });
  // A page whose session, key or membership ended is closed, wherever that was done.
  let looking = false;
  /** When it was last known who may see what is open. */
  let allowedAt = performance.now();
  const sayShown = (begun?: number): void => {
    const workspaces = arrivals.workspaces();
    if (workspaces.length > 0)
      bus.emit('shown', begun === undefined ? { workspaces } : { workspaces, begun });
  };
  const look = setInterval(() => {
    sayShown();
    if (holders.size === 0) allowedAt = performance.now();
    // Nobody can say whether they may still see this: they come again, and are let in once that is known.
    if (performance.now() - allowedAt > MOST_UNKNOWN_MS) {
      for (const page of holders.values()) page.close(TRY_LATER, 'the records cannot be reached');
      return;
    }
    if (holders.size === 0 || looking) return;
    looking = true;
    ended(store, [...holders.keys()])
      .then((gone) => {
        allowedAt = performance.now();
        for (const holder of gone) holders.get(holder)?.close(SIGNED_OUT, 'signed out');
      })
      .catch((error: Error) => log.debug({ err: error }, 'open pages are looked at later'))
      .finally(() => (looking = false));
  }, LOOK_MS);
  const heartbeat = setInterval(() => {
    const beat = JSON.stringify({ type: 'beat', now: clockNow() } satisfies LiveMessage);
    for (const sockets of pages.values())
      for (const socket of sockets) {
        const missed = unanswered.get(socket) ?? 0;
        if (missed >= MOST_UNANSWERED) socket.terminate();
        else {
          unanswered.set(socket, missed + 1);
          socket.ping();
          socket.send(beat);
        }
      }
  }, BEAT_MS);

  /** What a page may have missed before it said what it shows. */
  const showNewest = async (page: WebSocket, workspaceId: number, watched: Watched): Promise<void> => {
    if (watched !== 'all' && watched.size > 0) {
      const rows = await listIn(store.models.devices, workspaceId, {
        where: { id: [...watched] },
        attributes: ['rowId'],
      });
      for (const entry of (await registry.load(rows.map(({ rowId }) => rowId))).values()) {
        const values = newestOf(entry, recent).map(({ key, at, value }): [string, number, Value] => [
          key,
          at,
          value,
        ]);
        const at = lastSeen(entry.rowId) ?? entry.lastSeenAt ?? undefined;
        const part = parts.get(page);
        if (values.length === 0 && at === undefined) continue;
        const message: LiveMessage =
          values.length > 0
            ? { type: 'readings', device: entry.id, values, heard: at }
            : { type: 'heard', device: entry.id, at: at! };
        const seen = part === undefined ? message : heardBy(part, message);
        if (seen !== null && page.bufferedAmount < MOST_BUFFERED) page.send(JSON.stringify(seen));
      }
    }
    page.send(JSON.stringify({ type: 'watching' } satisfies LiveMessage));
  };

  return {
    async upgrade(request, socket, head, holder, anew) {
      const { workspaceId, pass } = holder;
      const ofLink = pass.kind === 'link' ? pass.id : null;
      if (ofLink !== null && countOf(ofLink) >= MOST_OF_LINK) {
        socket.end('HTTP/1.1 503 Service Unavailable\r\nRetry-After: 30\r\nConnection: close\r\n\r\n');
        return;
      }
      const seen = await partSeenBy(registry, holder);
      server.handleUpgrade(request, socket, head, (page) => {
        const mine = pages.get(workspaceId) ?? new Set();
        pages.set(workspaceId, mine);
        mine.add(page);
        holders.set(holder, page);
        if (seen !== null) {
          parts.set(page, seen);
          renewals.set(page, {
            key: holder.pass.kind === 'link' ? `link ${holder.pass.id}` : null,
            anew,
            take(part) {
              // Gone, or more than a part by now: it comes again, as whoever it is.
              if (part === null) return page.close(SIGNED_OUT, 'signed out');
              if (!parts.has(page)) return;
              parts.set(page, part);
              if (newest !== null) listen(newest);
            },
          });
        }
        page.on('pong', () => unanswered.set(page, 0));
        let messages = 0;
        let shown: Promise<void> = Promise.resolve();
        let newest: Watch | null = null;
        const listen = (watch: Watch): Watched => {
          const part = parts.get(page) ?? null;
          const heard = mayWatch(part, watch.devices);
          devices.set(page, workspaceId, heard);
          const asked = part === null ? watch.arrivals : new Set<string>();
          arrivals.set(page, workspaceId, asked);
          if (asked === 'all' || asked.size > 0) sayShown(workspaceId);
          return heard;
        };
        const calm = setInterval(() => (messages = 0), 1000);
        page.on('message', (data) => {
          const watch = ++messages > MOST_MESSAGES ? null : readWatch(data);
          if (watch === null)
            return page.close(NOT_UNDERSTOOD, 'send {"type":"watch","devices":[…],"arrivals":[…]}');
          newest = watch;
          const heard = listen(watch);
          // One after the other, and only for what it shows by then.
          shown = shown
            .then(() => (newest === watch ? showNewest(page, workspaceId, heard) : undefined))
            .catch((error: Error) => log.debug({ err: error }, 'newest readings missed'));
        });
        page.on('close', () => {
          clearInterval(calm);
          devices.forget(page);
          arrivals.forget(page);
          parts.delete(page);
          renewals.delete(page);
          mine.delete(page);
          holders.delete(holder);
          if (mine.size === 0 && pages.get(workspaceId) === mine) pages.delete(workspaceId);
        });
        page.on('error', () => page.terminate());
        page.send(JSON.stringify({ type: 'hello', now: clockNow() } satisfies LiveMessage));
      });
    },
    committed: readings.committed,
    pictured: readings.pictured,
    heard: readings.heard,
    readAgain() {
      const text = JSON.stringify({ type: 'again' } satisfies LiveMessage);
      for (const sockets of pages.values()) for (const socket of sockets) socket.send(text);
    },
    count: () => [...pages.values()].reduce((sum, sockets) => sum + sockets.size, 0),
    stop() {
      stopped = true;
      readings.stop();
      for (const timer of changesOf.values()) clearTimeout(timer);
      clearInterval(heartbeat);
      clearInterval(look);
      for (const sockets of pages.values()) for (const socket of sockets) socket.terminate();
      server.close();
    },
  };
}
