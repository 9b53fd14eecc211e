import http from 'node:http';
import type { AddressInfo } from 'node:net';
import fs from 'node:fs';
import path from 'node:path';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { cookiesOf, startBrowser } from '../../../test/support/browser';
import {
  newDevice,
  newFolder,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

jest.setTimeout(180_000);

let service: TestService;
let browser: Browser;
let owner: Person;
let token: string;
let mine: Page;
let board: number;
const faults: string[] = [];
const password = 'sphagnum and heather';
const NORTH = 'dipwell-north';

beforeAll(async () => {
  service = await startService();
  browser = await startBrowser();
  owner = await newPerson(service, 'Warden');
  ({ token } = await newDevice(owner.client));
  await newDevice(owner.client, 'Dipwell South');
  await post(service, token, { level: -120, temperature: 6 });
  board = (await owner.client.call('createStarterDashboard', { params: { device: NORTH } })).id;
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    serviceWorkers: 'block',
  });
  await context.addCookies(cookiesOf(owner.cookie(), service.url));
  mine = await pageOf(context);
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
});

async function pageOf(context?: BrowserContext): Promise<Page> {
  const page = await (context ?? (await browser.newContext({ serviceWorkers: 'block' }))).newPage();
  page.setDefaultTimeout(30_000);
  page.on('pageerror', (error) => faults.push(error.message));
  return page;
}
/** An address of the service, by the name that this test reaches it. */
const here = (address: string): string => service.url + new URL(address).pathname + new URL(address).hash;
/** A page of another site, with what stands in it. */
async function otherSite(html: string): Promise<{ url: (host: string) => string; close: () => void }> {
  const server = http.createServer((_request, response) => {
    response.setHeader('content-type', 'text/html');
    response.end(`<!doctype html><title>Village</title>${html}`);
  });
  await new Promise<void>((resolve) => server.listen(0, resolve));
  const { port } = server.address() as AddressInfo;
  return { url: (host) => `http://${host}:${port}/`, close: () => void server.close() };
}

describe('a share link', () => {
  let visitor: Page;
  let address: string;

  it('shows what a visitor will see before it exists, as the visitor gets it', async () => {
    await mine.goto(`${service.url}/dashboards/${board}`);
    await mine.getByRole('button', { name: 'Share', exact: true }).click();
    await mine
      .getByText('2 datastreams of 1 device, 30 days back; no controls, no names of people.')
      .waitFor();
    const frame = mine.frameLocator('iframe');
    await frame.locator('[data-widget="gauge"]').first().waitFor();
    await frame.getByText('-120').first().waitFor();
    expect(await frame.locator('[data-widget="switch"]').count()).toBe(0);
    expect(await owner.client.call('listLinks')).toEqual([]);
    await mine.getByLabel('Name of the link').fill('For the village');
    await mine.getByRole('button', { name: 'Make the link' }).click();
    await mine.locator('[data-link]').waitFor();
    address = (await mine.locator('[data-link] pre').first().textContent())!;
  });

  it('opens for whoever has it, live, without the console and without an account', async () => {
    visitor = await pageOf();
    await visitor.goto(here(address));
    await visitor.getByRole('heading', { name: 'For the village' }).waitFor();
    await visitor.getByText('-120').first().waitFor();
    expect(await visitor.getByRole('navigation', { name: 'Pages' }).count()).toBe(0);
    expect(await visitor.context().cookies()).toEqual([]);
    await post(service, token, { level: -77 });
    await visitor.getByText('-77').first().waitFor();
    // What can be done with a widget leads nowhere else.
    await visitor
      .getByRole('button', { name: /^More of/ })
      .first()
      .click();
    await visitor.getByRole('menuitem').first().waitFor();
    expect(await visitor.getByRole('menuitem').allTextContents()).toEqual(['Show it large']);
    await visitor.keyboard.press('Escape');
  });

  it('ends on open pages within seconds of its withdrawal', async () => {
    await mine.goto(`${service.url}/people`);
    await mine.getByText('opened 1 time').waitFor();
    await mine.getByRole('button', { name: 'Withdraw' }).click();
    await mine.getByRole('button', { name: 'Withdraw it' }).click();
    await visitor.getByText('This link shows nothing any more').waitFor({ timeout: 5000 });
    await visitor.reload();
    await visitor.getByText('This link shows nothing any more').waitFor();
  });

  it('asks for its passphrase', async () => {
    const link = await owner.client.call('createLink', {
      body: { title: 'Closed', sort: 'device', deviceId: NORTH, passphrase: 'cotton grass' },
    });
    await visitor.goto(here(link.address));
    await visitor.getByLabel('Passphrase').fill('heather');
    await visitor.getByRole('button', { name: 'Open' }).click();
    await visitor.getByText('Is not right').waitFor();
    await visitor.getByLabel('Passphrase').fill('cotton grass');
    await visitor.getByRole('button', { name: 'Open' }).click();
    await visitor.getByText('-77').first().waitFor();
    await post(service, token, { level: -66 });
    await visitor.getByText('-66').first().waitFor();
  });

  it('is framed and pictured by the site it names, and refused on a third', async () => {
    const widgets = (await owner.client.call('readDashboard', { params: { dashboard: board } })).widgets;
    const gauge = widgets.find(({ type }) => type === 'gauge')!;
    const { address: framed } = await owner.client.call('createLink', {
      body: { title: 'Gauge', sort: 'widget', dashboardId: board, widgetId: gauge.id },
    });
    const src = here(framed);
    const site = await otherSite(
      `<iframe src="${src}?frame=1&look=dark" width="400" height="300"></iframe><img src="${src}/picture.png?width=240&height=200">`,
    );
    const [own] = (await owner.client.call('listLinks')).filter(({ title }) => title === 'Gauge');
    // Two ports are one site: localhost and 127.0.0.1 are two.
    await owner.client.call('changeLink', {
      params: { link: own!.id },
      body: { sites: [site.url('localhost').replace(/\/$/, '')] },
    });
    const page = await pageOf();
    await page.goto(site.url('localhost'));
    await page.frameLocator('iframe').getByText('-66').first().waitFor();
    expect(await page.frameLocator('iframe').getByRole('heading').count()).toBe(0);
    const scheme = await page.frames()[1]!.evaluate(() => document.documentElement.dataset.theme);
    expect(scheme).toBe('dark');
    const size = (): Promise<number> =>
      page.locator('img').evaluate((image: HTMLImageElement) => image.naturalWidth);
    await until(async () => (await size()) === 480, 'the picture');
    // The same page by another name is another site.
    await page.goto(site.url('[::1]').replace('[::1]', 'village.localhost'));
    await until(async () => (await size()) === 480, 'the picture there');
    const frame = page.frames()[1];
    const text = await frame?.evaluate(() => document.body.innerText).catch(() => '');
    expect(text ?? '').not.toContain('-66');
    site.close();
    await page.close();
  });
});

