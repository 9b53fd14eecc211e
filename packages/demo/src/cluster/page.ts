import { setTimeout as sleep } from 'node:timers/promises';
import { WebSocket } from 'ws';
import { LIVE_PATH, type LiveMessage } from '@peatmoor/contract';
import { within, type Sent } from './load';

/** A page that shows one device, opened again whenever it is lost, as the console does. `saw` hears of each level that it shows. */
export function openPage(url: string, key: string, device: string, saw?: (level: number) => void) {
  let stopped = false;
  let shown = 0;
  let socket: WebSocket | null = null;
  let heardAt = performance.now();
  let opened = 0;
  const connect = (): void => {
    if (stopped) return;
    opened++;
    const one = new WebSocket(url.replace('http', 'ws') + LIVE_PATH, {
      headers: { authorization: `Bearer ${key}` },
    });
    socket = one;
    heardAt = performance.now();
    one.on('open', () => one.send(JSON.stringify({ type: 'watch', devices: [device], arrivals: [] })));
    one.on('message', (data) => {
      heardAt = performance.now();
      const message = JSON.parse((data as Buffer).toString()) as LiveMessage;
      if (message.type !== 'readings' || message.device !== device) return;
      for (const [name, , value] of message.values)
        if (name === 'level' && typeof value === 'number') {
          shown = value;
          saw?.(value);
        }
    });
    one.on('error', () => undefined);
    one.on('close', () => setTimeout(connect, 500));
  };
  connect();
  const watch = setInterval(() => {
    if (performance.now() - heardAt > 9000) socket?.terminate();
  }, 500);
  return {
    /** Waits until it shows something that was acknowledged after this call. */
    async rightWithin(ms: number, sent: Sent): Promise<void> {
      const from = Math.max(0, ...sent.kept.keys());
      const end = performance.now() + ms;
      while (shown <= from) {
        if (performance.now() > end)
          throw new Error(
            `a page does not become right: it shows ${shown} of ${device}, the newest acknowledged is ${Math.max(0, ...sent.kept.keys())} (${from} at first); its link is ${['opening', 'open', 'closing', 'closed'][socket?.readyState ?? 3]}, last heard ${((performance.now() - heardAt) / 1000).toFixed(1)} s ago, opened ${opened} times`,
          );
        await sleep(50);
      }
    },
    stop() {
      stopped = true;
      clearInterval(watch);
      socket?.terminate();
    },
  };
}

/** How long readings take from their answer by one node to a page at another, in ms: `times` of them, one after the other. */
export async function crossings(
  nodes: { from: string; to: string },
  key: string,
  device: { id: string; token: string },
  times: number,
): Promise<number[]> {
  let wanted = 0;
  let come: (() => void) | undefined;
  const page = openPage(nodes.to, key, device.id, (level) => {
    if (level === wanted) come?.();
  });
  const took: number[] = [];
  await sleep(1000);
  for (let n = 1; n <= times; n++) {
    wanted = n;
    const isShown = new Promise<void>((resolve) => (come = resolve));
    const answer = await fetch(`${nodes.from}/device/report`, {
      method: 'POST',
      headers: { authorization: `Bearer ${device.token}`, 'content-type': 'application/json' },
      body: `{"level":${n}}`,
    });
    if (!answer.ok) throw new Error(`${answer.status}: ${await answer.text()}`);
    const since = performance.now();
    await within(10_000, isShown);
    took.push(performance.now() - since);
    // At no fixed place among what is said and looked at now and then.
    await sleep(50 + ((n * 37) % 150));
  }
  page.stop();
  return took;
}
