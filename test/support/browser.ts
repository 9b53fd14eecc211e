import { chromium, type Browser, type BrowserContext, type Page } from 'playwright-core';

/** Debian's Chromium without a window, and without calling home. */
export function startBrowser(): Promise<Browser> {
  return chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  });
}

/** Cookies as a request sends them, for a context of a browser. */
export const cookiesOf = (cookie: string, url: string): { name: string; value: string; url: string }[] =>
  cookie.split('; ').map((one) => {
    const [, name, value] = /^([^=]+)=(.*)$/.exec(one)!;
    return { name: name!, value: value!, url };
  });

/** A wide page with somebody signed in; what goes wrong in it is gathered in `faults`. */
export async function signedInPage(
  browser: Browser,
  url: string,
  { email, password }: { email: string; password: string },
): Promise<{ page: Page; context: BrowserContext; faults: string[] }> {
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    acceptDownloads: true,
    // What it keeps between tests would hide what the service says; it has a test of its own.
    serviceWorkers: 'block',
  });
  await context.request.post(`${url}/api/session`, { data: { email, password } });
  const page = await context.newPage();
  const faults: string[] = [];
  page.setDefaultTimeout(30_000);
  page.on('pageerror', (error) => faults.push(error.message));
  return { page, context, faults };
}