it('three people in three browsers: added, granted, steering, and taken back', async () => {
  await mine.goto(`${service.url}/people`);
  await mine.getByLabel('Name').fill('Helper');
  await mine.getByLabel('Role').last().click();
  await mine.getByRole('option', { name: /^none/ }).click();
  await mine.getByRole('button', { name: 'Make the link' }).click();
  const link = /\/join#[\w-]+/.exec((await mine.getByText('/join#').textContent())!)![0];
  const helper = await pageOf();
  await helper.goto(service.url + link);
  await helper.getByText('to see what is granted to you').waitFor();
  await helper.getByLabel('Without an email').click();
  await helper.getByText('You will sign in as “Helper”').waitFor();
  await helper.getByLabel('Password').fill(password);
  await helper.getByRole('button', { name: 'Make the account' }).click();
  await helper.getByText('Nothing is granted to you yet').waitFor();
  await mine.getByText('signs in as helper').waitFor();
  await mine.getByRole('button', { name: 'Grant Helper something' }).click();
  await mine.getByLabel('Device, label or dashboard').fill('North');
  await mine.getByRole('option', { name: 'Dipwell North' }).first().click();
  await mine.getByLabel('May', { exact: true }).click();
  await mine.getByRole('option', { name: 'look at and steer it' }).click();
  await mine.getByRole('button', { name: 'Grant it' }).click();
  await mine.getByText('may look at and steer').waitFor();
  // The helper's page shows it by itself, and only that.
  await helper.getByText('Dipwell North').first().waitFor();
  expect(await helper.getByText('Dipwell South').count()).toBe(0);
  expect(await helper.getByRole('link', { name: 'People' }).count()).toBe(0);
  await helper.goto(`${service.url}/devices/${NORTH}`);
  await helper.getByRole('button', { name: 'Pump on' }).click();
  await until(
    async () =>
      (await owner.client.call('listCommands', { params: { device: NORTH } })).some(
        ({ by }) => by === 'Helper',
      ),
    'the command of the helper',
  );
  // In a workspace of their own they see it too, marked, and go on to it.
  await helper.getByRole('button', { name: /^Workspace/ }).click();
  await helper.getByRole('menuitem', { name: 'Make a new workspace' }).click();
  const elsewhere = helper.getByRole('region', { name: 'Granted to you elsewhere' });
  await elsewhere.getByText('Dipwell North').waitFor();
  await elsewhere.getByText(/Water level/).waitFor();
  expect(await elsewhere.getByText('Dipwell South').count()).toBe(0);
  await helper.setViewportSize({ width: 390, height: 844 });
  expect(await helper.evaluate(() => document.documentElement.scrollWidth)).toBe(390);
  await helper.setViewportSize({ width: 1280, height: 800 });
  await elsewhere.getByRole('button', { name: 'Dipwell North' }).click();
  await helper.getByRole('button', { name: 'Pump on' }).waitFor();
  await mine.getByRole('button', { name: 'Take back' }).click();
  await helper.goto(service.url);
  await helper.getByText('Nothing is granted to you yet').waitFor();
  await mine.goto(`${service.url}/people/changes`);
  await mine.getByText('made the grant Dipwell North').waitFor();
  await mine.getByText('wanted the command').waitFor();
  await helper.close();
});

