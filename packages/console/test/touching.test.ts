import type { Browser, CDPSession, Page } from 'playwright-core';
import { signedInPage, startBrowser } from '../../../test/support/browser';
import {
  mqttAs,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';
import type { MqttClient } from 'mqtt';

jest.setTimeout(180_000);

// A finger that scrolls moves nothing; what a control shows is what its board has, or that nobody knows.
let service: TestService;
let person: Person;
let browser: Browser;
let page: Page;
let finger: CDPSession;
let faults: string[];
let token: string;
let board: MqttClient;
let dashboard: number;
const device = 'mill-sluice';
const params = { device };
const control = (key: string, title: string, more: object) => ({ key, title, direction: 'control', ...more });

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  const made = await person.client.call('createDevice', {
    body: {
      name: 'Mill sluice',
      newKind: {
        title: 'Sluice',
        intervalS: 3600,
        streams: [
          { key: 'level', title: 'Level', type: 'number', unit: 'mm', min: -500, max: 150 },
          control('gate', 'Gate', { type: 'number', unit: '%', min: 0, max: 100, decimals: 0 }),
          control('pump', 'Pump', { type: 'boolean' }),
          control('mode', 'Mode', { type: 'choice', choices: ['by hand', 'by rain'] }),
          control('light', 'Light', { type: 'colour' }),
          control('sign', 'Sign', { type: 'text' }),
          control('horn', 'Horn', { type: 'boolean', holds: 'momentary', timeLimitS: 30 }),
        ],
      },
    } as never,
  });
  ({ token } = made);
  const widgets = [
    'gate slider',
    'pump switch',
    'horn button',
    'mode entry',
    'light entry',
    'sign entry',
  ].map((one, i) => {
    const [stream, type] = one.split(' ') as [string, string];
    return {
      id: stream,
      type,
      title: '',
      sources: [{ device, stream }],
      options: {},
      x: (i % 2) * 6,
      y: Math.floor(i / 2) * 3,
      w: 6,
      h: 3,
    };
  });
  dashboard = (await person.client.call('createDashboard', { body: { title: 'Sluice', widgets } } as never))
    .id;
  board = await mqttAs(service, device, token);
  await board.subscribeAsync(`moor/${device}/wanted/#`, { qos: 1 });
  browser = await startBrowser();
  const signed = await signedInPage(browser, service.url, person);
  await signed.page.close();
  const cookies = await signed.context.cookies();
  const context = await browser.newContext({
    viewport: { width: 390, height: 844 },
    hasTouch: true,
    isMobile: true,
    serviceWorkers: 'block',
  });
  await context.addCookies(cookies);
  page = await context.newPage();
  page.setDefaultTimeout(30_000);
  faults = signed.faults;
  page.on('pageerror', (error) => faults.push(error.message));
  finger = await context.newCDPSession(page);
});
afterAll(async () => {
  await board?.endAsync(true);
  await browser?.close();
  await service?.stop();
});

const commands = () => person.client.call('listCommands', { params });
const widget = (title: string) =>
  page.locator('[data-widget]').filter({ has: page.getByText(title, { exact: true }) });

/** A real finger, from one place to another by some steps; what the browser makes of it is its own. */
async function swipe(from: [number, number], to: [number, number], letGo = true): Promise<void> {
  const at = ([x, y]: readonly [number, number]) => [{ x: Math.round(x), y: Math.round(y) }];
  await finger.send('Input.dispatchTouchEvent', { type: 'touchStart', touchPoints: at(from) });
  for (let i = 1; i <= 12; i++) {
    const part = i / 12;
    await finger.send('Input.dispatchTouchEvent', {
      type: 'touchMove',
      touchPoints: at([from[0] + (to[0] - from[0]) * part, from[1] + (to[1] - from[1]) * part]),
    });
    await page.waitForTimeout(16);
  }
  if (letGo) await finger.send('Input.dispatchTouchEvent', { type: 'touchEnd', touchPoints: [] });
}
const middleOf = async (of: ReturnType<Page['locator']>): Promise<[number, number]> => {
  const { x, y, width, height } = (await of.boundingBox())!;
  return [x + width / 2, y + height / 2];
};
const rail = () => page.getByRole('slider', { name: 'Gate' });

