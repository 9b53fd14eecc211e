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

// What people open by a link that was sent to them: a device, a new password, an email, a shared page on a phone.
let service: TestService;
let browser: Browser;
let giver: Person;
let taker: Person;
let token: string;
const faults: string[] = [];
const NORTH = 'dipwell-north';
const PHONE = { width: 390, height: 844 };

beforeAll(async () => {
  service = await startService();
  browser = await startBrowser();
  giver = await newPerson(service, 'Giver');
  taker = await newPerson(service, 'Taker');
  ({ token } = await newDevice(giver.client));
  await post(service, token, { level: -120, temperature: 6 });
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
});

const here = (address: string): string => service.url + new URL(address).pathname + new URL(address).hash;
async function opened(person: Person | null): Promise<{ page: Page; context: BrowserContext }> {
  if (person !== null) {
    const one = await signedInPage(browser, service.url, person);
    one.page.on('pageerror', (error) => faults.push(error.message));
    return one;
  }
  const context = await browser.newContext({ viewport: PHONE, serviceWorkers: 'block' });
  const page = await context.newPage();
  page.on('pageerror', (error) => faults.push(error.message));
  return { page, context };
}
/** What of a page is wider than it. */
const sticksOut = (page: Page): Promise<string[]> =>
  page.evaluate(() =>
    document.documentElement.scrollWidth <= innerWidth
      ? []
      : [...document.querySelectorAll('*')]
          .filter((one) => one.getBoundingClientRect().right > innerWidth + 1)
          .map((one) => one.outerHTML.slice(0, 80)),
  );

it('a device goes to another workspace: offered on its page, taken by the link, gone where it was', async () => {
  const mine = await opened(giver);
  await mine.page.goto(`${service.url}/devices/${NORTH}/about`);
  await mine.page.getByRole('button', { name: 'Make an offer' }).click();
  const link = /\/take#[\w-]+/.exec((await mine.page.getByText('/take#').first().textContent())!)![0];
  const theirs = await opened(taker);
  // An offer that was never made, or was taken.
  await theirs.page.goto(`${service.url}/take#${'x'.repeat(32)}`);
  await theirs.page.getByText('This offer was taken, withdrawn, or is too old').waitFor();
  expect(await theirs.page.getByRole('button', { name: 'Take it' }).count()).toBe(0);
  await theirs.page.goto('about:blank');
  await theirs.page.goto(service.url + link);
  await theirs.page.getByRole('heading', { name: 'Take “Dipwell North”?' }).waitFor();
  await theirs.page
    .getByText('offers the device dipwell-north, a Dipwell North kind, with 2 readings')
    .waitFor();
  await theirs.page.getByRole('button', { name: 'Take it' }).click();
  await theirs.page.getByRole('heading', { name: 'The device is here' }).waitFor();
  await theirs.page.getByRole('link', { name: 'To the device' }).click();
  await theirs.page.getByText('-120').first().waitFor();
  await post(service, token, { level: -77 });
  await theirs.page.getByText('-77').first().waitFor();
  await mine.page.goto(`${service.url}/devices`);
  await mine.page.getByRole('heading', { level: 1 }).waitFor();
  expect(await mine.page.getByText('Dipwell North', { exact: true }).count()).toBe(0);
  // Both sides read what happened, in their own list of changes.
  for (const { page } of [mine, theirs]) {
    await page.goto(`${service.url}/people/changes?what=device`);
    await page.getByText('took over the device Dipwell North').waitFor();
  }
  await mine.context.close();
  await theirs.context.close();
});

