import type { Browser, BrowserContext, Page } from 'playwright-core';
import { cookiesOf, startBrowser } from '../../../test/support/browser';
import {
  newDevice,
  newPerson,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

jest.setTimeout(180_000);

let service: TestService;
let browser: Browser;
let owner: Person;
let mine: Page;
let theirs: Page;
const faults: string[] = [];
const password = 'sphagnum and heather';

beforeAll(async () => {
  service = await startService();
  browser = await startBrowser();
  owner = await newPerson(service, 'Warden');
  await newDevice(owner.client);
  mine = await pageOf(await signedIn(owner.cookie()));
  theirs = await pageOf(
    await browser.newContext({ viewport: { width: 390, height: 844 }, serviceWorkers: 'block' }),
  );
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
});

async function signedIn(cookie: string): Promise<BrowserContext> {
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    serviceWorkers: 'block',
  });
  await context.addCookies(cookiesOf(cookie, service.url));
  return context;
}

async function pageOf(context: BrowserContext): Promise<Page> {
  const page = await context.newPage();
  page.setDefaultTimeout(30_000);
  page.on('pageerror', (error) => faults.push(error.message));
  return page;
}

it('adds a person by a link that is handed over, and works once', async () => {
  await mine.goto(`${service.url}/people`);
  await mine.getByText('Warden (you)').waitFor();
  await mine.getByLabel('Name').fill('Helper');
  await mine.getByRole('button', { name: 'Make the link' }).click();
  const link = await mine.getByText('/join#').textContent();
  const address = /\/join#[\w-]+/.exec(link ?? '')![0];
  await theirs.goto(service.url + address);
  await theirs.getByLabel('Email', { exact: true }).fill('helper@quillmere.example');
  await theirs.getByLabel('Password').fill('short');
  await theirs.getByRole('button', { name: 'Make the account' }).click();
  await theirs.getByText('is too short; type 10 letters or more').waitFor();
  await theirs.getByLabel('Password').fill(password);
  await theirs.getByRole('button', { name: 'Make the account' }).click();
  await theirs.getByText('Dipwell North').first().waitFor();
  // The owner's page shows it by itself.
  await mine.getByText('helper@quillmere.example').waitFor();
  const other = await pageOf(await browser.newContext({ serviceWorkers: 'block' }));
  await other.goto(service.url + address);
  await other.getByText('This link was used').waitFor();
  await other.close();
});

it('lets a viewer look, and says what needs another role', async () => {
  await theirs.goto(`${service.url}/people`);
  await theirs.getByText('Only an owner adds people').waitFor();
  expect(await theirs.getByRole('button', { name: 'Make the link' }).count()).toBe(0);
});

it('changes what a person may do, and removes them: their page ends', async () => {
  await mine.getByRole('combobox').nth(1).click();
  await mine.getByRole('option', { name: /^editor/ }).click();
  await until(
    async () => (await owner.client.call('listPeople')).some(({ role }) => role === 'editor'),
    'that the role is kept',
  );
  await mine.getByRole('button', { name: 'Remove', exact: true }).last().click();
  await mine.getByRole('button', { name: 'Keep' }).click();
  await mine.getByRole('button', { name: 'Remove', exact: true }).last().click();
  await mine.getByRole('button', { name: 'Remove Helper' }).click();
  await mine.getByText('helper@quillmere.example').waitFor({ state: 'detached' });
  await theirs.goto(service.url);
  await theirs.getByRole('button', { name: 'Sign in' }).waitFor();
});

it('finds people and links by their words, once there are many', async () => {
  await mine.goto(`${service.url}/people`);
  await mine.locator('[data-person]').first().waitFor();
  expect(await mine.getByLabel('Find', { exact: true }).count()).toBe(0);
  for (let n = 1; n < 8; n++)
    await owner.client.call('addPerson', { body: { name: `Volunteer ${n}`, role: 'viewer' } });
  await mine.goto(`${service.url}/people`);
  await mine.getByText('Volunteer 7').waitFor();
  await mine.getByLabel('Find', { exact: true }).fill('teer 3');
  await until(async () => (await mine.locator('[data-person]').count()) === 1);
  await mine.reload();
  await mine.getByText('Volunteer 3').waitFor();
  await mine.getByLabel('Find', { exact: true }).fill('nobody at all');
  await mine.getByText('Nobody with these words.').waitFor();
});

it('no page of people had a fault', () => {
  expect(faults).toEqual([]);
});