it('a control of which nobody knows anything says so, has no position, and is not off', async () => {
  await page.goto(`${service.url}/dashboards/${dashboard}`);
  await rail().waitFor();
  for (const title of ['Gate', 'Pump', 'Mode', 'Light', 'Sign'])
    await widget(title).getByText('never reported', { exact: true }).waitFor();
  // A press has no position that could be known.
  expect(await widget('Horn').getByText('never reported').count()).toBe(0);
  expect(await rail().locator('[data-handle]').count()).toBe(0);
  expect(await rail().getAttribute('aria-valuetext')).toBe('never reported');
  for (const word of ['on', 'off'])
    expect(
      await page.getByRole('button', { name: `Pump ${word}`, exact: true }).getAttribute('aria-pressed'),
    ).toBe('false');
  // The device's own page says the same.
  await page.goto(`${service.url}/devices/${device}/now`);
  await page.getByRole('group', { name: 'Pump' }).waitFor();
  expect(await page.getByText('never reported', { exact: true }).count()).toBeGreaterThanOrEqual(5);
});

it('a thumb that scrolls over a control scrolls, and moves nothing, on every page that has one', async () => {
  for (const path of [
    `/dashboards/${dashboard}`,
    `/devices/${device}/now`,
    `/dashboards/${dashboard}/wall`,
  ]) {
    await page.goto(`${service.url}${path}`);
    await page.getByRole('button', { name: 'Pump on', exact: true }).waitFor();
    // So that every page can be scrolled, whatever stands on it.
    await page.evaluate(() => (document.body.style.paddingBottom = '1500px'));
    const places = [
      page.getByRole('button', { name: 'Pump on', exact: true }),
      page.getByRole('button', { name: 'Horn', exact: true }),
      page.getByRole('textbox', { name: 'Sign' }),
      page.getByRole('combobox').first(),
      ...(path.startsWith('/devices') ? [] : [rail(), page.getByRole('button', { name: 'Gate more' })]),
    ];
    for (const place of places) {
      await place.scrollIntoViewIfNeeded();
      await page.evaluate(() => document.scrollingElement!.scrollTo(0, 0));
      await page.evaluate(() => window.scrollTo(0, 0));
      await place.evaluate((element) => element.scrollIntoView({ block: 'center' }));
      const before = await page.evaluate(() => document.scrollingElement!.scrollTop);
      const [x, y] = await middleOf(place);
      await swipe([x, y], [x + 14, y - 260]);
      await until(
        async () => (await page.evaluate(() => document.scrollingElement!.scrollTop)) !== before,
        `${path} is scrolled over ${place}`,
      );
    }
  }
  await page.waitForTimeout(1000);
  expect(await commands()).toEqual([]);
});

it('a slider moves sideways under the thumb, shows its value above it, and sends once it is let go', async () => {
  await page.goto(`${service.url}/dashboards/${dashboard}`);
  await rail().waitFor();
  const { x, y, width, height } = (await rail().boundingBox())!;
  const middle = y + height / 2;
  // A tap on the rail is no movement.
  await page.touchscreen.tap(x + width * 0.7, middle);
  await page.waitForTimeout(900);
  expect(await commands()).toEqual([]);
  await swipe([x + width * 0.2, middle], [x + width * 0.6, middle + 6], false);
  const held = page.locator('[data-held]');
  await held.waitFor();
  const words = (await held.innerText()).trim();
  expect(words).toMatch(/^(5[89]|6[012])\s%$/);
  expect((await held.boundingBox())!.y + (await held.boundingBox())!.height).toBeLessThan(middle - 8);
  expect(await commands()).toEqual([]);
  await finger.send('Input.dispatchTouchEvent', { type: 'touchEnd', touchPoints: [] });
  const one = await until(async () => {
    const all = await commands();
    return all.length === 1 && all[0];
  }, 'it is sent');
  expect(`${one.value} %`).toBe(words.replace(/\s/, ' '));
  await widget('Gate').locator('[data-state="sent"]').waitFor();
  // Wanted is hollow; nobody has said what the gate is.
  await widget('Gate').getByText('what it has now: never reported').waitFor();
  await board.publishAsync(`moor/${device}/applied/gate`, String(one.value), { qos: 1 });
  await widget('Gate').locator('[data-state="applied"]').waitFor();
  expect(await rail().getAttribute('aria-valuetext')).toBe(`${one.value} %`);
});