it('changes are found by what, by whom and by name, kept in the address, and saved', async () => {
  const { page, context } = await opened(taker);
  await taker.client.call('changeDevice', { params: { device: NORTH }, body: { notes: 'under the alder' } });
  await taker.client.call('createDashboard', { body: { title: 'The alder' } });
  await page.goto(`${service.url}/people/changes`);
  await page.getByText(/^notes: .*under the alder/).waitFor();
  await page.getByLabel('What').click();
  await page.getByRole('option', { name: 'dashboard', exact: true }).click();
  await page.getByText('made the dashboard The alder').waitFor();
  await until(
    async () => (await page.getByText(/^notes: .*under the alder/).count()) === 0,
    'the others to go',
  );
  expect(new URL(page.url()).searchParams.get('what')).toBe('dashboard');
  await page.reload();
  await page.getByText('made the dashboard The alder').waitFor();
  expect(await page.getByText(/^notes: .*under the alder/).count()).toBe(0);
  await page.getByLabel('Name contains').fill('nothing of this name');
  await page.getByText('Nothing was changed yet').waitFor();
  await page.goto(`${service.url}/people/changes`);
  const waiting = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save as CSV' }).click();
  expect((await waiting).suggestedFilename()).toBe('changes.csv');
  await page.setViewportSize(PHONE);
  expect(await sticksOut(page)).toEqual([]);
  await context.close();
});

it('a new password is set by the link that an owner gives, once, and signs in', async () => {
  const added = await giver.client.call('addPerson', { body: { name: 'Forgetful', role: 'viewer' } });
  const { page, context } = await opened(null);
  await page.goto(here(added.link));
  await page.getByLabel('Without an email').click();
  await page.getByLabel('Password').fill('cotton grass and reeds');
  await page.getByRole('button', { name: 'Make the account' }).click();
  await page.waitForURL(`${service.url}/`);
  const person = (await giver.client.call('listPeople')).find(({ name }) => name === 'Forgetful')!;
  const { link } = await giver.client.call('resetPerson', { params: { person: person.id } });
  await page.goto('about:blank');
  await page.goto(here(link));
  await page.getByLabel('The new password').fill('short');
  await page.getByRole('button', { name: 'Set it' }).click();
  await page
    .getByText(/10 letters|ten letters|at least 10/i)
    .first()
    .waitFor();
  await page.getByLabel('The new password').fill('bog bean and sundew');
  await page.getByRole('button', { name: 'Set it' }).click();
  await page.getByRole('heading', { name: 'Your password is new' }).waitFor();
  expect(await sticksOut(page)).toEqual([]);
  await page.getByRole('link', { name: 'Sign in' }).click();
  await page.getByLabel('Email or name').fill('forgetful');
  await page.getByLabel('Password', { exact: true }).fill('bog bean and sundew');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('heading', { level: 1 }).waitFor();
  await page.goto('about:blank');
  await page.goto(here(link));
  await page.getByLabel('The new password').fill('another one of these');
  await page.getByRole('button', { name: 'Set it' }).click();
  await page
    .getByText(/used|too old|not valid|withdrawn/i)
    .first()
    .waitFor();
  await context.close();
});

it('an email is confirmed when somebody presses, and a link that was made up confirms nothing', async () => {
  const { page, context } = await opened(null);
  await page.goto(`${service.url}/confirm#${'y'.repeat(32)}`);
  await page.getByRole('heading', { name: 'Is this your email?' }).waitFor();
  await page.getByRole('button', { name: 'Yes, use it for my account' }).click();
  await page.getByRole('alert').first().waitFor();
  expect(await page.getByText('It is yours').count()).toBe(0);
  expect(await sticksOut(page)).toEqual([]);
  await context.close();
});

it('a shared page fits a phone, says when nothing comes, and a link that shows nothing says so', async () => {
  const board = await taker.client.call('createStarterDashboard', { params: { device: NORTH } });
  const link = await taker.client.call('createLink', {
    body: { title: 'For the village', sort: 'dashboard', dashboardId: board.id },
  });
  const { page, context } = await opened(null);
  await page.goto(here(link.address));
  await page.getByRole('heading', { name: 'For the village' }).waitFor();
  await page.getByText('-77').first().waitFor();
  expect(await sticksOut(page)).toEqual([]);
  expect(await page.locator('[data-widget="switch"]').count()).toBe(0);
  // Away and back: what came meanwhile is there.
  await context.setOffline(true);
  await post(service, token, { level: -55 });
  await context.setOffline(false);
  await page.getByText('-55').first().waitFor();
  await page.goto(`${service.url}/shared/${'z'.repeat(22)}`);
  await page.getByText('This link shows nothing any more').waitFor();
  expect(await sticksOut(page)).toEqual([]);
  await context.close();
});

it('no page of these had a fault', () => {
  expect(faults).toEqual([]);
});
