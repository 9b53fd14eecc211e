import fs from 'node:fs';
import type { Browser, Page } from 'playwright-core';
import type { AxeResults } from 'axe-core';
import { signedInPage, startBrowser } from '../../../test/support/browser';
import {
  newDevice,
  newPerson,
  post,
  startService,
  type Person,
  type TestService,
} from '../../../test/support/service';

jest.setTimeout(180_000);

// Every page for everybody: axe-core finds nothing on any, its best practices too, at both widths and in both schemes.
const AXE = fs.readFileSync(require.resolve('axe-core/axe.min.js'), 'utf8');
let service: TestService;
let person: Person;
let browser: Browser;
let page: Page;
const paths: Record<string, string> = {};

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  const { device, token } = await newDevice(person.client);
  await post(service, token, { level: -120, temperature: 9.5 });
  await post(service, token, { levle: 1 });
  const { id } = await person.client.call('createStarterDashboard', { params: { device: device.id } });
  const rule = await person.client.call('createRule', {
    body: {
      title: 'Water is high',
      deviceId: device.id,
      kindId: null,
      stream: 'level',
      comparison: 'above',
      limit: -500,
    },
  });
  await post(service, token, { level: -110 });
  const link = await person.client.call('createLink', {
    body: { title: 'For the village', sort: 'dashboard', dashboardId: id },
  });
  const added = await person.client.call('addPerson', { body: { name: 'Helper', role: 'none' } });
  Object.assign(paths, {
    overview: '/',
    dashboards: '/dashboards',
    dashboard: `/dashboards/${id}`,
    history: '/history',
    events: '/events',
    rule: `/events/rules/${rule.id}`,
    event: '/events/1',
    alerts: '/alerts',
    'new rule': '/events/rules/new',
    devices: '/devices',
    'new device': '/devices/new',
    device: `/devices/${device.id}`,
    'its arrivals': `/devices/${device.id}/arrivals`,
    'connecting it': `/devices/${device.id}/connect`,
    'making right': `/devices/${device.id}/right`,
    'its data': `/devices/${device.id}/data`,
    'about it': `/devices/${device.id}/about`,
    wall: `/dashboards/${id}/wall`,
    kind: `/kinds/${device.kindId}`,
    arrivals: '/arrivals',
    people: '/people',
    changes: '/people/changes',
    'a device that is offered': `/take#${'x'.repeat(32)}`,
    'a shared page': new URL(link.address).pathname,
    'a link that shows nothing': `/shared/${'z'.repeat(22)}`,
    'a new password': `/reset#${'x'.repeat(32)}`,
    'an email to confirm': `/confirm#${'x'.repeat(32)}`,
    joining: `/join#${added.link.split('#')[1]!}`,
    settings: '/settings',
    'no page': '/nowhere',
  });
  browser = await startBrowser();
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
});

/** What axe finds in a part of the page as it is, a line each. */
async function found(part = 'html'): Promise<string[]> {
  await page.evaluate(AXE);
  const { violations } = (await page.evaluate(
    `axe.run(${JSON.stringify(part)}, { resultTypes: ['violations'], preload: false, runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'] })`,
  )) as AxeResults;
  return violations.flatMap(({ id, nodes }) => nodes.map(({ html }) => `${id}: ${html.slice(0, 160)}`));
}

type Look = [words: string, width: number, scheme: 'light' | 'dark'];
const LOOKS: Look[] = [
  ['wide, by day', 1280, 'light'],
  ['on a phone, by night', 390, 'dark'],
];

async function openAs([, width, colorScheme]: Look): ReturnType<typeof signedInPage> {
  const opened = await signedInPage(browser, service.url, person);
  ({ page } = opened);
  await page.setViewportSize({ width, height: 844 });
  await page.emulateMedia({ colorScheme, reducedMotion: 'reduce' });
  return opened;
}

/** Dialogs and menus: the page they are on, by its name, and what opens them. */
const press = (name: string | RegExp) => (): Promise<void> =>
  page.getByRole('button', { name, exact: true }).first().click();
const OPENED: Record<string, [page: string, ...acts: (() => Promise<void>)[]]> = {
  'what rows show': ['overview', press('Choose what rows show')],
  'change a widget': ['dashboard', press('Edit'), press(/^Change /)],
  'about a dashboard': ['dashboard', press('Edit'), press('About it')],
  'delete it': ['dashboard', press('Edit'), press('Delete')],
  'menu of a widget': ['dashboard', press(/^More of/)],
  large: [
    'dashboard',
    press(/^More of/),
    () => page.getByRole('menuitem', { name: 'Show it large' }).click(),
  ],
  'other periods': ['history', press('more')],
  'a period of one’s own': [
    'history',
    press('more'),
    () => page.getByRole('menuitem', { name: 'from … to …' }).click(),
  ],
  // On a phone they are under the word More.
  workspaces: ['overview', press(/^(Workspace .*|More)$/)],
  'a note': ['device', press('Write a note')],
  'a datastream': ['kind', press('Add a datastream')],
  'set times': ['device', press(/^Set times of/)],
  'end a key': ['settings', press('End it')],
};

it.each(LOOKS)('in every dialog and menu, %s', async (...look) => {
  const opened = await openAs(look);
  await person.client.call('createKey', { body: { title: `sheet ${look[1]}` } as never });
  const all: Record<string, string[]> = {};
  for (const [name, [where, ...acts]] of Object.entries(OPENED)) {
    await page.goto(service.url + paths[where]!);
    await page.getByRole('heading', { level: 1 }).waitFor();
    for (const act of acts) await act();
    const shown = page.getByRole('dialog').or(page.getByRole('menu'));
    await shown.first().waitFor();
    await page.waitForTimeout(400);
    // What lies behind it is not read meanwhile.
    const lines = await found('[role="dialog"], [role="menu"]');
    if (lines.length > 0) all[name] = lines;
  }
  expect(all).toEqual({});
  await opened.context.close();
});

it.each(LOOKS)('on every page, %s', async (...look) => {
  const opened = await openAs(look);
  const all: Record<string, string[]> = {};
  for (const [name, path] of Object.entries(paths)) {
    await page.goto(service.url + path);
    await page.getByRole('heading', { level: 1 }).waitFor();
    await page.waitForLoadState('networkidle').catch(() => undefined);
    const lines = await found();
    if (lines.length > 0) all[name] = lines;
  }
  await page.goto(`${service.url}${paths.dashboard}`);
  await page.getByRole('button', { name: 'Edit', exact: true }).click();
  await page.getByRole('button', { name: 'Add widgets' }).click();
  await page.getByRole('dialog').waitFor();
  await page.waitForTimeout(500);
  // What lies behind it is not read meanwhile.
  const dialog = await found('[role="dialog"]');
  if (dialog.length > 0) all['add widgets'] = dialog;
  await page.goto(`${service.url}${paths.dashboard}`);
  await page.getByRole('button', { name: 'Share', exact: true }).click();
  await page.frameLocator('iframe').locator('[data-widget]').first().waitFor();
  const share = await found('[role="dialog"]');
  if (share.length > 0) all.sharing = share;
  await opened.context.clearCookies();
  await page.goto(service.url);
  await page.getByRole('heading', { name: 'Sign in' }).waitFor();
  const signIn = await found();
  if (signIn.length > 0) all['sign in'] = signIn;
  expect(all).toEqual({});
  await opened.context.close();
});