it('five presses of an arrow are one command, the focus stays; a button is a single press for the same; Escape takes it back', async () => {
  const before = (await commands()).length;
  await rail().focus();
  for (let i = 0; i < 5; i++) await page.keyboard.press('ArrowRight');
  await until(async () => (await commands()).length === before + 1, 'they are sent together');
  const value = Number((await commands())[0]!.value);
  expect(await rail().evaluate((element) => element === document.activeElement)).toBe(true);
  await board.publishAsync(`moor/${device}/applied/gate`, String(value), { qos: 1 });
  await widget('Gate').locator('[data-state="applied"]').waitFor();
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Escape');
  await page.waitForTimeout(1000);
  expect((await commands()).length).toBe(before + 1);
  for (let i = 0; i < 3; i++) await page.getByRole('button', { name: 'Gate less' }).tap();
  await until(async () => (await commands()).length === before + 2, 'three steps are one command');
  expect(Number((await commands())[0]!.value)).toBe(value - 3);
  // The press of a switch leaves the focus where it was, too.
  const on = page.getByRole('button', { name: 'Pump on', exact: true });
  await on.focus();
  await page.keyboard.press('Enter');
  await widget('Pump').locator('[data-state="sent"]').waitFor();
  expect(await on.evaluate((element) => element === document.activeElement)).toBe(true);
});

it('a switch that was refused stands where its board has it, and so after a reload', async () => {
  const pressed = (word: string) =>
    page.getByRole('button', { name: `Pump ${word}`, exact: true }).getAttribute('aria-pressed');
  // What is on its way is no position yet.
  expect([await pressed('on'), await pressed('off')]).toEqual(['false', 'false']);
  await board.publishAsync(`moor/${device}/applied/pump`, '1', { qos: 1 });
  await until(async () => (await pressed('on')) === 'true', 'it is on');
  await page.getByRole('button', { name: 'Pump off', exact: true }).tap();
  await widget('Pump').locator('[data-state="sent"]').waitFor();
  expect([await pressed('on'), await pressed('off')]).toEqual(['true', 'false']);
  await board.publishAsync(`moor/${device}/applied/pump`, '1', { qos: 1 });
  await widget('Pump').getByText('refused: the board has on instead').waitFor();
  expect([await pressed('on'), await pressed('off')]).toEqual(['true', 'false']);
  await page.reload();
  await widget('Pump').getByText('refused: the board has on instead').waitFor();
  expect([await pressed('on'), await pressed('off')]).toEqual(['true', 'false']);
  // Somebody turns it off at the board.
  await board.publishAsync(`moor/${device}/applied/pump`, '0', { qos: 1 });
  await until(async () => (await pressed('off')) === 'true', 'it is off');
});

it('what has not been heard for long is marked on controls as on values, and says up to when without a link', async () => {
  const { kindId } = await person.client.call('readDevice', { params });
  await post(service, token, { level: -120 });
  await person.client.call('changeKind', { params: { kind: kindId }, body: { intervalS: 1 } } as never);
  await board.endAsync(true);
  const { lastSeenAt } = await person.client.call('readDevice', { params });
  await until(
    async () => (await person.client.call('readDevice', { params })).presence.state === 'quiet',
    'it is quiet',
    60_000,
  );
  await page.goto(`${service.url}/dashboards/${dashboard}`);
  // By when the service heard it, not by when the page asked.
  const words = `device not heard since ${new Date(lastSeenAt!).toTimeString().slice(0, 5)}`;
  for (const title of ['Gate', 'Pump', 'Mode', 'Horn']) await widget(title).getByText(words).waitFor();
  for (const path of ['/devices', '/', `/devices/${device}/now`]) {
    await page.goto(`${service.url}${path}`);
    await page
      .getByText(/^not heard since \d\d:\d\d$/)
      .first()
      .waitFor();
    expect(await page.getByText('online', { exact: true }).count()).toBe(0);
  }
  await page.goto(`${service.url}/dashboards/${dashboard}`);
  await widget('Pump').getByText(words).waitFor();
  await page.context().setOffline(true);
  await widget('Pump')
    .getByText(/^as of \d\d:\d\d$/)
    .waitFor();
  await page.context().setOffline(false);
  expect(faults).toEqual([]);
});
