import type { Browser, BrowserContext, Page } from 'playwright-core';
import type { Client, Dashboard } from '@peatmoor/contract';
import { signedInPage, startBrowser } from '../../../test/support/browser';
import {
  DIPWELL,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

jest.setTimeout(180_000);

// Arranging a dashboard: by keyboard, on the phone, over pages and devices, two at once, and without a link.
let service: TestService;
let person: Person;
let client: Client;
let browser: Browser;
let context: BrowserContext;
let page: Page;
let faults: string[];
let dashboard: number;
let kindId: number;

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ client } = person);
  for (const [i, name] of ['Dipwell North', 'Dipwell South', 'Dipwell East'].entries()) {
    const made = await client.call('createDevice', {
      body: { name, labels: ['moss'], ...(i === 0 ? { newKind: DIPWELL } : { kindId }) } as never,
    });
    ({ kindId } = made.device);
    await post(service, made.token, { level: -100 - i, temperature: 8 + i });
  }
  dashboard = (await client.call('createKindDashboard', { params: { kind: kindId } })).id;
  browser = await startBrowser();
  ({ page, context, faults } = await signedInPage(browser, service.url, person));
  await page.goto(`${service.url}/dashboards/${dashboard}`);
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
});

const read = (id = dashboard): Promise<Dashboard> =>
  client.call('readDashboard', { params: { dashboard: id } });
const kept = () => page.locator('[data-kept="kept"]').waitFor();
const button = (name: string | RegExp, exact = true) => page.getByRole('button', { name, exact });
const placeOf = async (type: string): Promise<number[]> => {
  const { x, y, w, h } = (await read()).widgets.find((one) => one.type === type)!;
  return [x, y, w, h];
};

it('is complete for whichever device is chosen: by picker, address, next and before, and remembered', async () => {
  const figure = page.locator('[data-widget="gauge"]').first();
  await figure.getByText('-102').waitFor();
  await button('The next device').click();
  await figure.getByText('-100').waitFor();
  expect(page.url()).toContain('device=dipwell-north');
  await button('The device before').click();
  await figure.getByText('-102').waitFor();
  await page.goto(`${service.url}/dashboards/${dashboard}?device=dipwell-south`);
  await figure.getByText('-101').waitFor();
  await page.goto(`${service.url}/dashboards/${dashboard}`);
  await figure.getByText('-101').waitFor();
});

it('shows several side by side', async () => {
  await button('Another beside it').click();
  await page.locator('[data-beside="dipwell-east"]').getByText('-102').first().waitFor();
  await page.locator('[data-beside="dipwell-south"]').getByText('-101').first().waitFor();
  await page.getByLabel('and', { exact: true }).click();
  await page.getByRole('option', { name: 'no other' }).click();
  await page.locator('[data-beside]').first().waitFor({ state: 'hidden' });
});

it('is moved and made larger by the keyboard, which can be undone and done again', async () => {
  await button('Edit').click();
  const handle = button('Move Pump');
  const before = await placeOf('switch');
  await handle.focus();
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Shift+ArrowRight');
  await kept();
  const after = await placeOf('switch');
  expect(after).toEqual([before[0]! + 1, before[1]!, before[2]! + 1, before[3]!]);
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await until(async () => String(await placeOf('switch')) === String(before));
  await page.keyboard.press('Control+Shift+z');
  await button('Redo').click();
  await until(async () => String(await placeOf('switch')) === String(after));
});

it('stands on the phone as its maker says: order, width, height, and what is left out', async () => {
  await button('On the phone').click();
  await button('Pump: further up').click();
  await button('Pump: over the full width').click();
  await button('Pump: taller').click();
  await button('Peat temperature: not on the phone').first().click();
  await kept();
  const { widgets } = await read();
  const pump = widgets.find(({ type }) => type === 'switch')!;
  expect(pump.phone).toMatchObject({ width: 'full' });
  expect(pump.phone!.height).toBeGreaterThan(132);
  expect(widgets.filter(({ phone }) => phone?.hidden)).toHaveLength(1);
  await button('Show Peat temperature').click();
  await kept();
  await button('Wide').click();
});

