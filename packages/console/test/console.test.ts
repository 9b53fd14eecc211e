import type { Browser, BrowserContext, Page } from 'playwright-core';
import { startBrowser } from '../../../test/support/browser';
import { built, startProgram, type Program } from '../../../test/support/program';
import { mqttAs, post, startService, until, type TestService } from '../../../test/support/service';

jest.setTimeout(180_000);

let catcher: Program<{ smtpUrl: string; pageUrl: string }>;
let service: TestService;
let browser: Browser;
let context: BrowserContext;
let page: Page;
let token = '';
const faults: string[] = [];
const id = 'dipwell-north';
const password = 'sphagnum and heather';

beforeAll(async () => {
  catcher = await startProgram(built('standins', 'mailProgram.js'), {});
  service = await startService({ PEATMOOR_SMTP_URL: catcher.ready.smtpUrl });
  browser = await startBrowser();
  context = await browser.newContext({ viewport: { width: 1280, height: 800 }, serviceWorkers: 'block' });
  page = await newPage();
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
  catcher?.child.kill('SIGTERM');
});

async function newPage(): Promise<Page> {
  const one = await context.newPage();
  one.setDefaultTimeout(30_000);
  one.on('pageerror', (error) => faults.push(error.message));
  await one.goto(service.url);
  return one;
}
const widgets = (on: Page = page) => on.locator('[data-widget]');

