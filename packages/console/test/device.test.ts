import fs from 'node:fs';
import path from 'node:path';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import type { Client } from '@peatmoor/contract';
import { signedInPage, startBrowser } from '../../../test/support/browser';
import {
  DIPWELL,
  mqttAs,
  newFolder,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

jest.setTimeout(180_000);

const id = 'dipwell-north';
const DAY = 86_400_000;
let service: TestService;
let person: Person;
let client: Client;
let browser: Browser;
let context: BrowserContext;
let page: Page;
let token: string;
const folder = newFolder();
let faults: string[];

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ client } = person);
  ({ token } = await client.call('createDevice', {
    body: {
      name: 'Dipwell North',
      newKind: {
        ...DIPWELL,
        streams: [
          ...DIPWELL.streams!,
          {
            key: 'gate',
            title: 'Gate',
            type: 'choice',
            choices: ['closed', 'half open', 'open'],
            direction: 'control',
          },
          { key: 'note', title: 'Note', type: 'text' },
          { key: 'position', title: 'Position', type: 'location' },
        ],
      },
    },
  }));
  browser = await startBrowser();
  ({ page, context, faults } = await signedInPage(browser, service.url, person));
  await post(service, token, { level: -121, temperature: 8.5, note: 'dry', position: '53.42,-1.86' });
  await page.goto(`${service.url}/devices/${id}`);
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

const part = (title: string) => page.getByRole('region', { name: title });
/** Goes to one of the pages of the device. */
const go = (title: string) =>
  page.getByRole('navigation', { name: 'Pages of the device' }).getByRole('link', { name: title }).click();

it('shows the newest of every type, and a message whole when it is opened', async () => {
  await part('Newest readings').getByText('dry').waitFor();
  await part('Newest readings').getByText('53.42000, -1.86000').waitFor();
  await go('Arrivals');
  await page.locator('[data-arrival]').getByRole('button').first().click();
  await page.getByText('{"level":-121,"temperature":8.5,"note":"dry","position":"53.42,-1.86"}').waitFor();
  await page.getByText(/from 127\.0\.0\.1, \d+ bytes, application\/json/).waitFor();
});

it('filters to refusals, pauses, and takes refused messages again', async () => {
  await post(service, token, { depth: 3 });
  const arrivals = part('Arrivals');
  await arrivals.getByText('unknown-name').waitFor();
  await arrivals.getByLabel('Which messages').click();
  await page.getByRole('option', { name: 'with refusals' }).click();
  await until(async () => (await page.locator('[data-arrival]').count()) === 1);
  await arrivals.getByLabel('Which messages').click();
  await page.getByRole('option', { name: 'all messages' }).click();
  await arrivals.getByRole('button', { name: 'Pause' }).click();
  const before = await page.locator('[data-arrival]').count();
  await post(service, token, { level: -122 });
  await page.waitForTimeout(500);
  expect(await page.locator('[data-arrival]').count()).toBe(before);
  await arrivals.getByRole('button', { name: 'Go on' }).click();
  await page.locator('[data-arrival]').getByText('-122 mm').waitFor();
  await arrivals.getByRole('button', { name: 'Make “depth” a datastream' }).click();
  await page.getByText('is a datastream now').waitFor();
  await arrivals.getByRole('button', { name: 'Take the refused ones again' }).click();
  await page.getByText('1 refused message taken again: 1 value accepted, 0 still refused.').waitFor();
  await go('Now');
  await part('Newest readings').getByText('Depth').waitFor();
});

it('steers a choice by its words', async () => {
  const board = await mqttAs(service, id, token);
  const told: string[] = [];
  board.on('message', (topic, payload) => {
    told.push(payload.toString());
    if (topic.endsWith('/gate')) board.publish(`moor/${id}/applied/gate`, payload, { qos: 1 });
  });
  await board.subscribeAsync(`moor/${id}/wanted/#`, { qos: 1 });
  await part('Controls').getByLabel('Gate', { exact: true }).click();
  await page.getByRole('option', { name: 'half open' }).click();
  await until(() => told.includes('half open'), 'the wanted value on the board');
  await part('Controls').getByText('half open, by Warden').waitFor();
  await until(async () => {
    const [command] = await client.call('listCommands', { params: { device: id } });
    return command?.state === 'applied';
  });
  await board.endAsync(true);
});

it('compares a pasted program with the device', async () => {
  await go('Connect');
  await part('Check my program')
    .getByLabel('The text of your program')
    .fill(
      [
        'const char* host = "localhost";',
        `mqtt.publish("moor/dipwell-south/report", body);`,
        'doc["levle"] = 3; doc["temperature"] = 4;',
        `const char* token = "${token}";`,
      ].join('\n'),
    );
  const findings = page.locator('[data-finding]');
  await findings.getByText('means the board itself').waitFor();
  await findings.getByText('is the topic of "dipwell-south"').waitFor();
  await findings.getByText('the nearest is "level"').waitFor();
  await findings.getByText('is a token of this device.').waitFor();
  expect(await page.locator('[data-finding="wrong"]').count()).toBe(3);
});