it('has pages, each with widgets of its own; a removed one comes back by Undo', async () => {
  await button('Add a page').click();
  await page.getByRole('tab', { name: 'Page 2' }).click();
  await page.getByLabel('Name of this page').fill('By night');
  await button('Add widgets').click();
  await page.getByRole('radio', { name: /^Text/ }).click();
  await button('Add the widget').click();
  await button('Change Text').click();
  await page.getByRole('dialog').getByLabel('Words').fill('**Quiet** <img src=x onerror=alert(1)>');
  await page.getByRole('dialog').getByRole('button', { name: 'Change it' }).click();
  await kept();
  expect((await read()).pages).toEqual(['', 'By night']);
  const text = page.locator('[data-widget="text"]');
  await text.locator('strong').getByText('Quiet').waitFor();
  // Markup stays text.
  expect(await text.locator('img').count()).toBe(0);
  const count = (await read()).widgets.length;
  await button('Remove this page').click();
  await page.getByRole('dialog').getByRole('button', { name: 'Remove it' }).click();
  await until(async () => (await read()).widgets.length === count - 1);
  await button('Undo').click();
  await until(async () => (await read()).widgets.length === count);
  await page.getByRole('tab', { name: 'Page 1' }).click();
});

it('a copy of a widget goes to another dashboard', async () => {
  const other = await client.call('createDashboard', { body: { title: 'Other' } });
  await page.reload();
  await button('Edit').click();
  await button('Change Pump').click();
  await page.getByLabel('Copy it to another dashboard').click();
  await page.getByRole('option', { name: 'Other' }).click();
  await button('Copy it').click();
  await page.getByText('A copy is on “Other”.').waitFor();
  expect((await read(other.id)).widgets.map(({ type }) => type)).toEqual(['switch']);
  await page.getByRole('dialog').getByRole('button', { name: 'Cancel' }).click();
});

it('what could not be sent is there after a reload, and shown beside what somebody else made meanwhile', async () => {
  await context.setOffline(true);
  await page.getByLabel('Title').first().fill('Mine');
  await page.locator('[data-kept="failed"]').waitFor();
  const { version, widgets } = await read();
  await client.call('changeDashboard', {
    params: { dashboard },
    body: { version, title: 'Theirs', widgets },
  });
  await context.setOffline(false);
  await page.reload();
  await page.getByText('Nothing was overwritten: choose which it shall be.').waitFor();
  await page.getByRole('alert').getByText('Mine, ').waitFor();
  await page.getByRole('alert').getByText('Theirs, ').waitFor();
  await button('Keep mine as another').click();
  await page.getByRole('heading', { name: 'Mine (mine)' }).waitFor();
  expect((await read()).title).toBe('Theirs');
});

it('without anybody else it is sent as soon as the page is opened again', async () => {
  await page.goto(`${service.url}/dashboards/${dashboard}`);
  await button('Edit').click();
  await context.setOffline(true);
  await page.getByLabel('Title').first().fill('Later');
  await page.locator('[data-kept="failed"]').waitFor();
  await page.goto('about:blank');
  await context.setOffline(false);
  await page.goto(`${service.url}/dashboards/${dashboard}`);
  await until(async () => (await read()).title === 'Later');
});

