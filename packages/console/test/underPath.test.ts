import http from 'node:http';
import net from 'node:net';
import type { AddressInfo } from 'node:net';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { startBrowser } from '../../../test/support/browser';
import {
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

jest.setTimeout(180_000);

// Behind a proxy that shows the service under a path. Some proxies take the path away, some pass it on.
const BASE = '/moor';
interface Proxy {
  url: string;
  /** Everything that was asked for, as it was asked. */
  asked: string[];
  to(port: number): void;
  stop(): Promise<void>;
}
async function startProxy(strips: boolean): Promise<Proxy> {
  const asked: string[] = [];
  let port = 0;
  const onward = (url: string): string => (strips ? url.slice(BASE.length) || '/' : url);
  const server = http.createServer((request, response) => {
    const url = request.url!;
    asked.push(url);
    if (!url.startsWith(`${BASE}/`) && url !== BASE) {
      response.writeHead(404).end('another site\n');
      return;
    }
    const passed = http.request(
      { port, host: '127.0.0.1', method: request.method, path: onward(url), headers: request.headers },
      (answer) => {
        response.writeHead(answer.statusCode!, answer.headers);
        answer.pipe(response);
      },
    );
    passed.on('error', () => response.destroy());
    request.pipe(passed);
  });
  server.on('upgrade', (request, socket, head) => {
    asked.push(request.url!);
    const through = net.connect(port, '127.0.0.1', () => {
      const lines = request.rawHeaders.reduce<string[]>(
        (all, one, i, raw) => (i % 2 === 0 ? [...all, `${one}: ${raw[i + 1]}`] : all),
        [],
      );
      through.write([`GET ${onward(request.url!)} HTTP/1.1`, ...lines, '', ''].join('\r\n'));
      through.write(head);
      through.pipe(socket).pipe(through);
    });
    for (const one of [socket, through]) one.on('error', () => (socket.destroy(), through.destroy()));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}${BASE}`,
    asked,
    to: (found) => void (port = found),
    async stop() {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
    },
  };
}

describe.each([
  ['passes the path on', false],
  ['takes the path away', true],
])('a proxy that %s', (_name, strips) => {
  let proxy: Proxy;
  let service: TestService;
  let person: Person;
  let token: string;
  let browser: Browser;
  let context: BrowserContext;
  let page: Page;

  beforeAll(async () => {
    proxy = await startProxy(strips);
    service = await startService({ PEATMOOR_PUBLIC_URL: `${proxy.url}/` });
    proxy.to(service.program.ready.httpPort);
    person = await newPerson(service);
    ({ token } = await newDevice(person.client));
    await post({ url: proxy.url } as TestService, token, { level: -121 });
    browser = await startBrowser();
    context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
    page = await context.newPage();
  });
  afterAll(async () => {
    await browser?.close();
    await service?.stop();
    await proxy?.stop();
  });

  it('shows the console, at every address, live, and asks for nothing outside the path', async () => {
    await page.goto(`${proxy.url}/`);
    await page.getByLabel('Email').fill(person.email);
    await page.getByLabel('Password').fill(person.password);
    await page.getByRole('button', { name: 'Sign in' }).click();
    await page.getByRole('link', { name: 'Devices' }).first().click();
    await page.getByRole('link', { name: 'Dipwell North' }).first().click();
    await page.getByText('-121').first().waitFor();
    expect(new URL(page.url()).pathname).toMatch(/^\/moor\/devices\/dipwell-north/);
    await page.reload();
    await page.getByText('-121').first().waitFor();
    expect((await post({ url: proxy.url } as TestService, token, { level: -98 })).status).toBe(200);
    await page.getByText('-98').first().waitFor();
    await until(() => proxy.asked.includes('/moor/api/live'));
    const scope = await page.evaluate(async () => (await navigator.serviceWorker.ready).scope);
    expect(new URL(scope).pathname).toBe('/moor/');
    // From now on the worker answers too.
    await page.reload();
    await page.getByText('-98').first().waitFor();
    await page.goto(`${proxy.url}/settings`);
    await page.getByRole('link', { name: 'Documentation' }).click();
    await page.getByRole('link', { name: 'Peatmoor', exact: true }).click();
    await page.getByRole('link', { name: 'Devices' }).first().waitFor();
    expect(new URL(page.url()).pathname).toBe('/moor/');
    expect(proxy.asked.filter((url) => !url.startsWith('/moor/'))).toEqual([]);
  });

  it('opens a page without the service, once the browser has kept it', async () => {
    await context.setOffline(true);
    await page.goto(`${proxy.url}/devices/dipwell-north`);
    await page.getByText('-98').first().waitFor();
    await context.setOffline(false);
  });

  it('tells every address with the path: of what was made, of links, of what the API says of itself', async () => {
    const { client, cookie } = person;
    expect((await client.call('me')).address.httpUrl).toBe(proxy.url);
    const made = await fetch(`${proxy.url}/api/devices`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', cookie: cookie(), 'sec-fetch-site': 'same-origin' },
      body: JSON.stringify({ name: 'Sluice', newKind: { title: 'Sluice' } }),
    });
    expect(made.status).toBe(201);
    expect(made.headers.get('location')).toBe('/moor/api/devices/sluice');
    const { servers } = (await (await fetch(`${proxy.url}/api/openapi.json`)).json()) as {
      servers: { url: string }[];
    };
    expect(servers[0]!.url).toBe(proxy.url);
    const docs = await fetch(`${proxy.url}/docs`, { redirect: 'manual' });
    expect(docs.headers.get('location')).toBe('/moor/docs/index.html');
    expect(await (await fetch(`${proxy.url}/problems`)).text()).toContain('href="/moor/problems/not-found"');
    // Boards of the same network need no proxy.
    expect((await post(service, token, { level: -97 })).status).toBe(200);
  });
});

it('a path that is one of the service itself is refused at the start', async () => {
  await expect(startService({ PEATMOOR_PUBLIC_URL: 'https://moor.example/devices' })).rejects.toThrow(
    'PEATMOOR_PUBLIC_URL cannot have a path that begins with /devices',
  );
});
