import type { Browser, Page } from 'playwright-core';
import { signedInPage, startBrowser } from '../../../test/support/browser';
import {
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

jest.setTimeout(180_000);

// What is typed stays until it is kept; what could not be fetched is never taken for nothing measured.
let service: TestService;
let person: Person;
let browser: Browser;
let page: Page;
let faults: string[];
let kindId: number;
const device = 'north-dipwell';

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  const { token } = await person.client.call('createDevice', {
    body: {
      name: 'North dipwell',
      newKind: {
        title: 'Dipwell',
        intervalS: 3600,
        streams: [{ key: 'level', title: 'Level', type: 'number', unit: 'mm', min: -500, max: 150 }],
      },
    },
  });
  for (let i = 9; i >= 0; i--)
    await post(service, token, { at: Date.now() - i * 300_000 - 1000, level: -100 - i });
  ({ kindId } = await person.client.call('readDevice', { params: { device } }));
  browser = await startBrowser();
  ({ page, faults } = await signedInPage(browser, service.url, person));
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
});

const kind = () => person.client.call('readKind', { params: { kind: kindId } });

it('keeps what is being typed while another field, or another person, changes something', async () => {
  await page.goto(`${service.url}/kinds/${kindId}`);
  const title = page.getByLabel('Title', { exact: true }).first();
  const interval = page.getByLabel('Report interval (seconds)');
  await title.fill('Dip well');
  // The title is kept as it is left, and the interval is being typed by then.
  await interval.fill('12');
  await until(async () => (await kind()).title === 'Dip well', 'the title is kept');
  await page.waitForTimeout(800);
  expect(await interval.inputValue()).toBe('12');
  expect((await kind()).intervalS).toBe(3600);
  // Somebody else changes both.
  await person.client.call('changeKind', {
    params: { kind: kindId },
    body: { title: 'Water tube', intervalS: 900 },
  });
  await until(async () => (await title.inputValue()) === 'Water tube', 'what nobody types in here is shown');
  expect(await interval.inputValue()).toBe('12');
  await page.getByText('Somebody made it “900” meanwhile.').waitFor();
  await interval.press('Tab');
  await until(async () => (await kind()).intervalS === 12, 'it is kept');
  await page.getByText('Somebody made it').waitFor({ state: 'hidden' });
  // And the other way.
  await interval.fill('13');
  await person.client.call('changeKind', { params: { kind: kindId }, body: { intervalS: 600 } });
  await page.getByRole('button', { name: 'Take that' }).click();
  expect(await interval.inputValue()).toBe('600');
  await interval.press('Tab');
  await page.waitForTimeout(500);
  expect((await kind()).intervalS).toBe(600);
});

it('says what is wrong beside the field and keeps what was typed; what nobody answered is tried again by itself', async () => {
  const interval = page.getByLabel('Report interval (seconds)');
  await interval.fill('0');
  await interval.press('Tab');
  await until(async () => (await interval.getAttribute('aria-invalid')) === 'true', 'it is marked');
  expect(await interval.inputValue()).toBe('0');
  await page.route('**/api/kinds/*', (route) =>
    route.request().method() === 'GET' ? route.continue() : route.fulfill({ status: 503, body: '' }),
  );
  await interval.fill('45');
  await interval.press('Tab');
  await page.getByText('Not kept yet: it is tried again until the service answers.').waitFor();
  expect(await interval.inputValue()).toBe('45');
  await page.unrouteAll({ behavior: 'wait' });
  await until(async () => (await kind()).intervalS === 45, 'it is kept by itself', 15_000);
  await page.getByText('Not kept yet').waitFor({ state: 'hidden' });
  expect(await interval.inputValue()).toBe('45');
});

it('a device’s and the workspace’s fields do the same', async () => {
  await page.goto(`${service.url}/devices/${device}/about`);
  const notes = page.getByLabel('Notes', { exact: true });
  await notes.fill('behind the hut');
  await page.getByLabel('Name', { exact: true }).fill('North tube');
  await person.client.call('changeDevice', { params: { device }, body: { labels: ['wet'] } });
  await until(
    async () => (await page.getByLabel('Labels, with commas between').inputValue()) === 'wet',
    'the other’s change is seen',
  );
  expect(await page.getByLabel('Name', { exact: true }).inputValue()).toBe('North tube');
  await page.getByLabel('Name', { exact: true }).press('Tab');
  await until(async () => {
    const now = await person.client.call('readDevice', { params: { device } });
    return now.name === 'North tube' && now.notes === 'behind the hut';
  }, 'both are kept');
  await page.getByLabel('Place, degrees north and east').fill('somewhere');
  await page.getByLabel('Place, degrees north and east').press('Tab');
  await until(
    async () =>
      (await page.getByLabel('Place, degrees north and east').getAttribute('aria-invalid')) === 'true',
    'a place that is none is marked',
  );
  await page.goto(`${service.url}/settings`);
  await page.getByLabel('Its name').fill('Quillmere');
  await page.getByLabel('Your name').fill('Warden of the moss');
  await page.getByLabel('Your name').press('Tab');
  await until(async () => {
    const { workspace, user } = await person.client.call('me');
    return workspace.title === 'Quillmere' && user.name === 'Warden of the moss';
  }, 'both are kept');
});

it('a widget whose call fails says so and tries again; nothing measured is told from that, and from what still loads', async () => {
  const types = ['chart', 'bars', 'heat', 'sheet', 'value'];
  const widgets = types.map((type, i) => ({
    id: type,
    type,
    title: `The ${type}`,
    sources: [{ device, stream: 'level' }],
    options: type === 'value' ? { statistic: 'mean' } : {},
    x: (i % 2) * 6,
    y: Math.floor(i / 2) * 4,
    w: 6,
    h: 4,
  }));
  const { id } = await person.client.call('createDashboard', {
    body: { title: 'Levels', widgets } as never,
  });
  const asked = /\/api\/devices\/[^/]+\/(history|calendar|statistics)/;
  await page.route(asked, (route) => route.fulfill({ status: 503, body: '' }));
  await page.goto(`${service.url}/dashboards/${id}`);
  const widget = (type: string) => page.locator(`[data-widget="${type}"]`);
  for (const type of types)
    await widget(type)
      .getByText('Could not be fetched; it is tried again every 5 s.')
      .waitFor({ timeout: 60_000 });
  for (const words of ['No reading in this period.', 'nothing measured'])
    expect(await page.getByText(words).count()).toBe(0);
  await page.unrouteAll({ behavior: 'wait' });
  await page.locator('[data-not-fetched]').first().waitFor({ state: 'hidden' });
  await until(async () => (await page.locator('[data-not-fetched]').count()) === 0, 'all were fetched');
  await widget('heat').getByText(/mm/).first().waitFor();
  await widget('sheet').getByText('-100').first().waitFor();
  // It is fetched again, and fails: what was there stays, and is said to be older.
  await page.route(asked, (route) => route.fulfill({ status: 503, body: '' }));
  await page.getByRole('radio', { name: '5 min', exact: true }).click();
  await widget('chart').getByText('What you see may be older.').waitFor({ timeout: 60_000 });
  expect(await page.getByText('No reading in this period.').count()).toBe(0);
  await page.unrouteAll({ behavior: 'wait' });
  expect(faults).toEqual([]);
});
