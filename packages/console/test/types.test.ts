import type { Browser, Page } from 'playwright-core';
import type { Client } from '@peatmoor/contract';
import { signedInPage, startBrowser } from '../../../test/support/browser';
import { newPerson, post, startService, until, type TestService } from '../../../test/support/service';

jest.setTimeout(180_000);

const PNG =
  'iVBORw0KGgoAAAANSUhEUgAAAAIAAAACCAIAAAD91JpzAAAAFklEQVR4nGP8z8DAwMDAxMDAwMDAAAANHQEDasKb6QAAAABJRU5ErkJggg==';
let service: TestService;
let client: Client;
let browser: Browser;
let page: Page;
let token: string;
let faults: string[];

beforeAll(async () => {
  service = await startService();
  const person = await newPerson(service);
  ({ client } = person);
  ({ token } = await client.call('createDevice', {
    body: {
      name: 'Trail camera',
      newKind: {
        title: 'Trail camera',
        streams: [
          { key: 'picture', title: 'Picture', type: 'image' },
          { key: 'state', title: 'State', type: 'text' },
          { key: 'position', title: 'Position', type: 'location' },
          { key: 'gate', title: 'Gate', type: 'choice', choices: ['closed', 'half open', 'open'] },
          { key: 'lamp', title: 'Lamp colour', type: 'colour' },
          { key: 'battery', title: 'Battery', type: 'number', unit: 'V', min: 2.8, max: 4.3, decimals: 2 },
          { key: 'awake', title: 'Awake', type: 'boolean' },
          { key: 'flow', title: 'Flow', type: 'number' },
        ],
      },
    },
  }));
  await post(service, token, {
    picture: PNG,
    state: 'dry, for now',
    position: { lat: 53.42, lon: -1.86 },
    gate: 'half open',
    lamp: '#74487a',
    battery: 3.9,
    awake: true,
  });
  browser = await startBrowser();
  ({ page, faults } = await signedInPage(browser, service.url, person));
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
});

it('the overview shows numbers as lines and all else in words', async () => {
  await page.goto(service.url);
  const row = page.locator('[data-device="trail-camera"]');
  await row.getByText('3.90').or(row.getByText('.90')).first().waitFor();
  for (const words of ['State dry, for now', 'Gate half open', 'Lamp colour #74487a', 'Awake on'])
    await row.getByText(words).waitFor();
  await row.getByText('Position 53.42000, -1.86000').waitFor();
});

it('the starter dashboard has a widget for every type, the picture as a picture', async () => {
  await page.goto(`${service.url}/devices/trail-camera`);
  await page.getByRole('button', { name: 'Make its dashboard' }).click();
  const widgets = page.locator('[data-widget]');
  for (const words of ['dry, for now', 'half open', '#74487a']) await widgets.getByText(words).waitFor();
  await page.getByRole('img', { name: /1 place, the newest 53.42, -1.86/ }).waitFor();
  const picture = page.getByRole('img', { name: /^Picture, / });
  await until(async () => (await picture.evaluate((node) => (node as HTMLImageElement).naturalWidth)) === 2);
  expect(await page.locator('[data-lamp="on"]').count()).toBe(1);
});

it('every type follows live', async () => {
  await post(service, token, { state: 'under water', gate: 'open', position: '53.5,-1.9', awake: false });
  const widgets = page.locator('[data-widget]');
  // At once, not with the next round of the clock: those are half a minute apart.
  await widgets.getByText('under water').waitFor({ timeout: 10_000 });
  await page.getByRole('img', { name: /2 places, the newest 53.5, -1.9/ }).waitFor();
  await page.locator('[data-lamp="off"]').waitFor();
});

it('a picture that comes later takes the place of the one before', async () => {
  const newest = page.getByRole('img', { name: /^Picture, / }).first();
  const before = await newest.getAttribute('src');
  await post(service, token, { picture: PNG });
  await until(async () => (await newest.getAttribute('src')) !== before);
});

it('pictures are stepped through by buttons and keys; the one that is looked at stays until then', async () => {
  const pictures = page.getByRole('group', { name: 'Pictures of Picture' });
  const source = () => pictures.locator('[data-large] img').getAttribute('src');
  await pictures.getByText('the newest of 2 pictures').waitFor();
  const newest = await source();
  await pictures.getByRole('button', { name: 'The picture before' }).click();
  await pictures.getByText('2 of 2 pictures').waitFor();
  const older = await source();
  expect(older).not.toBe(newest);
  expect(await pictures.getByRole('button', { name: 'The picture before' }).isDisabled()).toBe(true);
  await post(service, token, { picture: PNG });
  await pictures.getByText('3 of 3 pictures').waitFor();
  expect(await source()).toBe(older);
  const next = pictures.getByRole('button', { name: 'The next picture' });
  await next.press('ArrowRight');
  await pictures.getByText('2 of 3 pictures').waitFor();
  expect(await source()).toBe(newest);
  await next.click();
  await pictures.getByText('the newest of 3 pictures').waitFor();
  await pictures
    .getByRole('button', { name: /^picture of/ })
    .last()
    .click();
  expect(await source()).toBe(older);
});

it('what is changed of a widget is shown at once, with what its datastream lacks', async () => {
  await page.getByRole('button', { name: 'Edit' }).click();
  await page.getByRole('button', { name: 'Change Flow' }).first().click();
  const dialog = page.getByRole('dialog');
  await dialog.getByText('Flow has no range, so that its scale is a guess, and no unit.').waitFor();
  const preview = dialog.getByLabel('Preview');
  await preview.getByRole('img', { name: /^Flow between 0 and/ }).waitFor();
  await dialog.getByLabel('Scale from').fill('5');
  await dialog.getByLabel('to', { exact: true }).fill('25');
  await preview.getByRole('img', { name: 'Flow between 5 and 25' }).waitFor();
  await dialog.getByText('Flow has no unit.').waitFor();
  await dialog.getByRole('button', { name: 'Cancel' }).click();
  await page.getByRole('button', { name: 'Done' }).click();
});

