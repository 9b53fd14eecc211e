import type { Browser, BrowserContext, Page } from 'playwright-core';
import { signedInPage, startBrowser } from '../../../test/support/browser';
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

// What a page does while the service, the network or the person's session is gone.
let service: TestService;
let person: Person;
let browser: Browser;
let context: BrowserContext;
let page: Page;
let faults: string[];
let token: string;
let dashboard: number;
const device = 'dipwell-north';

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ token } = await newDevice(person.client));
  await post(service, token, { level: -120 });
  dashboard = (
    await person.client.call('createDashboard', {
      body: {
        title: 'Weir',
        widgets: [
          {
            id: 'a',
            type: 'switch',
            title: '',
            sources: [{ device, stream: 'pump' }],
            options: {},
            x: 0,
            y: 0,
            w: 3,
            h: 2,
          },
          {
            id: 'b',
            type: 'value',
            title: '',
            sources: [{ device, stream: 'level' }],
            options: {},
            x: 3,
            y: 0,
            w: 3,
            h: 2,
          },
          {
            id: 'c',
            type: 'value',
            title: '',
            sources: [{ device, stream: 'temperature' }],
            options: {},
            x: 6,
            y: 0,
            w: 3,
            h: 2,
          },
        ],
      },
    })
  ).id;
  browser = await startBrowser();
  ({ page, context, faults } = await signedInPage(browser, service.url, person));
  await page.goto(`${service.url}/dashboards/${dashboard}`);
  await page.getByRole('button', { name: 'Pump on' }).waitFor();
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
});

const pump = () => page.getByRole('button', { name: 'Pump on' });
const commands = () => person.client.call('listCommands', { params: { device } });
const lost = () => page.getByText('Not connected, trying again').first();

it('a switch pressed without a network fails at once, and is not sent later', async () => {
  await pump().waitFor();
  await context.setOffline(true);
  await lost().waitFor();
  await pump().click();
  await page.getByText('Not connected: nothing was sent').waitFor();
  // The device is not blamed for it.
  await page
    .getByText(/^as of \d/)
    .first()
    .waitFor();
  await context.setOffline(false);
  await lost().waitFor({ state: 'hidden' });
  await pump().click();
  await until(async () => (await commands()).length === 1);
  await page.locator('[data-state="waiting"]').waitFor();
});

it('a service that answers no more is noticed, and a press that it never took is refused when it comes back', async () => {
  const { pid } = service.program.child;
  const before = (await commands()).length;
  process.kill(pid!, 'SIGSTOP');
  try {
    await pump().click();
    await page.getByText('on its way').waitFor();
    await page.getByText('not known').waitFor();
    await lost().waitFor();
  } finally {
    process.kill(pid!, 'SIGCONT');
  }
  await page.getByText('No answer came in time, and it was not sent').waitFor();
  expect((await commands()).length).toBe(before);
  await lost().waitFor({ state: 'hidden' });
});

it('shows what came meanwhile as soon as the link is back', async () => {
  await context.setOffline(true);
  await lost().waitFor();
  await post(service, token, { level: -321 });
  await context.setOffline(false);
  await page.getByText('-321').first().waitFor();
});

it('keeps two edits that follow each other at once, and those made while the link was lost', async () => {
  await page.getByRole('button', { name: 'Edit', exact: true }).click();
  await page.getByRole('button', { name: 'Remove Peat temperature' }).waitFor();
  // Both within one turn of the page.
  await page.evaluate(() => {
    for (const name of ['Remove Water level', 'Remove Peat temperature'])
      document.querySelector<HTMLElement>(`[aria-label="${name}"]`)!.click();
  });
  const widgets = async (): Promise<number> =>
    (await person.client.call('readDashboard', { params: { dashboard } })).widgets.length;
  await until(async () => (await widgets()) === 1);
  await context.setOffline(true);
  await lost().waitFor();
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.locator('[data-kept="failed"]').waitFor();
  await context.setOffline(false);
  await until(async () => (await widgets()) === 2);
  await page.locator('[data-kept="kept"]').waitFor();
  await page.getByRole('button', { name: 'Done' }).click();
});

