import type { IncomingMessage } from 'node:http';

/** How long the loop must have stood for a gap, in ms: a paused process, or a machine that was asleep. */
const GAP_MS = 2000;
const BEAT_MS = 250;
/** What had come meanwhile is read within so long after a gap, in ms: connections first, then what they brought. */
const AWAKE_MS = 1000;

let beatAt = performance.now();
let isJustAwake = false;

setInterval(() => {
  const now = performance.now();
  if (now - beatAt > GAP_MS) {
    isJustAwake = true;
    setTimeout(() => (isJustAwake = false), AWAKE_MS).unref();
  }
  beatAt = now;
}, BEAT_MS).unref();

const marked = new WeakSet<IncomingMessage>();
const readAt = new WeakMap<IncomingMessage, number>();

/** Notes of a request that it was read right after a gap: nobody knows how long it had waited. To be called as it is read. */
export function markAfterGap(request: IncomingMessage): void {
  readAt.set(request, performance.now());
  if (isJustAwake || performance.now() - beatAt > GAP_MS) marked.add(request);
}

/** When a request was read, by the passing of time in this process, in ms. */
export const readAtOf = (request: IncomingMessage): number => readAt.get(request) ?? performance.now();

/** True for a request that may have waited while this process stood still. */
export const isAfterGap = (request: IncomingMessage): boolean => marked.has(request);