it('makes the first account, signs out and in again', async () => {
  await page.getByLabel('Your name').fill('Warden');
  await page.getByLabel('Email').fill('warden@quillmere.example');
  await page.getByLabel('Password').fill('short');
  await page.getByRole('button', { name: 'Make the account' }).click();
  await page.getByText('is too short; type 10 letters or more').waitFor();
  await page.getByLabel('Password').fill(password);
  await page.getByRole('button', { name: 'Make the account' }).click();
  await page.getByText('Name your first device').waitFor();
  await page.getByRole('link', { name: 'Settings' }).click();
  await page.getByRole('button', { name: 'Sign out', exact: true }).click();
  await page.getByLabel('Email or name').fill('warden@quillmere.example');
  await page.getByLabel('Password').fill(password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('link', { name: 'Begin' }).click();
});

it('names a first device, lists what it measures and accepts, and shows its token once', async () => {
  await page.getByLabel('Name').fill('Dipwell North');
  const first = page.locator('[data-stream="0"]');
  await first.getByLabel('What it is').fill('Water level');
  expect(await first.getByLabel('Key on the wire').inputValue()).toBe('water_level');
  await first.getByLabel('Unit').fill('rain');
  await page.getByRole('option', { name: 'mm length, water level, rain' }).click();
  await first.getByLabel('From').fill('-800');
  await first.getByLabel('To').fill('200');
  await page.getByRole('button', { name: 'Add a datastream' }).click();
  const second = page.locator('[data-stream="1"]');
  await second.getByLabel('What it is').fill('Pump');
  await second.getByLabel('Type').click();
  await page.getByRole('option', { name: 'boolean' }).click();
  await second.getByLabel('Direction').click();
  await page.getByRole('option', { name: 'people control it' }).click();
  await page.getByRole('button', { name: 'Register and get its token' }).click();
  await page.getByText('It is shown only now').waitFor();
  token = (await page.locator('pre').first().innerText()).trim();
  expect(token).toMatch(/^moor[0-9a-z]{30}$/);
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Download' }).click();
  expect((await download).suggestedFilename()).toBe(`${id}-token.txt`);
  await page.getByRole('button', { name: 'Connect the device' }).click();
});

it('leads from seen to first reading, live, with the lines to paste and a starter', async () => {
  await page.locator('[data-proof="seen"]').waitFor();
  await page.getByText('Nothing has come from this device yet').waitFor();
  const lines = await page.locator('pre').allInnerTexts();
  expect(lines[0]).toContain(`Bearer ${token}`);
  expect(lines[1]).toContain(`-u ${id}`);
  expect(lines.some((text) => text.includes(`DEVICE_ID "${id}"`))).toBe(true);
  expect(lines.at(-1)).toContain('pio run --target upload');
  await post(service, token.slice(0, 20), { water_level: 1 });
  await page.locator('[data-proof="token right"]').waitFor();
  await page.getByRole('alert').getByText('cut short').waitFor();
  await post(service, token, { water_levl: -5 });
  await page.locator('[data-proof="first reading"]').waitFor();
  await page.getByText('the nearest is "water_level"').waitFor();
  await post(service, token, { water_level: -121 });
  await page.locator('[data-proof="done"]').waitFor();
  await page.locator('[data-arrival]').getByText('-121 mm').first().waitFor();
});

it('makes an unknown name a datastream with one press', async () => {
  await post(service, token, { acidity: 4.2 });
  await page.getByRole('button', { name: 'Make “acidity” a datastream' }).click();
  await page.getByText('is a datastream now').waitFor();
  await post(service, token, { acidity: 4.3 });
  await page.locator('[data-arrival]').getByText('4.3').first().waitFor();
});

it('offers a complete dashboard that shows values live', async () => {
  await page.getByRole('button', { name: 'Make its dashboard' }).click();
  await widgets().first().waitFor();
  expect(
    (await widgets().evaluateAll((all) => all.map((one) => (one as HTMLElement).dataset.widget))).sort(),
  ).toEqual(['chart', 'chart', 'gauge', 'gauge', 'switch']);
  const level = widgets().filter({ hasText: 'Water level' }).and(page.locator('[data-widget="gauge"]'));
  await level.getByText('-121').waitFor();
  await post(service, token, { water_level: -87 });
  await level.getByText('-87').waitFor();
  for (const period of ['5 min', '24 h', '7 d', '1 h']) {
    await page.getByRole('radio', { name: period }).click();
    await page.getByRole('radio', { name: period, checked: true }).waitFor();
  }
});

it('edits it without a save button: add several at once, configure, move, remove, undo', async () => {
  await page.getByRole('button', { name: 'Edit' }).click();
  await page.getByRole('button', { name: 'Add widgets' }).click();
  await page.getByLabel('Find a device or a datastream').fill('north');
  await page.getByRole('checkbox', { name: 'Dipwell North › Water level' }).check();
  await page.getByRole('checkbox', { name: 'Dipwell North › Acidity' }).check();
  await page.getByRole('radio', { name: /^Value/ }).click();
  await page.getByRole('button', { name: 'Make a datastream' }).click();
  const dialog = page.getByRole('dialog').last();
  await dialog.getByLabel('What it is').fill('Peat temperature');
  await dialog.getByRole('button', { name: 'Add it' }).click();
  await page.getByRole('button', { name: 'Add 3 widgets' }).click();
  expect(await widgets().count()).toBe(8);
  await page.getByRole('button', { name: 'Change Water level' }).first().click();
  await page.getByRole('dialog').getByLabel('Title').fill('Level in the peat');
  await page.getByRole('button', { name: 'Fit range to seen values' }).click();
  await page.getByRole('button', { name: 'Change it' }).click();
  const gauge = page.locator('[data-widget="gauge"]').filter({ hasText: 'Level in the peat' });
  await gauge.waitFor();
  const before = (await gauge.boundingBox())!;
  await gauge.locator('.widget-handle').hover();
  await page.mouse.down();
  await page.mouse.move(before.x + 700, before.y + 60, { steps: 12 });
  await page.mouse.up();
  await until(async () => (await gauge.boundingBox())!.x > before.x + 200, 'the widget moved');
  await gauge.getByRole('button', { name: 'Remove' }).click();
  await until(async () => (await widgets().count()) === 7, 'one is gone');
  await page.getByRole('button', { name: 'Undo' }).click();
  await until(async () => (await widgets().count()) === 8, 'it is back');
  await page.locator('[data-kept="kept"]').waitFor();
  await page.reload();
  await gauge.waitFor();
  expect(await widgets().count()).toBe(8);
});

it('a second window sees a change at once, and what it made from an older version overwrites nothing', async () => {
  const other = await newPage();
  await other.goto(page.url());
  await widgets(other).first().waitFor();
  // The answer to the first window comes long after the second one was told.
  await page.route('**/api/dashboards/*', async (route) => {
    const answer = await route.fetch();
    await new Promise((resolve) => setTimeout(resolve, 1000));
    await route.fulfill({ response: answer });
  });
  await page.getByRole('button', { name: 'Edit' }).click();
  await page.getByLabel('Title').first().fill('North');
  await page.locator('[data-kept="kept"]').waitFor();
  await other.getByText('Warden changed this dashboard just now').waitFor();
  await other.getByRole('heading', { name: 'North' }).waitFor();
  await page.unrouteAll({ behavior: 'wait' });
  await page.getByRole('button', { name: 'Done' }).click();
  await other.close();
});

it('throws the switch: waiting, sent, applied, also in a second window', async () => {
  const other = await newPage();
  await other.goto(page.url());
  const state = (on: Page) => on.locator('[data-widget="switch"] [data-state]');
  await page.getByRole('button', { name: 'Pump on' }).click();
  await until(async () => (await state(page).getAttribute('data-state')) === 'waiting', 'waiting');
  const board = await mqttAs(service, id, token);
  await board.subscribeAsync(`moor/${id}/wanted/#`, { qos: 1 });
  await until(async () => (await state(page).getAttribute('data-state')) === 'sent', 'sent');
  await board.publishAsync(`moor/${id}/applied/pump`, '1', { qos: 1 });
  for (const one of [page, other])
    await until(async () => (await state(one).getAttribute('data-state')) === 'applied', 'applied');
  expect(await other.getByRole('button', { name: 'Pump on' }).getAttribute('aria-pressed')).toBe('true');
  await board.endAsync(true);
  await other.close();
});

it('is one column on a phone, without anything beyond its width', async () => {
  await page.setViewportSize({ width: 390, height: 844 });
  for (const path of [
    new URL(page.url()).pathname,
    '/',
    '/devices',
    `/devices/${id}`,
    '/devices/new',
    '/events',
    '/events/rules/new',
    '/history',
    '/settings',
  ]) {
    await page.goto(service.url + path);
    await page.getByRole('navigation').waitFor();
    await page.waitForTimeout(400);
    expect([path, await page.evaluate(() => document.documentElement.scrollWidth)]).toEqual([path, 390]);
    const last = await page.getByRole('navigation').getByRole('link').last().boundingBox();
    expect([path, last!.x + last!.width <= 390]).toEqual([path, true]);
  }
  await page.setViewportSize({ width: 1280, height: 800 });
});

it('writes an event rule as a sentence, sees the event open and close, and the email', async () => {
  await page.goto(`${service.url}/events`);
  await page.getByRole('link', { name: 'New event rule' }).click();
  await page.getByLabel('Limit (mm)').fill('-50');
  await page.getByLabel('Closes at (mm)').fill('-60');
  await page.getByLabel('Name of the rule').fill('Water is high');
  await page
    .locator('[data-sentence]')
    .getByText('When Water level of Dipwell North is above -50 mm; closes at -60 mm or below.')
    .waitFor();
  await page.getByRole('button', { name: 'Make the rule' }).click();
  await page.getByText('Nothing is open.').waitFor();
  await post(service, token, { water_level: -20 });
  await page.locator('[data-event="open"]').getByText('Water is high').waitFor();
  await page.getByRole('button', { name: 'Acknowledge' }).click();
  await page.getByText('acknowledged by Warden').waitFor();
  await post(service, token, { water_level: -70 });
  await page.locator('[data-event="closed"]').getByText('2 alerts sent').waitFor();
  const mail = await newPage();
  await mail.goto(catcher.ready.pageUrl);
  await mail.getByText('warning: Water is high (Dipwell North, -20 mm)').waitFor();
  await mail.close();
});

it('shows the ledger, another like it, whose token it is, and the kind', async () => {
  await page.getByRole('link', { name: 'Overview' }).click();
  const row = page.locator(`[data-device="${id}"]`);
  await row.getByText('online').waitFor();
  await row.getByText('-70').waitFor();
  await page.getByRole('link', { name: 'Devices' }).click();
  await page.getByRole('textbox', { name: 'Token' }).fill(token);
  await page.getByRole('button', { name: 'Tell' }).click();
  await page.getByText('It is whole and valid').waitFor();
  await page.getByRole('link', { name: 'Add another like it' }).click();
  await page.getByLabel('Name').fill('Dipwell South');
  await page.getByRole('button', { name: 'Register and get its token' }).click();
  await page.getByRole('button', { name: 'Connect the device' }).click();
  await page.getByRole('heading', { name: 'Dipwell South' }).waitFor();
  await page.getByRole('link', { name: 'Dipwell North', exact: true }).first().click();
  await page.getByText('A kind with 2 devices').waitFor();
  await page.locator('[data-key="acidity"]').getByRole('button', { name: 'Change' }).click();
  await page.getByLabel('To', { exact: true }).fill('-3');
  await page.getByLabel('From', { exact: true }).fill('5');
  await page.getByRole('button', { name: 'Change it' }).click();
  await page.getByText('must be greater than min').waitFor();
});

it('had no fault of its own on any page', () => expect(faults).toEqual([]));