it('keeps name, labels, place and notes when a field is left, and says where a place is none', async () => {
  await go('About and tokens');
  const about = part('About it');
  await about.getByLabel('Labels, with commas between').fill('moss, north');
  await about.getByLabel('Place, degrees north and east').fill('somewhere');
  await page.keyboard.press('Tab');
  await about.getByText('A location such as').waitFor();
  await about.getByLabel('Place, degrees north and east').fill('53.42, -1.86');
  await about.getByLabel('Notes').fill('Behind the third birch.');
  await about.getByLabel('Name').focus();
  await page.getByText('moss, north ·').waitFor();
  await until(async () => {
    const { labels, place, notes } = await client.call('readDevice', { params: { device: id } });
    return labels.length === 2 && place?.lat === 53.42 && notes === 'Behind the third birch.';
  });
});

it('registers a device behind this one', async () => {
  const about = part('About it');
  await about.getByRole('button', { name: 'Add one' }).click();
  await about.getByLabel('A device behind this one').fill('Well 7');
  await about.getByLabel('Its serial text').fill('radio-7');
  await about.getByRole('button', { name: 'Add it' }).click();
  await about.getByText('well-7, radio-7').waitFor();
  const response = await fetch(`${service.url}/device/report?for=radio-7`, {
    method: 'POST',
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
    body: '{"level":5}',
  });
  expect(await response.json()).toMatchObject({ accepted: 1 });
  await about.getByRole('link', { name: 'Well 7' }).click();
  await go('About and tokens');
  await page.getByText('which calls it “radio-7”').waitFor();
  await go('Now');
  await part('Newest readings').getByText('Level').waitFor();
  await page.goto(`${service.url}/devices/${id}`);
});

it('takes readings away as a sheet and by a standing address', async () => {
  await go('Data');
  const data = part('Its data');
  const download = page.waitForEvent('download');
  await data.getByRole('link', { name: 'Sheet in local time' }).click();
  const file = path.join(folder, 'sheet.csv');
  await (await download).saveAs(file);
  expect(fs.readFileSync(file, 'utf8')).toMatch(
    /^date,time,offset,Water level \(mm\),Peat temperature \(°C\)/,
  );
  await data.getByRole('button', { name: 'Make a standing address' }).click();
  const address = await data.locator('pre').innerText();
  const fetched = await fetch(address);
  expect(fetched.status).toBe(200);
  expect(await fetched.text()).toContain('-121');
});

it('brings readings in from a file: looks first, names the rows that are refused', async () => {
  const start = Date.now() - 2 * DAY;
  const file = path.join(folder, 'old.csv');
  const rows = Array.from({ length: 2500 }, (_, i) => `${start + i * 1000},${-100 - (i % 50)}`);
  fs.writeFileSync(file, `at,level\n${rows.join('\n')}\n${start},9999\n`);
  const data = part('Its data');
  await data.locator('input[type=file]').setInputFiles(file);
  await data.getByText('old.csv: 2501 rows. 2500 values would be taken, 1 refused.').waitFor();
  await data.getByText('row 2502: level out-of-range').waitFor();
  await data.getByRole('button', { name: 'Take 2500 values' }).click();
  await data.getByText('2500 values of 2501 rows taken, 1 refused.').waitFor();
});

it('makes values right, looked at first, and takes that back', async () => {
  await go('Make right');
  const right = part('Make values right');
  await right.getByLabel('By', { exact: true }).click();
  await page.getByRole('option', { name: 'two points that are known' }).click();
  await right.getByLabel('Measured first').fill('0');
  await right.getByLabel('was truly').first().fill('10');
  await right.getByLabel('Measured second').fill('-100');
  await right.getByLabel('was truly').last().fill('-90');
  await right.getByLabel('Holds').click();
  await page.getByRole('option', { name: 'over all history' }).click();
  await right.getByRole('button', { name: 'Look at it first' }).click();
  await right.getByText('-122 mm → -112 mm').waitFor();
  await right.getByRole('button', { name: 'Keep it' }).click();
  await right.getByText('Water level × 1 + 10, over all history').waitFor();
  await go('Now');
  await part('Newest readings').getByText('-112').waitFor();
  await go('Make right');
  await right.getByRole('button', { name: 'Take it back' }).click();
  await right.getByRole('button', { name: 'Take it back' }).waitFor({ state: 'hidden' });
  await go('Now');
  await part('Newest readings').getByText('-122').waitFor();
});

