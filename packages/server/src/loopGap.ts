import type { IncomingMessage } from 'node:http';

/** How long the loop must have stood for a gap, in ms: a paused process, or a machine that was asleep. */
const GAP_MS = 3000;
const BEAT_MS = 250;
/** What had come meanwhile is read within so long after a gap, in ms: connections first, then what they brought. */
const AWAKE_MS = 500;

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

/** Notes of a request that it was read right after a gap: nobody knows how long it had waited. To be called as it is read. */
export function markAfterGap(request: IncomingMessage): void {
  if (isJustAwake || performance.now() - beatAt > GAP_MS) marked.add(request);
}

/** True for a request that may have waited while this process stood still. */
export const isAfterGap = (request: IncomingMessage): boolean => marked.has(request);