it('signs in with a second factor that was set up in Settings, and goes on in another workspace', async () => {
  const { Secret, TOTP } = await import('otpauth');
  const person = await newPerson(service, 'Careful');
  const page = await pageOf();
  await page.goto(service.url);
  const signIn = async (): Promise<void> => {
    await page.getByLabel('Email or name').fill(person.email);
    await page.getByLabel('Password', { exact: true }).fill(person.password);
    await page.getByRole('button', { name: 'Sign in' }).click();
  };
  await signIn();
  await page.getByRole('button', { name: /^Workspace/ }).click();
  await page.getByRole('menuitem', { name: 'Make a new workspace' }).click();
  await page.getByRole('button', { name: 'Workspace New workspace' }).waitFor();
  await page.goto(`${service.url}/settings`);
  await page.getByRole('button', { name: 'Set one up' }).click();
  const secret = (await page.getByText(/^[A-Z2-7]{32}$/).textContent())!;
  const code = (ahead: number): string =>
    new TOTP({ secret: Secret.fromBase32(secret), digits: 6, period: 30 }).generate({
      timestamp: Date.now() + ahead,
    });
  await page.getByLabel('The six digits it shows').fill(code(0));
  const factor = page.locator('form').filter({ has: page.getByLabel('The six digits it shows') });
  await factor.getByLabel('Your password').fill(person.password);
  await page.getByRole('button', { name: 'Switch it on' }).click();
  await page.getByText('8 recovery codes are left').waitFor();
  await page.getByRole('button', { name: 'Sign out', exact: true }).first().click();
  await page.getByRole('button', { name: 'Sign in' }).waitFor();
  await signIn();
  await page.getByLabel(/^Six digits/).fill(code(30_000));
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('button', { name: 'Workspace New workspace' }).waitFor();
  await page.close();
});

it('downloads the workspace as a file, says what a changed one would do, and applies it', async () => {
  await mine.goto(`${service.url}/settings`);
  const waiting = mine.waitForEvent('download');
  await mine.getByRole('button', { name: 'Download it' }).click();
  const file = path.join(newFolder(), 'workspace.yaml');
  await (await waiting).saveAs(file);
  const text = fs.readFileSync(file, 'utf8');
  expect(text).toContain('- id: dipwell-north');
  const put = (content: string): Promise<void> =>
    mine.setInputFiles('input[type="file"]', {
      name: 'moss.yaml',
      mimeType: 'text/yaml',
      buffer: Buffer.from(content),
    });
  await put(text.replace(/name: Dipwell South$/m, 'nam: Dipwell South'));
  await mine
    .getByText(/moss\.yaml: line \d+, column \d+: "nam" is not a field here; perhaps "name"/)
    .waitFor();
  await put(text.replace(/name: Dipwell South$/m, 'name: South pool'));
  await mine.getByText('name: Dipwell South → South pool').waitFor();
  await mine.getByRole('button', { name: 'Apply it' }).click();
  await mine.getByText('Done: 1 step.').waitFor();
  expect((await owner.client.call('listDevices')).map(({ name }) => name)).toContain('South pool');
  await put(text.replace(/name: Dipwell South$/m, 'name: South pool'));
  await mine.getByText('Nothing to do').waitFor();
});

it('no page of these had a fault', () => {
  expect(faults).toEqual([]);
});
