import type { Browser, Page } from 'playwright-core';
import type { MqttClient } from 'mqtt';
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

jest.setTimeout(180_000);

// The life of the widgets that steer, and of those that need no datastream.
let service: TestService;
let person: Person;
let browser: Browser;
let page: Page;
let faults: string[];
let board: MqttClient;
let dashboard: number;
const told: string[] = [];
const device = 'mill-sluice';

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  const { token } = await person.client.call('createDevice', {
    body: {
      name: 'Mill sluice',
      newKind: {
        title: 'Sluice',
        intervalS: 10,
        streams: [
          { key: 'opening', title: 'Opening', type: 'number', unit: '%', min: 0, max: 100, decimals: 0 },
          {
            key: 'wanted',
            title: 'Opening wanted',
            type: 'number',
            unit: '%',
            min: 0,
            max: 100,
            decimals: 0,
            direction: 'control',
          },
          {
            key: 'horn',
            title: 'Horn',
            type: 'boolean',
            direction: 'control',
            holds: 'momentary',
            timeLimitS: 5,
          },
          {
            key: 'mode',
            title: 'Mode',
            type: 'choice',
            choices: ['by hand', 'by rain'],
            direction: 'control',
          },
          { key: 'sign', title: 'Sign', type: 'text', direction: 'control' },
          { key: 'place', title: 'Where', type: 'location' },
          { key: 'said', title: 'Said', type: 'text' },
        ],
      },
    },
  });
  const day = 86_400_000;
  for (let i = 5; i >= 0; i--)
    await post(service, token, { at: Date.now() - i * day - 1000, opening: 10 * i });
  await post(service, token, { place: { lat: 53.42, lon: -1.87 }, said: 'gate greased' });
  board = await mqttAs(service, device, token);
  board.on('message', (topic, payload) => {
    const name = topic.split('/').pop()!;
    if (name === 'interval') return;
    told.push(`${name}=${payload.toString()}`);
    void board.publishAsync(`moor/${device}/applied/${name}`, payload, { qos: 1 });
  });
  await board.subscribeAsync(`moor/${device}/wanted/#`, { qos: 1 });
  dashboard = (await person.client.call('createStarterDashboard', { params: { device } })).id;
  browser = await startBrowser();
  ({ page, faults } = await signedInPage(browser, service.url, person));
  await page.goto(`${service.url}/dashboards/${dashboard}`);
});
afterAll(async () => {
  await board?.endAsync();
  await browser?.close();
  await service?.stop();
});

const widget = (type: string) => page.locator(`[data-widget="${type}"]`);
const applied = (type: string) => widget(type).locator('[data-state="applied"]').first();

it('offers for each control what steers it', async () => {
  await widget('gauge').first().waitFor();
  const { widgets } = await person.client.call('readDashboard', { params: { dashboard } });
  expect(widgets.map(({ type, sources }) => `${type} ${sources[0]!.stream}`)).toEqual([
    'gauge opening',
    'chart opening',
    'slider wanted',
    'button horn',
    'entry mode',
    'entry sign',
    'track place',
    'log said',
  ]);
});

it('a slider sends when it is let go, by the keyboard too', async () => {
  const slider = page.getByRole('slider', { name: 'Opening wanted' });
  await slider.focus();
  await page.keyboard.press('End');
  await applied('slider').waitFor();
  expect(told).toEqual(['wanted=100']);
  const box = (await slider.boundingBox())!;
  await page.mouse.move(box.x + box.width - 2, box.y + box.height / 2);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.75, box.y + box.height / 2, { steps: 5 });
  await page.mouse.move(box.x + box.width * 0.5, box.y + box.height / 2, { steps: 5 });
  // Nothing is sent on the way.
  expect(told).toEqual(['wanted=100']);
  await page.mouse.up();
  await until(() => told.length === 2);
  expect(Number(told[1]!.split('=')[1])).toBeGreaterThan(40);
  expect(Number(told[1]!.split('=')[1])).toBeLessThan(60);
});