it('is found by words and labels, a favourite comes first, and one may begin with it', async () => {
  await client.call('createDashboard', { body: { title: 'Aaa', labels: ['wall'] } });
  await page.goto(`${service.url}/dashboards`);
  const rows = () => page.locator('[data-dashboard]').evaluateAll((all) => all.map((one) => one.textContent));
  await page.getByRole('button', { name: 'Later is a favourite' }).click();
  await until(async () => (await rows())[0]!.includes('Later'));
  await page.getByLabel('Find', { exact: true }).fill('aa');
  await until(async () => (await rows()).length === 1);
  await page.getByLabel('Find', { exact: true }).fill('');
  await button('wall').click();
  await until(async () => (await rows()).length === 1);
  await button('wall').click();
  await until(async () => (await rows()).length > 2);
  // Favourites have the order that one gives them, and keep it.
  await page.getByRole('button', { name: 'Aaa is a favourite' }).click();
  await button('Move Aaa up').click();
  await until(async () => (await rows())[0]!.includes('Aaa') && (await rows())[1]!.includes('Later'));
  await page.reload();
  await until(async () => (await rows())[0]?.includes('Aaa'));
  expect(await button('Move Aaa up').count()).toBe(0);
  await button('Move Aaa down').click();
  await until(async () => (await rows())[0]!.includes('Later'));
  await button('Begin here').first().click();
  await button('You begin here').waitFor();
  const next = await context.newPage();
  await next.goto(service.url);
  await next.waitForURL(`**/dashboards/${dashboard}`);
  await next.close();
});

it('on the wall it is alone, and left by Escape', async () => {
  await page.goto(`${service.url}/dashboards/${dashboard}`);
  await page.getByRole('link', { name: 'On the wall' }).click();
  await page.locator('[data-wall]').getByRole('heading', { name: 'Later' }).waitFor();
  expect(await page.getByRole('navigation').count()).toBe(0);
  await page.keyboard.press('Escape');
  await page.getByRole('navigation', { name: 'Pages', exact: true }).waitFor();
});

it('a widget is shown large, and a viewer looks but changes and steers nothing', async () => {
  await button('More of Pump').click();
  await page.getByRole('menuitem', { name: 'Show it large' }).click();
  await page.getByRole('dialog').locator('[data-widget="switch"]').waitFor();
  await button('Back to the dashboard').click();
  // Its menu leads to its form, and makes a copy that can be undone.
  const switches = page.locator('[data-widget="switch"]');
  const before = await switches.count();
  await button('More of Pump').click();
  await page.getByRole('menuitem', { name: 'Make a copy' }).click();
  await until(async () => (await switches.count()) === before + 1);
  await button('Undo').click();
  await until(async () => (await switches.count()) === before);
  await button('Done').click();
  await button('More of Pump').click();
  await page.getByRole('menuitem', { name: 'Change it' }).click();
  await page
    .getByRole('dialog', { name: 'Change the widget' })
    .getByRole('button', { name: 'Cancel' })
    .click();
  await button('Done').click();
  const { link } = await client.call('addPerson', { body: { name: 'Visitor', role: 'viewer' } });
  const secret = link.split('#')[1]!;
  const other = await browser.newContext({ serviceWorkers: 'block' });
  await other.request.post(`${service.url}/api/join`, {
    data: { secret, email: 'visitor2@quillmere.example', password: 'sphagnum and heather' },
    headers: { origin: service.url },
  });
  const theirs = await other.newPage();
  await theirs.goto(`${service.url}/dashboards/${dashboard}`);
  await theirs.locator('[data-widget="switch"]').getByText('You may look, not steer.').first().waitFor();
  expect(await theirs.getByRole('button', { name: 'Pump on' }).isDisabled()).toBe(true);
  await theirs.getByRole('button', { name: 'More of Pump', exact: true }).click();
  await theirs.getByRole('menuitem', { name: 'Show it large' }).waitFor();
  expect(await theirs.getByRole('menuitem', { name: /Change it|Make a copy/ }).count()).toBe(0);
  await theirs.keyboard.press('Escape');
  expect(await theirs.getByRole('button', { name: 'Edit', exact: true }).count()).toBe(0);
  await other.close();
});

it('had no fault of its own', () => expect(faults).toEqual([]));
