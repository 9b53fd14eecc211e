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

// What a browser keeps: the pages, and the last values with their age, without the service.
let service: TestService;
let person: Person;
let browser: Browser;
let context: BrowserContext;
let page: Page;
let dashboard: number;

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  const { token, device } = await newDevice(person.client);
  await post(service, token, { level: -121 });
  dashboard = (await person.client.call('createStarterDashboard', { params: { device: device.id } })).id;
  browser = await startBrowser();
  context = await browser.newContext({ viewport: { width: 390, height: 844 } });
  const { email, password } = person;
  await context.request.post(`${service.url}/api/session`, { data: { email, password } });
  page = await context.newPage();
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
});

const opened = async (): Promise<void> => {
  await page.goto(`${service.url}/dashboards/${dashboard}`);
  await page.locator('[data-widget="gauge"]').first().getByText('-121').waitFor();
};

/** Paths of all that the browser keeps. */
const kept = async (): Promise<string[]> =>
  page.evaluate(async () =>
    (await Promise.all((await caches.keys()).map(async (name) => (await caches.open(name)).keys())))
      .flat()
      .map(({ url }) => new URL(url).pathname),
  );

it('keeps the pages and what they showed; never an answer to what was changed, nor secrets', async () => {
  await opened();
  await page.evaluate(() => navigator.serviceWorker.ready);
  // From the second visit on the worker has what the page asks for.
  await opened();
  await until(async () => (await kept()).includes(`/api/dashboards/${dashboard}`));
  const paths = await kept();
  expect(paths).toContain('/index.html');
  expect(paths.filter((path) => /keys|tokens|people|arrivals|export|session/.test(path))).toEqual([]);
});

it('without the service the page opens all the same, with the last value, its age, and that it is not connected', async () => {
  await service.program.kill();
  await opened();
  await page.getByText('Not connected').filter({ visible: true }).first().waitFor();
  await page
    .getByText(/^as of \d\d:\d\d$/)
    .first()
    .waitFor();
  await page.getByRole('button', { name: 'Pump on' }).first().click();
  await page.getByText('Not connected: nothing was sent.').waitFor();
});

it('goes on by itself once the service is back, and keeps nothing after the sign-out', async () => {
  await service.restart(false).catch(() => service.restart());
  await page
    .getByText(/^as of/)
    .first()
    .waitFor({ state: 'hidden' });
  await page.goto(`${service.url}/settings`);
  await page.getByRole('button', { name: 'Sign out', exact: true }).first().click();
  await page.getByRole('button', { name: 'Sign in' }).waitFor();
  // Whether the service has accounts is asked for the sign-in.
  expect((await kept()).filter((path) => path.startsWith('/api/') && path !== '/api/status')).toEqual([]);
});
