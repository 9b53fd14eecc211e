import type { BrowserContext } from 'playwright-core';
import { median, pause } from './measure';

/** First loads of each page, of which the one in the middle is told. */
const LOADS = 5;

interface FirstLoad {
  ms: number;
  /** Bytes by sort of file, with what HTTP says about them. */
  bytes: Map<string, number>;
  /** Compressed bytes of scripts that the first live value waited for, without that. */
  scripts: number;
  shift: number;
}

/** Bytes and time of first loads with nothing kept, without and with a slow line. */
export async function firstLoad(
  signedIn: () => Promise<BrowserContext>,
  url: string,
  dashboard: number,
  say: (text: string) => void,
): Promise<void> {
  for (const [where, slow] of [
    [`/dashboards/${dashboard}`, false],
    [`/dashboards/${dashboard}`, true],
    ['/', false],
  ] as const) {
    const loads: FirstLoad[] = [];
    for (let n = 0; n < LOADS; n++) loads.push(await loadFirst(signedIn, url, where, slow));
    const { bytes, scripts } = loads[0]!;
    const kb = (type: string): string => ((bytes.get(type) ?? 0) / 1024).toFixed(0);
    const all = [...bytes.values()].reduce((total, one) => total + one, 0) / 1024;
    const times = loads.map(({ ms }) => ms / 1000);
    say(
      `First load of ${where === '/' ? 'the overview' : 'the dashboard'} ${slow ? 'at 1.6 Mbit/s and 150 ms' : 'on loopback'}: first live value after ${median(times).toFixed(2)} s (${Math.min(...times).toFixed(2)} to ${Math.max(...times).toFixed(2)}); script ${(scripts / 1024).toFixed(0)} KB before it and ${kb('Script')} KB with all that came after and headers, fonts ${kb('Font')} KB, style ${kb('Stylesheet')} KB, in all ${all.toFixed(0)} KB; layout shift ${Math.max(...loads.map(({ shift }) => shift)).toFixed(3)}.`,
    );
  }
}

/**
 * By the page's own clock, from when it was asked for, the ms until the frame with the first figure in one of these elements was
 * drawn. Asked for from outside, it would be known only once the page has a rest.
 */
function untilDrawn(elements: string): string {
  return `
  window.firstDrawn = new Promise((resolve) => {
    const drawn = () => {
      const { port1, port2 } = new MessageChannel();
      port1.onmessage = () => resolve(performance.now());
      // What is sent within a frame comes once it is drawn.
      requestAnimationFrame(() => port2.postMessage(null));
    };
    new MutationObserver((_, watching) => {
      if (![...document.querySelectorAll(${JSON.stringify(elements)})].some((one) => /\\d/.test(one.textContent))) return;
      watching.disconnect();
      drawn();
    }).observe(document, { subtree: true, childList: true, characterData: true });
  })`;
}

async function loadFirst(
  signedIn: () => Promise<BrowserContext>,
  url: string,
  where: string,
  slow: boolean,
): Promise<FirstLoad> {
  const context = await signedIn();
  const page = await context.newPage();
  const session = await context.newCDPSession(page);
  await session.send('Network.enable');
  if (slow)
    await session.send('Network.emulateNetworkConditions', {
      offline: false,
      latency: 150,
      downloadThroughput: (1.6 * 1_000_000) / 8,
      uploadThroughput: 750_000 / 8,
    });
  const types = new Map<string, string>();
  const bytes = new Map<string, number>();
  session.on('Network.responseReceived', ({ requestId, type }) => void types.set(requestId, type));
  session.on('Network.loadingFinished', ({ requestId, encodedDataLength }) => {
    const type = types.get(requestId) ?? 'Other';
    bytes.set(type, (bytes.get(type) ?? 0) + encodedDataLength);
  });
  await page.addInitScript(untilDrawn(where === '/' ? '[data-device]' : '[data-widget="value"]'));
  await page.goto(url + where);
  const ms = await page.evaluate<number>('window.firstDrawn');
  const scripts = await page.evaluate<number>(
    `[...new Map(
      performance.getEntriesByType('resource')
        .filter(({ name, responseEnd }) => name.endsWith('.js') && responseEnd <= ${ms})
        .map(({ name, encodedBodySize }) => [name, encodedBodySize]),
    ).values()].reduce((sum, one) => sum + one, 0)`,
  );
  await pause(1000);
  const shift = await page.evaluate(
    () =>
      new Promise<number>((resolve) => {
        let sum = 0;
        new PerformanceObserver((list) => {
          for (const entry of list.getEntries()) sum += (entry as unknown as { value: number }).value;
        }).observe({ type: 'layout-shift', buffered: true });
        setTimeout(() => resolve(sum), 200);
      }),
  );
  await context.close();
  return { ms, bytes, scripts, shift };
}
