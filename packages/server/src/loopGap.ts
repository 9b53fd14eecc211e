import type { IncomingMessage } from 'node:http';

/** How long the loop must have stood for a gap, in ms: a paused process, or a machine that was asleep. */
const GAP_MS = 2000;
const BEAT_MS = 250;
/** After a gap the loop is on its guard until so many beats in a row came in time: what had come meanwhile has been read by then. */
const CALM_BEATS = 4;
/** A beat in time is no later than this, in ms. */
const CALM_MS = 50;
/** Whoever is never calm is on its guard for no longer than this, in ms. */
const LONGEST_MS = 5000;

let beatAt = performance.now();
/** When the last gap ended; null once it is calm. */
let awakeSince: number | null = null;
let calmBeats = 0;

const standsInGap = (): boolean => performance.now() - beatAt > GAP_MS;

setInterval(() => {
  const now = performance.now();
  const lateMs = now - beatAt - BEAT_MS;
  if (standsInGap()) {
    awakeSince = now;
    calmBeats = 0;
  } else if (awakeSince !== null) {
    calmBeats = lateMs <= CALM_MS ? calmBeats + 1 : 0;
    if (calmBeats >= CALM_BEATS || now - awakeSince > LONGEST_MS) awakeSince = null;
  }
  beatAt = now;
}, BEAT_MS).unref();

/** True while what is read may have waited through a gap. */
const isOnGuard = (): boolean => awakeSince !== null || standsInGap();

const marked = new WeakSet<IncomingMessage>();
const readAt = new WeakMap<IncomingMessage, number>();
const cameInGap = new WeakSet<object>();

/** Notes of a connection that it was taken right after a gap: what it brings first may have waited with it, however late it is read. */
export function noteConnection(socket: object): void {
  if (isOnGuard()) cameInGap.add(socket);
}

/** Notes of a request that it was read right after a gap: nobody knows how long it had waited. To be called as it is read. */
export function markAfterGap(request: IncomingMessage): void {
  readAt.set(request, performance.now());
  const isFirst = cameInGap.delete(request.socket);
  if (isFirst || isOnGuard()) marked.add(request);
}

/** When a request was read, by the passing of time in this process, in ms. */
export const readAtOf = (request: IncomingMessage): number => readAt.get(request) ?? performance.now();

/** True for a request that may have waited while this process stood still. */
export const isAfterGap = (request: IncomingMessage): boolean => marked.has(request);