it('a double click makes one, and nothing is ended unasked', async () => {
  await page.goto(`${service.url}/settings`);
  await page.getByLabel('A new key for').fill('sheet');
  await page.getByRole('button', { name: 'Make it' }).dblclick();
  await page.getByText('The new key, shown only now').waitFor();
  const keys = () => person.client.call('listKeys');
  expect((await keys()).length).toBe(1);
  await page.getByRole('button', { name: 'End it' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Cancel' }).click();
  await page.getByRole('dialog').waitFor({ state: 'hidden' });
  expect((await keys()).length).toBe(1);
  await page.getByRole('button', { name: 'End it' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'End it' }).click();
  await until(async () => (await keys()).length === 0);
});

it('says on each page where one is, and the address says what is looked at', async () => {
  await page.goto(`${service.url}/history?device=${device}&period=7d`);
  await page.getByRole('radio', { name: '7 d' }).waitFor();
  expect(await page.getByRole('radio', { name: '7 d' }).getAttribute('aria-checked')).toBe('true');
  await until(async () => (await page.title()) === 'History · Peatmoor');
  await page.getByRole('radio', { name: '24 h' }).click();
  await page.getByText('Choose devices and datastreams').click();
  await page.getByRole('checkbox', { name: 'Water level' }).click();
  await until(() => /period=24h/.test(page.url()) && /show=dipwell-north%2Ftemperature/.test(page.url()));
  await page.reload();
  await page.getByText('Choose devices and datastreams').click();
  expect(await page.getByRole('checkbox', { name: 'Water level' }).isChecked()).toBe(false);
});

it('a page whose file cannot be fetched comes when it can; what is shown stays until then', async () => {
  const tab = await context.newPage();
  let loads = 0;
  tab.on('domcontentloaded', () => loads++);
  await tab.goto(service.url);
  await tab.getByRole('heading', { name: 'Overview' }).waitFor();
  await tab.route('**/assets/**', (route) => route.abort());
  await tab.route('**/robots.txt', (route) => route.abort());
  await tab.getByRole('link', { name: 'Settings' }).click();
  await tab.getByText('A part of this page cannot be fetched, trying again').first().waitFor();
  await tab.getByRole('heading', { name: 'Overview' }).waitFor();
  await tab.unroute('**/assets/**');
  await tab.getByRole('heading', { name: 'Settings', exact: true }).waitFor();
  expect([loads, await tab.getByText('A part of this page cannot be fetched').count()]).toEqual([1, 0]);
  // Of a service that answers, and no longer has the file: the page is loaded anew, and not again and again.
  await tab.unroute('**/robots.txt');
  await tab.route('**/assets/People-*', (route) => route.fulfill({ status: 404 }));
  await tab.getByRole('link', { name: 'People' }).click();
  await until(() => loads === 2);
  await tab.getByText('A part of this page cannot be fetched, trying again').first().waitFor();
  await tab.waitForTimeout(3000);
  expect(loads).toBe(2);
  await tab.unroute('**/assets/People-*');
  await tab.getByRole('heading', { name: 'People', exact: true }).waitFor();
  await tab.close();
});

it('a widget that cannot be drawn says so, and the others go on', async () => {
  const tab = await context.newPage();
  await tab.route('**/api/devices/dipwell-north/calendar?**', (route) =>
    route.fulfill({ json: { buckets: 'not a list' } }),
  );
  const { id } = await person.client.call('createDashboard', {
    body: {
      title: 'Half broken',
      widgets: [
        ...(['bars', 'value'] as const).map((type, i) => ({
          ...{ id: type, type, title: type, options: {}, x: 4 * i, y: 0, w: 4, h: 3 },
          sources: [{ device, stream: 'level' }],
        })),
      ],
    },
  });
  await tab.goto(`${service.url}/dashboards/${id}`);
  await tab.getByText('This widget could not be drawn').waitFor();
  await tab.locator('[data-widget="value"]').getByText(/\d/).first().waitFor();
  await tab.unroute('**/api/devices/dipwell-north/calendar?**');
  await tab.getByRole('button', { name: 'Try again' }).click();
  await tab.getByRole('img', { name: /Water level, .* of each/ }).waitFor();
  await tab.close();
});

it('a page outside of the others that cannot be drawn says so too', async () => {
  const tab = await context.newPage();
  await tab.route('**/api/shared', (route) => route.fulfill({ json: { dashboard: null } }));
  await tab.goto(`${service.url}/shared/${'x'.repeat(22)}`);
  await tab.getByRole('heading', { name: 'This page could not be drawn' }).waitFor();
  await tab.getByRole('button', { name: 'Load it anew' }).waitFor();
  await tab.close();
});

it('a session that ended elsewhere leads to the sign-in', async () => {
  await person.client.call('signOut').catch(() => undefined);
  const cookie = (await context.cookies()).map(({ name, value }) => `${name}=${value}`).join('; ');
  await fetch(`${service.url}/api/session`, {
    method: 'DELETE',
    headers: { cookie, origin: service.url },
  });
  await page.getByRole('button', { name: 'Sign in' }).waitFor();
  expect(faults).toEqual([]);
});
