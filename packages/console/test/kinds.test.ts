import type { Browser, BrowserContext, Page } from 'playwright-core';
import type { Client } from '@peatmoor/contract';
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

const id = 'rain-hut';
let service: TestService;
let person: Person;
let client: Client;
let browser: Browser;
let context: BrowserContext;
let page: Page;
let faults: string[];
let token: string;
let kind: number;

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ client } = person);
  const made = await client.call('createDevice', {
    body: {
      name: 'Rain hut',
      newKind: {
        title: 'Rain meter',
        intervalS: 20,
        streams: [
          { key: 'rain', title: 'Rain', type: 'number', unit: 'mm', decimals: 1 },
          { key: 'warmth', title: 'In the hut', type: 'number', unit: 'Cel', min: -20, max: 40, decimals: 1 },
          { key: 'seen', title: 'Seen', type: 'text' },
          { key: 'place', title: 'Where', type: 'location' },
        ],
      },
    },
  });
  ({ token } = made);
  kind = made.device.kindId;
  browser = await startBrowser();
  ({ page, context, faults } = await signedInPage(browser, service.url, person));
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
});

const part = (title: string) => page.getByRole('region', { name: title });
const report = (values: object) => post(service, token, values);
const choose = async (label: string, option: string | RegExp): Promise<void> => {
  await page.getByRole('dialog').getByLabel(label, { exact: true }).click();
  await page.getByRole('option', { name: option }).click();
};

it('says on every page that a device is online for the first time', async () => {
  await page.goto(`${service.url}/settings`);
  await page.locator('[data-connected="true"]').waitFor({ state: 'attached' });
  await report({ rain: 0.2, warmth: 10, seen: 'a heron', place: '53.42,-1.86' });
  const notice = page.getByRole('status').filter({ hasText: 'online for the first time' });
  await notice.getByRole('link', { name: 'Rain hut' }).waitFor();
  await notice.getByRole('button', { name: 'Put away' }).click();
  await until(async () => (await notice.count()) === 0, 'the notice put away');
});