it('averages what is measured to set it beside a known value', async () => {
  await go('Make right');
  const right = part('Make values right');
  await right.getByLabel('By', { exact: true }).click();
  await page.getByRole('option', { name: 'make this zero' }).click();
  await right.getByRole('button', { name: 'Take the average of 10 s' }).click();
  for (const level of [-5, -7, -6]) {
    await post(service, token, { level });
    await page.waitForTimeout(300);
  }
  await right.getByText(/-6 mm, spread 1/).waitFor();
  expect(await right.getByLabel('Measured when truly zero').inputValue()).toBe('-6');
  await right.getByRole('button', { name: 'Keep it' }).click();
  await right.getByText('It holds now').waitFor();
  await post(service, token, { level: -6 });
  await go('Now');
  await part('Newest readings').getByText('0', { exact: true }).waitFor();
  await go('Make right');
  await right.getByRole('button', { name: 'Take it back' }).click();
});

it('deletes readings of a period after counting them, and keeps a record', async () => {
  await go('Data');
  const correct = part('Delete readings');
  const local = (at: number): string => {
    const shifted = new Date(at - new Date(at).getTimezoneOffset() * 60_000);
    return shifted.toISOString().slice(0, 19);
  };
  await correct.getByLabel('up to (empty: the newest)').fill(local(Date.now() - DAY));
  await correct.getByRole('button', { name: 'Count them' }).click();
  await correct.getByRole('button', { name: 'Delete 2500 readings' }).click();
  await correct.getByText('2500 readings are deleted.').waitFor();
  await correct.getByText(/Warden deleted 2500 of level/).waitFor();
});

it('lets a kind accept new names, marks them, and confirms them', async () => {
  await page.getByRole('link', { name: 'Dipwell', exact: true }).first().click();
  const changed = page.waitForResponse((answer) => answer.request().method() === 'PATCH');
  await page.getByLabel('A new name that arrives becomes a datastream').click();
  expect((await changed).status()).toBe(200);
  expect(await client.call('listKinds')).toContainEqual(
    expect.objectContaining({ title: 'Dipwell', acceptNew: true }),
  );
  await post(service, token, { moth_count: 3 });
  const row = page.locator('[data-key="moth_count"]');
  await row.getByText('new').waitFor();
  await row.getByRole('button', { name: 'Confirm' }).click();
  await page.getByLabel('Pin of the board').fill('GPIO 34');
  await page.getByLabel('Notes').last().fill('Counted by the lamp.');
  await page.getByRole('button', { name: 'Change it' }).click();
  await until(async () => {
    const kinds = await client.call('listKinds');
    const stream = kinds.flatMap(({ streams }) => streams).find(({ key }) => key === 'moth_count');
    return stream?.unconfirmed === false && stream.boardPin === 'GPIO 34' && stream.description !== '';
  });
});

it('makes a rule for an event that the device raises itself', async () => {
  await page.goto(`${service.url}/events/rules/new`);
  await page.getByLabel('Opens when it').press('ArrowDown');
  await page.getByRole('option', { name: 'raises by itself' }).click();
  await page.getByLabel('Key of the event').fill('Low Battery');
  await page
    .locator('[data-sentence]')
    .getByText('When Dipwell North raises "low_battery"; closes when it clears it.')
    .waitFor();
  await page.getByRole('button', { name: 'Make the rule' }).click();
  await page.getByText('Nothing is open.').waitFor();
  await fetch(`${service.url}/device/raise/low_battery`, {
    method: 'POST',
    headers: { authorization: `Bearer ${token}` },
    body: '3.1 V',
  });
  await page.locator('[data-event="open"]').getByText('low_battery').waitFor();
});

it('makes access keys that may do less', async () => {
  await page.goto(`${service.url}/settings`);
  await page.getByLabel('A new key for').fill('wall clock');
  await page.getByLabel('It may').click();
  await page.getByRole('option', { name: 'look at everything' }).click();
  await page.getByRole('button', { name: 'Make it' }).click();
  await page.getByText('wall clock').waitFor();
  await page.getByText(/^look at everything, made/).waitFor();
  const secret = await page.locator('pre', { hasText: 'key_' }).last().innerText();
  const headers = { authorization: `Bearer ${secret}` };
  expect((await fetch(`${service.url}/api/devices`, { headers })).status).toBe(200);
  expect((await fetch(`${service.url}/api/devices/${id}`, { method: 'DELETE', headers })).status).toBe(403);
});

it('fits a phone', async () => {
  const phone = await context.newPage();
  await phone.setViewportSize({ width: 390, height: 844 });
  for (const where of [`/devices/${id}`, '/settings', '/events/rules/new']) {
    await phone.goto(service.url + where);
    await phone.waitForTimeout(800);
    expect([where, await phone.evaluate(() => document.documentElement.scrollWidth)]).toEqual([where, 390]);
  }
  await phone.close();
});

it('had no fault of its own on any page', () => expect(faults).toEqual([]));