it('a button is a press: told once, with what became of it', async () => {
  await widget('button').getByRole('button', { name: 'Horn', exact: true }).click();
  await applied('button').waitFor();
  await widget('button').getByRole('button', { name: 'Horn', exact: true }).click();
  await until(() => told.filter((one) => one === 'horn=1').length === 2);
});

it('an entry sets a choice and a text', async () => {
  await page
    .getByRole('combobox', { name: 'Mode' })
    .or(page.getByLabel('Mode', { exact: true }))
    .first()
    .click();
  await page.getByRole('option', { name: 'by rain' }).click();
  await until(() => told.includes('mode=by rain') || told.includes('mode=1'));
  await page.getByRole('textbox', { name: 'Sign' }).fill('gate is open');
  await widget('entry').getByRole('button', { name: 'Set' }).click();
  await until(() => told.includes('sign=gate is open'));
});

it('adds bars with options, a heading, events; asks before a press where it is so set', async () => {
  await page.getByRole('button', { name: 'Edit', exact: true }).click();
  const add = async (type: string, choose: string | null): Promise<void> => {
    await page.getByRole('button', { name: 'Add widgets' }).click();
    if (choose !== null)
      await page.getByRole('checkbox', { name: `Mill sluice › ${choose}`, exact: true }).click();
    await page.getByRole('radio', { name: new RegExp(`^${type}`) }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'Add the widget' }).click();
    await page.getByRole('dialog').waitFor({ state: 'hidden' });
  };
  await add('Bars', 'Opening');
  await add('Heading', null);
  await add('Events', null);
  // Whether it asks is its datastream's: of every page that has it.
  const { kindId } = await person.client.call('readDevice', { params: { device } });
  const { streams } = await person.client.call('readKind', { params: { kind: kindId } });
  const { id: _id, ...horn } = streams.find(({ key }) => key === 'horn')!;
  await person.client.call('changeStream', {
    params: { kind: kindId, stream: 'horn' },
    body: { ...horn, asks: true } as never,
  });
  await page.locator('[data-kept="kept"]').waitFor();
  await page.getByRole('button', { name: 'Done' }).click();
  // Six days of one reading each: 50, 40, … 0. All stand on the line of 0, that of 0 too.
  const bars = page.getByRole('img', { name: /Opening, mean of each day: from 0 % to 50 %/ });
  await bars.waitFor();
  const { line, feet } = await bars.evaluate((svg) => {
    const zero = [...svg.querySelectorAll('g')].find((group) => group.textContent === '0')!;
    const number = (node: Element, name: string): number => Number(node.getAttribute(name));
    return {
      line: number(zero.querySelector('line')!, 'y1'),
      feet: [...svg.querySelectorAll('rect[opacity]')].map((bar) => number(bar, 'y') + number(bar, 'height')),
    };
  });
  expect(feet.length).toBeGreaterThan(4);
  for (const foot of feet) expect(foot).toBeCloseTo(line, 3);
  await widget('events').getByText('Nothing yet.').waitFor();
  await widget('track').getByRole('img', { name: '1 place, the newest 53.42, -1.87' }).waitFor();
  await widget('log').getByText('gate greased').waitFor();
  const before = told.length;
  await widget('button').getByRole('button', { name: 'Horn', exact: true }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Cancel' }).click();
  await page.getByRole('dialog').waitFor({ state: 'hidden' });
  expect(told.length).toBe(before);
  await widget('button').getByRole('button', { name: 'Horn', exact: true }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Horn', exact: true }).click();
  await until(() => told.length === before + 1);
});

it('a widget whose datastream is gone is given another', async () => {
  const { kindId } = await person.client.call('readDevice', { params: { device } });
  await person.client.call('deleteStream', { params: { kind: kindId, stream: 'sign' } });
  await page.getByText('Its device or datastream “sign” is gone').waitFor();
  await page.getByRole('button', { name: 'Edit', exact: true }).click();
  await page.getByRole('button', { name: 'Change sign' }).click();
  await page.getByText('“sign” is gone. Choose another.').waitFor();
  await page.getByRole('dialog').getByLabel('Datastream').click();
  await page.getByRole('option', { name: 'Opening wanted' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Change it' }).click();
  await page.locator('[data-kept="kept"]').waitFor();
  await page.getByText('Its device or datastream “sign” is gone').waitFor({ state: 'hidden' });
});

it('all of it fits a phone, and nothing is wider than it', async () => {
  await page.setViewportSize({ width: 390, height: 844 });
  await widget('bars').waitFor();
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
  expect(faults).toEqual([]);
});

it('at 320 px nothing is cut off that was sent small, long or on top of another; without a device all is marked sample values', async () => {
  const { client } = person;
  const { id: kindId } = await client.call('createKind', {
    body: {
      title: 'Weir',
      intervalS: 60,
      streams: [
        { key: 'flow', title: 'What flows over the upper weir of the old mill', type: 'number', unit: 'l/s' },
        { key: 'sluice', title: 'Sluice', type: 'choice', choices: ['open', 'shut'], direction: 'both' },
        { key: 'lamp', title: 'Lamp', type: 'colour', direction: 'both' },
        { key: 'board', title: 'On the board', type: 'text', direction: 'both' },
      ],
    } as never,
  });
  const one = (type: string, place: object, streams: string[] = ['flow'], title = ''): object => ({
    id: type,
    type,
    title,
    sources: streams.map((stream) => ({ device: null, stream })),
    options: {},
    ...place,
  });
  const { id, widgets } = await client.call('createDashboard', {
    body: {
      title: 'Weirs',
      kindId,
      widgets: [
        one('bars', { x: 0, y: 0, w: 3, h: 4 }),
        // Narrower than it can be, and so over what stands beside it.
        one('heat', { x: 3, y: 0, w: 1, h: 4 }),
        one('sheet', { x: 5, y: 0, w: 4, h: 4 }, ['flow', 'sluice', 'lamp']),
        one('chart', { x: 0, y: 4, w: 6, h: 4 }),
        one('entry', { x: 6, y: 4, w: 3, h: 3 }, ['board']),
        one('heading', { x: 0, y: 8, w: 12, h: 1 }, [], 'A heading of more words than one line of it has'),
      ],
    } as never,
  });
  const [bars, heat, sheet] = widgets;
  expect([bars!.y, heat!.y, heat!.w, sheet!.y]).toEqual([0, 0, 4, 4]);
  await page.setViewportSize({ width: 320, height: 800 });
  await page.goto(`${service.url}/dashboards/${id}`);
  for (const type of ['bars', 'heat', 'sheet', 'chart'])
    await widget(type).getByText('sample values').waitFor();
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(320);
  const lines = await widget('sheet')
    .locator('th')
    .evaluateAll((all) =>
      all.map((head) => {
        const range = document.createRange();
        range.selectNodeContents(head.querySelector('span') ?? head);
        return new Set([...range.getClientRects()].map(({ top }) => Math.round(top))).size;
      }),
    );
  // Words stay whole: a short one is one line, of many words there are some.
  expect([lines.length, lines[0], lines[3]]).toEqual([4, 1, 1]);
  expect(lines[1]).toBeLessThan(7);
  expect(await widget('sheet').locator('tbody tr').count()).toBeGreaterThan(2);
  const cut = await widget('heading').evaluate((all) => {
    const heading = all.querySelector('h2')!.getBoundingClientRect();
    return heading.bottom - all.getBoundingClientRect().bottom;
  });
  expect(cut).toBeLessThanOrEqual(0.5);
  // With a device that has said nothing, it is said that nothing came.
  await client.call('createDevice', { body: { name: 'Upper weir', kindId } as never });
  await widget('chart').getByText('No reading in this period.').waitFor();
  const words = 'closed'.repeat(20);
  await client.call('createCommand', {
    params: { device: 'upper-weir' },
    body: { stream: 'board', value: words } as never,
  });
  const wanted = widget('entry').getByText(words);
  await wanted.waitFor();
  expect(await wanted.evaluate((all) => all.getBoundingClientRect().right)).toBeLessThanOrEqual(320);
  expect(faults).toEqual([]);
});