it('asks what becomes of readings where the unit of a datastream changes', async () => {
  await page.goto(`${service.url}/kinds/${kind}`);
  await page.locator('[data-key="warmth"]').getByRole('button', { name: 'Change' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Unit', { exact: true }).fill('K');
  await page.getByRole('option', { name: /^K\b/ }).click();
  await dialog.getByRole('button', { name: 'Change it' }).click();
  await dialog.getByText(/on 1 device .* are in °C/).waitFor();
  await dialog.getByText(/100 °C becomes 373\.15 K/).waitFor();
  await dialog.getByRole('button', { name: 'Convert to K' }).click();
  await dialog.waitFor({ state: 'hidden' });
  const stream = async () =>
    (await client.call('readKind', { params: { kind } })).streams.find(({ key }) => key === 'warmth');
  expect(await stream()).toMatchObject({ unit: 'K', sentUnit: 'Cel', min: 253.15, max: 313.15 });
  await page.locator('[data-key="warmth"]').getByText('253.15 to 313.15 K').waitFor();
  // And back, as before.
  await page.locator('[data-key="warmth"]').getByRole('button', { name: 'Change' }).click();
  await dialog.getByLabel('Unit', { exact: true }).fill('°C');
  await page.getByRole('option', { name: /^°C/ }).click();
  await dialog.getByRole('button', { name: 'Change it' }).click();
  await dialog.getByRole('button', { name: 'Convert to °C' }).click();
  await dialog.waitFor({ state: 'hidden' });
  expect(await stream()).toMatchObject({ unit: 'Cel', sentUnit: null, keptUnit: null, min: -20, max: 40 });
});

it('fills a datastream in from a part, with its wiring', async () => {
  await page.goto(`${service.url}/kinds/${kind}`);
  await page.getByRole('button', { name: 'Add a datastream' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Part, if it is a common one').fill('water not leak');
  await dialog.getByLabel('Part, if it is a common one').fill('thermis');
  await page.getByRole('option', { name: /Thermistor/ }).click();
  await dialog
    .locator('[data-wiring]')
    .getByLabel(/other leg → GPIO 34/)
    .waitFor();
  await dialog.getByLabel('Pin of the board').fill('GPIO 32');
  await dialog
    .locator('[data-wiring]')
    .getByLabel(/other leg → GPIO 32/)
    .waitFor();
  await dialog.getByRole('button', { name: 'Add it' }).click();
  await page.locator('[data-key="temperature"]').getByText('Thermistor, 10 kΩ on GPIO 32').waitFor();
  const streams = (await client.call('readKind', { params: { kind } })).streams;
  expect(streams.find(({ part: one }) => one === 'thermistor')).toMatchObject({
    unit: 'Cel',
    min: -40,
    max: 125,
    decimals: 1,
  });
});

it('computes a datastream: says where a formula is wrong, tries it, keeps it, works it out over history', async () => {
  await page.getByRole('button', { name: 'Add a datastream' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('What it is').fill('Rain in tenths');
  await dialog.getByLabel('Computed from other datastreams').check();
  await dialog.getByLabel('Formula').fill('rian * 10');
  await dialog.getByRole('button', { name: 'Try it on recent readings' }).click();
  await dialog.getByText(/character 1: No datastream is called "rian". The nearest is "rain"/).waitFor();
  await dialog.getByLabel('Formula').fill('rain * 10');
  await dialog.getByRole('button', { name: 'Try it on recent readings' }).click();
  await dialog.locator('[data-preview]').getByText('2', { exact: true }).waitFor();
  await dialog.getByRole('button', { name: 'Add it' }).click();
  const row = page.locator('[data-key="rain_in_tenths"]');
  await row.getByText('= rain * 10').waitFor();
  await row.getByRole('button', { name: 'Work it out over history' }).click();
  await row.getByText(/worked out over history/).waitFor();
  await until(
    async () =>
      (await client.call('readDevice', { params: { device: id } })).newest.find(
        ({ key }) => key === 'rain_in_tenths',
      )?.value === 2,
    'the computed value',
  );
});

it('sums by the hour, by choosing it', async () => {
  await page.getByRole('button', { name: 'Add a datastream' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('What it is').fill('Rain this hour');
  await dialog.getByLabel('Computed from other datastreams').check();
  await choose('Computed as', /sum of the hour or day/);
  await choose('Begins again at zero', 'with each hour');
  await dialog.getByRole('button', { name: 'Add it' }).click();
  await page.locator('[data-key="rain_this_hour"]').getByText('sum of rain, each hour').waitFor();
});

it('keeps board and drawing, and tells what it costs', async () => {
  await page.getByLabel('Board', { exact: true }).click();
  await page.getByRole('option', { name: 'board with MicroPython' }).click();
  await page.getByLabel('Drawing').click();
  await page.getByRole('option', { name: 'rain' }).click();
  await page.locator('h1 [data-icon="rain"]').waitFor();
  await part('What it costs')
    .getByText(/MB a day on the line|kB a day on the line/)
    .first()
    .waitFor();
  expect(await client.call('readKind', { params: { kind } })).toMatchObject({
    board: 'micropython',
    icon: 'rain',
  });
});

it('makes a claim secret with its program, shows who claimed, opens it again and ends it', async () => {
  const claims = part('One program for many boards');
  await claims.getByLabel('Maximum boards').fill('2');
  await claims.getByRole('button', { name: 'Make a claim secret' }).click();
  const secret = (await claims.locator('pre').first().textContent())!.trim();
  expect(secret).toMatch(/^claim_moor/);
  await claims.getByText('from claim import claimed').waitFor();
  await claims.getByLabel('Your Wi-Fi').fill('hut network');
  await claims.getByText('WIFI_NAME = "hut network"').waitFor();
  const response = await fetch(`${service.url}/device/claim`, {
    method: 'POST',
    headers: { authorization: `Bearer ${secret}` },
    body: '{"serial": "B7"}',
  });
  expect(response.status).toBe(201);
  await page.reload();
  await claims.getByText('Claimed by 1 of 2 boards').waitFor();
  await claims.getByRole('link', { name: 'Rain meter B7' }).waitFor();
  await claims.getByRole('button', { name: 'Let it claim again' }).click();
  await claims.getByText('may claim once more').waitFor();
  await claims.getByRole('button', { name: 'End it' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'End it' }).click();
  await claims.getByText(/ended \d{1,2} \w{3,4} \d{4}/).waitFor();
});

it('shows sent beside shown, and copies a message as a line that sends it again', async () => {
  await client.call('createCalibration', {
    params: { device: id },
    body: { stream: 'warmth', calibration: { form: 'linear', scale: 1, offset: 2 } },
  });
  await page.goto(`${service.url}/devices/${id}/arrivals`);
  await page.locator('[data-arrival]').getByRole('button').first().click();
  const message = page.locator('[data-message]').first();
  await message.getByRole('row', { name: /warmth .* 10.0 °C 12.0 °C/ }).waitFor();
  await message.getByRole('button', { name: 'Copy it as curl' }).waitFor();
  await page
    .locator('[data-next]')
    .getByText(/next message in \d+ s|any moment|overdue/)
    .waitFor();
});

it('names what changed, and by how much, while the sensor is touched', async () => {
  await page.goto(`${service.url}/devices/${id}`);
  await page.getByRole('button', { name: 'Which is it? Press, then touch the sensor' }).click();
  await page.getByText('Touch the sensor now. Nothing has changed yet.').waitFor();
  await report({ rain: 0.2, warmth: 12.1 });
  const change = page.locator('[data-changed="warmth"]');
  await change.getByText('+2.1 °C').waitFor();
  await change.getByText(/in \d+ s/).waitFor();
  expect(await page.locator('[data-changed="rain"]').count()).toBe(0);
});

it('shows values in the units of whoever looks, and only to them', async () => {
  await page.goto(`${service.url}/settings`);
  await page.getByLabel('Units').click();
  await page.getByRole('option', { name: /inches/ }).click();
  await until(async () => (await client.call('me')).user.units === 'imperial', 'the units kept');
  await page.goto(`${service.url}/devices/${id}`);
  await part('Newest readings').getByText('°F').first().waitFor();
  expect(await part('Newest readings').textContent()).toMatch(/In the hut\s*57\.4\s*°F/);
  const heater = await client.call('createDevice', {
    body: {
      name: 'Hut heater',
      newKind: {
        title: 'Heater',
        streams: [
          { key: 'goal', title: 'Goal', type: 'number', unit: 'Cel', decimals: 1, direction: 'control' },
        ],
      },
    },
  });
  await page.goto(`${service.url}/devices/${heater.device.id}/now`);
  await page.getByLabel('Goal', { exact: true }).fill('68');
  await page.getByRole('button', { name: 'Set', exact: true }).click();
  await page.getByText('68.0 °F, by').waitFor();
  const asked = await client.call('listCommands', { params: { device: heater.device.id } });
  expect(asked[0]).toMatchObject({ stream: 'goal', value: 20 });
  await page.goto(`${service.url}/events/rules/new`);
  await page.getByLabel('Watches').click();
  await page.getByRole('option', { name: 'any Rain meter' }).click();
  await page.getByLabel('Datastream').click();
  await page.getByRole('option', { name: 'In the hut' }).click();
  await page.getByLabel('Limit (°F)').fill('86');
  await page
    .getByText('When In the hut of any Rain meter is above 86.0 °F; closes at 86.0 °F or below.')
    .waitFor();
  await page.getByRole('button', { name: 'Make the rule' }).click();
  await page.locator('[data-rule]').getByText('is above 86.0 °F; closes').waitFor();
  const [rule] = await client.call('listRules');
  expect(rule).toMatchObject({ title: 'In the hut is above 86.0 °F', limit: 30 });
  await page.goto(`${service.url}/events/rules/${rule!.id}`);
  expect(await page.getByLabel('Limit (°F)').inputValue()).toBe('86');
  await client.call('deleteRule', { params: { rule: rule!.id } });
  await client.call('deleteDevice', { params: { device: heater.device.id } });
  await page.goto(`${service.url}/settings`);
  await page.getByLabel('Units').click();
  await page.getByRole('option', { name: /as they are stored/ }).click();
  await until(async () => (await client.call('me')).user.units === 'metric', 'the units back');
});

it('lists the arrivals of all devices, and finds some', async () => {
  await page.goto(`${service.url}/devices`);
  await page.getByRole('link', { name: 'All arrivals' }).click();
  await page.locator('[data-arrival]').first().waitFor();
  await report({ rian: 3 });
  await page.getByText('unknown-name').waitFor();
  await page.getByLabel('Which').click();
  await page.getByRole('option', { name: 'with refusals' }).click();
  await until(async () => (await page.locator('[data-arrival]').count()) === 1, 'one refused');
  await page.getByLabel('Containing').fill('nothing like it');
  await page.getByText('Nothing of this sort has arrived').waitFor();
});

it('looks back at texts and places', async () => {
  await page.goto(`${service.url}/history?device=${id}`);
  await page.locator('[data-others="seen"]').getByText('a heron').waitFor();
  await page.getByRole('img', { name: /1 place, the newest 53.42, -1.86/ }).waitFor();
});

it('keeps a picture of a device, and names its tokens', async () => {
  await page.goto(`${service.url}/devices/${id}/about`);
  const png =
    'iVBORw0KGgoAAAANSUhEUgAAAAIAAAACCAIAAAD91JpzAAAAFklEQVR4nGP8z8DAwMDAxMDAwMDAAAANHQEDasKb6QAAAABJRU5ErkJggg==';
  const input = part('About it').locator('input[type=file]');
  await input.setInputFiles({ name: 'hut.png', mimeType: 'image/png', buffer: Buffer.from(png, 'base64') });
  await page.getByRole('img', { name: 'Rain hut, a picture of it' }).waitFor();
  await input.setInputFiles({ name: 'hut.png', mimeType: 'image/png', buffer: Buffer.from('no picture') });
  await page.getByText('This file is not a picture').waitFor();
  await page.getByRole('button', { name: 'Take it away' }).click();
  await page.getByText('Add a picture of it').waitFor();
  const tokens = part('Tokens');
  await tokens.getByText(/first, made .*, used \d+ s ago/).waitFor();
  await tokens.getByLabel('Name of another token').fill('spare board');
  await tokens.getByRole('button', { name: 'Make another token' }).click();
  await tokens.getByText(/spare board, made .*, never used/).waitFor();
});

it('sends a reading by hand, and says what became of it', async () => {
  await page.goto(`${service.url}/devices/${id}/arrivals`);
  const arrivals = part('Arrivals');
  await arrivals.getByLabel('Send a reading by hand').click();
  await page.getByRole('option', { name: 'In the hut' }).click();
  await arrivals.getByLabel('Value, in °C').fill('cold');
  await arrivals.getByRole('button', { name: 'Send' }).click();
  await arrivals.getByText(/^wrong-type:/).waitFor();
  await arrivals.getByLabel('Value, in °C').fill('11.5');
  await arrivals.getByRole('button', { name: 'Send' }).click();
  await arrivals.getByText('It is taken.').waitFor();
});

it('registers many from a list, all or none, and moves devices to a kind', async () => {
  await page.goto(`${service.url}/devices`);
  const many = part('Many at once');
  await many.getByLabel('The list').fill('name,kind\nSecond hut,Rain meter\nThird hut,No such kind');
  await many.getByRole('button', { name: 'Register them' }).click();
  await many.getByText(/row 3: there is no kind "No such kind"/).waitFor();
  await many
    .getByLabel('The list')
    .fill('name,kind,labels\nSecond hut,Rain meter,moss;east\nThird hut,Rain meter,');
  await many.getByRole('button', { name: 'Register them' }).click();
  await many.getByText('2 devices are registered').waitFor();
  const download = page.waitForEvent('download');
  await many.getByRole('button', { name: 'Download IDs and tokens' }).click();
  expect((await download).suggestedFilename()).toBe('tokens.csv');
  const copy = await client.call('copyKind', { params: { kind }, body: { title: 'Other meter' } });
  await page.goto(`${service.url}/kinds/${copy.id}`);
  await page.getByRole('button', { name: 'Move devices here' }).click();
  await page.getByLabel('Second hut, now a Rain meter').check();
  await page.getByRole('button', { name: 'Say what would happen' }).click();
  await page.getByText('No reading would be lost.').waitFor();
  await page.getByRole('button', { name: 'Move it' }).click();
  await part('Devices').getByRole('link', { name: 'Second hut' }).waitFor();
});

it('keeps other names, a colour and what is wanted from the start', async () => {
  await page.goto(`${service.url}/kinds/${kind}`);
  await page.getByRole('button', { name: 'Add a datastream' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('What it is').fill('Heater');
  await choose('Type', 'boolean');
  await choose('Direction', 'people control it');
  await dialog.getByLabel('Default value').fill('warm');
  await dialog.getByLabel('Other names on the wire').fill('htr, Warmer');
  await dialog.getByLabel('Colour of its lines').fill('#a8381c');
  await dialog.getByRole('button', { name: 'Add it' }).click();
  await dialog.getByText(/is not taken/).waitFor();
  await dialog.getByLabel('Default value').fill('off');
  await dialog.getByRole('button', { name: 'Add it' }).click();
  await page.locator('[data-key="heater"]').getByText('also htr, warmer').waitFor();
  const streams = (await client.call('readKind', { params: { kind } })).streams;
  expect(streams.find(({ key }) => key === 'heater')).toMatchObject({
    defaultValue: 'off',
    colour: '#a8381c',
  });
});

it('registers a device of five parts in less than a minute: one field, a word and a press a part', async () => {
  const start = Date.now();
  await page.goto(`${service.url}/devices/new`);
  await page.getByLabel('Name').fill('Bog hut');
  let actions = 2;
  const field = page.getByLabel('Add a part that is on the board');
  for (const words of ['temperature', 'lux', 'soil', 'co2', 'relay']) {
    await field.fill(words);
    await page.getByRole('option').first().click();
    actions += 2;
  }
  await page.locator('[data-stream]').nth(5).getByText('GPIO 26').waitFor();
  await page.getByRole('button', { name: 'Register and get its token' }).click();
  await page.getByRole('button', { name: 'Connect the device' }).click();
  actions += 2;
  await page
    .locator('[data-wiring]')
    .getByLabel(/SDA → GPIO 21, SCL → GPIO 22/)
    .waitFor();
  const device = (await client.call('listDevices')).find(({ name }) => name === 'Bog hut')!;
  const made = await client.call('readKind', { params: { kind: device.kindId } });
  expect(made.streams.map(({ key, unit, boardPin }) => [key, unit, boardPin])).toEqual([
    ['temperature', 'Cel', 'GPIO 4'],
    ['humidity', '%RH', 'GPIO 4'],
    ['light', 'lx', 'GPIO 21, 22'],
    ['soil_moisture', '%', 'GPIO 34'],
    ['carbon_dioxide', 'ppm', 'GPIO 16, 17'],
    ['relay', null, 'GPIO 26'],
  ]);
  expect(actions).toBe(14);
  // By machine, of course; a person has a minute for fourteen actions.
  expect(Date.now() - start).toBeLessThan(60_000);
});

it('uploads a program, gives it to one board, and shows how far that is', async () => {
  await page.goto(`${service.url}/kinds/${kind}`);
  const section = part('Programs over the air');
  const file = (version: string) => ({
    name: 'firmware.bin',
    mimeType: 'application/octet-stream',
    buffer: Buffer.from(`\u0000\u0001 moor-firmware:${version}: \u0000`),
  });
  const upload = async (version: string, within: string): Promise<void> => {
    await section.getByLabel('Version of the program').fill(version);
    await section.getByLabel('What is new in it').fill('counts faster');
    const chooser = page.waitForEvent('filechooser');
    await section.getByRole('button', { name: 'Upload its file' }).click();
    await (await chooser).setFiles(file(within));
  };
  await upload('1.1.0', '1.0.9');
  await section.getByText(/the file says that it is 1\.0\.9/).waitFor();
  await upload('1.1.0', '1.1.0');
  await section.locator('[data-firmware="1.1.0"]').getByText('counts faster').waitFor();
  await section.getByRole('button', { name: 'Give it' }).click();
  await section
    .locator('[data-round]')
    .getByText(/to Rain hut/)
    .waitFor();
  // The board asks, fetches it, and does not come back with it.
  const device = (path: string, init: RequestInit = {}) =>
    fetch(`${service.url}/device/firmware${path}`, {
      ...init,
      headers: { authorization: `Bearer ${token}` },
    });
  await device('?has=1.0.0');
  const board = section.locator('[data-board="rain-hut"]');
  await board.getByText('fetches it when it asks next').waitFor();
  await device('', { method: 'POST', body: JSON.stringify({ version: '1.1.0', state: 'fetched' }) });
  await board.getByText('has it, and starts it').waitFor();
  await device('?has=1.0.0');
  await board.getByText('runs the one before again').waitFor();
  await section.getByText(/Stopped by itself: it failed on 1 of at most 1/).waitFor();
  await section.getByRole('button', { name: 'Go on', exact: true }).click();
  await section.getByRole('button', { name: 'Stop', exact: true }).waitFor();
});

it('has all of it within the width of a phone, and no fault in the page', async () => {
  await page.setViewportSize({ width: 390, height: 844 });
  for (const path of [
    `/kinds/${kind}`,
    `/devices/${id}`,
    '/arrivals',
    `/history?device=${id}`,
    '/settings',
  ]) {
    await page.goto(service.url + path);
    await page.getByRole('navigation').waitFor();
    await page.waitForTimeout(400);
    expect([path, await page.evaluate(() => document.documentElement.scrollWidth)]).toEqual([path, 390]);
  }
  expect(faults).toEqual([]);
  await context.close();
});