it('all of it fits a phone', async () => {
  await page.setViewportSize({ width: 390, height: 844 });
  for (const path of [new URL(page.url()).pathname, '/', '/devices/trail-camera']) {
    await page.goto(service.url + path);
    await page.waitForTimeout(700);
    expect([path, await page.evaluate(() => document.documentElement.scrollWidth)]).toEqual([path, 390]);
  }
  await page.setViewportSize({ width: 1280, height: 800 });
});

it('a datastream of each type can be made, with the fields that belong to it', async () => {
  const [kind] = await client.call('listKinds');
  await page.goto(`${service.url}/kinds/${kind!.id}`);
  await page.getByRole('button', { name: 'Add a datastream' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('What it is').fill('Season');
  await dialog.getByLabel('Type').click();
  await page.getByRole('option', { name: 'choice' }).click();
  expect(await dialog.getByLabel('Unit').count()).toBe(0);
  await dialog.getByLabel('Choices, with commas between').fill('winter, summer, winter');
  await dialog.getByRole('button', { name: 'Add it' }).click();
  await dialog.getByText('each once').waitFor();
  await dialog.getByLabel('Choices, with commas between').fill('winter, summer');
  await dialog.getByRole('button', { name: 'Add it' }).click();
  await page.locator('[data-key="season"]').getByText('winter, summer').waitFor();
  const { streams } = await client.call('readKind', { params: { kind: kind!.id } });
  expect(streams.find(({ key }) => key === 'season')).toMatchObject({
    choices: ['winter', 'summer'],
    unit: null,
  });
});

it('deleting a datastream says first how many readings go', async () => {
  const row = page.locator('[data-key="gate"]');
  await row.getByRole('button', { name: 'Delete' }).click();
  await row.getByText(/Delete “Gate” with .*readings/).waitFor();
  await row.getByRole('button', { name: 'Delete it' }).click();
  await row.waitFor({ state: 'detached' });
});

it('copies the kind, and gives the copy a page of its own', async () => {
  await page.getByRole('button', { name: 'Copy this kind' }).click();
  await page.getByRole('heading', { name: 'Trail camera (copy)' }).waitFor();
  await page.locator('[data-key="picture"]').waitFor();
  await page.getByText('A kind with 0 devices').waitFor();
});

it('shows the new token as a QR code too', async () => {
  await page.getByRole('link', { name: 'Add another like it' }).click();
  await page.getByRole('textbox', { name: 'Name', exact: true }).fill('Trail camera 2');
  await page.getByRole('button', { name: 'Register and get its token' }).click();
  const code = page.getByRole('img', { name: 'QR code of Trail camera 2' });
  await until(async () => (await code.evaluate((node) => (node as HTMLImageElement).naturalWidth)) > 0);
});

it('had no fault of its own on any page', () => expect(faults).toEqual([]));

it('long words, numbers and texts stay within their widgets on the narrowest phone, and a number on its line', async () => {
  const WORD = 'Schleusentorwindenbetriebsstundenzählwerksanzeige';
  const { device, token: other } = await client.call('createDevice', {
    body: {
      name: WORD,
      newKind: {
        title: WORD,
        streams: [
          { key: 'num', title: `${WORD} n`, type: 'number', unit: 'µmol' },
          { key: 'txt', title: `${WORD} t`, type: 'text' },
          { key: 'btn', title: `${WORD} b`, type: 'boolean', direction: 'control', holds: 'momentary' },
        ],
      },
    },
  });
  await post(service, other, { num: 123_456_789_012.346, txt: `${WORD} `.repeat(20) });
  const types = [
    ...['gauge', 'gauge', 'gauge', 'value', 'chart', 'sheet', 'bars'].map((type) => [type, 'num']),
    ['value', 'txt'],
    ['button', 'btn'],
  ] as [string, string][];
  const { id } = await client.call('createDashboard', {
    body: {
      title: WORD,
      widgets: types.map(([type, stream], i) => ({
        id: `w${i}`,
        type,
        title: '',
        sources: [{ device: device.id, stream }],
        options: {},
        x: (i % 3) * 4,
        y: Math.floor(i / 3) * 5,
        w: 4,
        h: 5,
      })) as never,
    },
  });
  await page.setViewportSize({ width: 320, height: 800 });
  await page.goto(`${service.url}/dashboards/${id}`);
  await page
    .getByText(/123.456.789.012\.346/)
    .nth(3)
    .waitFor();
  await page.waitForTimeout(800);
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(320);
  const text = page.getByRole('region', { name: `${WORD} t` });
  const [inner, outer] = await text.evaluate((node) => [node.scrollHeight, node.clientHeight]);
  expect(inner!).toBeGreaterThan(outer!);
  expect(outer!).toBeLessThan(200);
  for (const type of ['gauge', 'value']) {
    const lines = await page
      .locator(`[data-widget="${type}"]`)
      .getByText(/^123.456.789.012\.346/)
      .first()
      .evaluate((node) => {
        const range = document.createRange();
        range.selectNodeContents(node.firstChild!);
        return new Set([...range.getClientRects()].map(({ top }) => Math.round(top))).size;
      });
    expect([type, lines]).toEqual([type, 1]);
  }
  const more = await page.getByRole('button', { name: 'More', exact: true }).boundingBox();
  expect(more!.x + more!.width).toBeLessThanOrEqual(320);
});
