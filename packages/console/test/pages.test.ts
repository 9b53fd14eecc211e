import type { Browser, Page } from 'playwright-core';
import { BEGAN_ID, type Client } from '@peatmoor/contract';
import { signedInPage, startBrowser } from '../../../test/support/browser';
import {
  DIPWELL,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

jest.setTimeout(180_000);

// The pages of devices, several devices at once, the overview in groups, and what a person sets for themselves.
let service: TestService;
let person: Person;
let client: Client;
let browser: Browser;
let page: Page;
let faults: string[];
let kindId: number;
const tokens: string[] = [];

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ client } = person);
  for (const [i, name] of ['North', 'South', 'East', 'West'].entries()) {
    const made = await client.call('createDevice', {
      body: {
        name: `Dipwell ${name}`,
        labels: i < 2 ? ['moss'] : [],
        ...(i === 0 ? { newKind: DIPWELL } : { kindId }),
      } as never,
    });
    ({ kindId } = made.device);
    tokens.push(made.token);
    if (i < 3) await post(service, made.token, { level: -100 - i });
  }
  browser = await startBrowser();
  ({ page, faults } = await signedInPage(browser, service.url, person));
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
});

const line = (id: string) => page.locator(`[data-line="${id}"]`);
const lines = (): Promise<(string | null)[]> =>
  page.locator('[data-line]').evaluateAll((all) => all.map((one) => one.getAttribute('data-line')));

it('the list has newest values, labels and states in each row, and is found and ordered', async () => {
  await page.goto(`${service.url}/devices`);
  await line('dipwell-north').getByText('-100 mm').waitFor();
  await line('dipwell-north').getByText('moss').waitFor();
  await line('dipwell-west').getByText('Connect it now').waitFor();
  // Letter by letter: none is lost, however many lines are drawn between two of them.
  await page.getByLabel('Find', { exact: true }).pressSequentially('moss south', { delay: 15 });
  expect(await page.getByLabel('Find', { exact: true }).inputValue()).toBe('moss south');
  await until(async () => String(await lines()) === 'dipwell-south');
  expect(page.url()).toContain('find=moss');
  await page.getByLabel('Find', { exact: true }).fill('never');
  await until(async () => String(await lines()) === 'dipwell-west');
  await page.getByLabel('Find', { exact: true }).fill('nothing like it');
  await page.getByText('No device fits.').waitFor();
  await page.getByLabel('Find', { exact: true }).fill('');
  await page.getByLabel('Order').click();
  await page.getByRole('option', { name: 'by name' }).click();
  await until(async () => String(await lines()) === 'dipwell-east,dipwell-north,dipwell-south,dipwell-west');
  await post(service, tokens[2]!, { level: -77 });
  await line('dipwell-east').getByText('-77 mm').waitFor();
});

it('several are labelled, moved and deleted at once; what would be lost is said first', async () => {
  await page.getByLabel('Choose Dipwell East').check();
  await page.getByLabel('Choose Dipwell West').check();
  const several = page.locator('[data-several]');
  await several.getByText('2 devices chosen').waitFor();
  await several.getByLabel('Label').fill('Edge');
  await several.getByRole('button', { name: 'Put it on' }).click();
  await line('dipwell-east').getByText('edge').waitFor();
  await line('dipwell-west').getByText('edge').waitFor();
  const other = await client.call('createKind', { body: { title: 'Bare' } });
  await page.reload();
  await page.getByLabel('Choose Dipwell East').check();
  await several.getByLabel('Move to the kind').click();
  await page.getByRole('option', { name: 'Bare' }).click();
  await page
    .getByRole('dialog')
    .getByText(/Would be deleted: 2 readings of level on/)
    .waitFor();
  await page.getByRole('dialog').getByRole('button', { name: 'Cancel' }).click();
  await page.getByRole('dialog').waitFor({ state: 'hidden' });
  expect((await client.call('readDevice', { params: { device: 'dipwell-east' } })).kindId).toBe(kindId);
  await client.call('deleteKind', { params: { kind: other.id } });
  await several.getByRole('button', { name: 'Choose none' }).click();
  await page.getByLabel('Choose Dipwell West').check();
  await several.getByRole('button', { name: 'Delete' }).click();
  await page.getByRole('dialog').getByText('Dipwell West').waitFor();
  await page.getByRole('dialog').getByRole('button', { name: 'Delete them' }).click();
  await until(async () => (await client.call('listDevices')).length === 3);
});

it('a new device opens on connecting it, keeps its token over a reload, and stays there with its first reading', async () => {
  await page.goto(`${service.url}/devices/new?kind=${kindId}`);
  await page.getByLabel('Name').fill('Dipwell Mill');
  await page.getByRole('button', { name: 'Register and get its token' }).click();
  const token = (await page.locator('pre').first().innerText()).trim();
  await page.getByRole('button', { name: 'Connect the device' }).click();
  await page.getByText(`Bearer ${token}`).waitFor();
  await page.reload();
  await page.getByText(`Bearer ${token}`).waitFor();
  await post(service, token, { level: -5 });
  await page.locator('[data-proof="done"]').waitFor();
  await page.getByRole('region', { name: 'Arrivals' }).getByText('-5 mm').waitFor();
  await page.getByRole('button', { name: 'Put the token away' }).click();
  await page.getByText('Bearer PASTE-THE-DEVICE-TOKEN-HERE').waitFor();
  await page.reload();
  await page.getByRole('region', { name: 'Newest readings' }).getByText('-5').waitFor();
  expect(await page.evaluate(() => JSON.stringify({ ...sessionStorage, ...localStorage }))).not.toContain(
    token,
  );
});

it('a new device is refused or made also where the schemas cannot be fetched, and at once', async () => {
  const files = /newDeviceSchema/;
  await page.route(files, (route) => route.abort());
  await page.goto(`${service.url}/devices/new?kind=${kindId}`);
  const register = page.getByRole('button', { name: 'Register and get its token' });
  await page.getByLabel('Report interval').waitFor({ state: 'detached' });
  await page.getByLabel('Device ID').fill('no such id');
  await register.click();
  await page.getByText(/^Must be 2 to 40 small letters/).waitFor({ timeout: 5000 });
  await page.getByLabel('Name').fill('Dipwell Weir');
  await page.getByLabel('Device ID').fill('');
  await register.dblclick();
  await page.getByRole('heading', { name: 'The token of Dipwell Weir' }).waitFor({ timeout: 5000 });
  await page.unroute(files);
  const { length } = (await client.call('listDevices')).filter(({ name }) => name === 'Dipwell Weir');
  expect(length).toBe(1);
  await client.call('deleteDevice', { params: { device: 'dipwell-weir' } });
});

it('each page of a device has an address; notes and events stand on the first', async () => {
  for (const [part, region] of [
    ['arrivals', 'Arrivals'],
    ['connect', 'Connect it'],
    ['right', 'Make values right'],
    ['data', 'Its data'],
    ['about', 'Tokens'],
  ]) {
    await page.goto(`${service.url}/devices/dipwell-north/${part}`);
    await page.getByRole('region', { name: region!, exact: true }).waitFor();
  }
  await page.goto(`${service.url}/devices/dipwell-north`);
  await page.getByRole('button', { name: 'Write a note' }).click();
  await page.getByLabel('What happened').fill('Sensor cleaned');
  await page.getByLabel('When').fill('2099-01-01T00:00:00');
  await page.getByRole('button', { name: 'Write it' }).click();
  await page.getByText('Lies ahead').waitFor();
  await page.getByLabel('When').fill('2026-01-01T00:00:00');
  await page.getByRole('button', { name: 'Write it' }).click();
  await page.getByRole('region', { name: 'Notes' }).getByText('Sensor cleaned').waitFor();
  await page.getByRole('button', { name: 'Delete the note “Sensor cleaned”' }).click();
  await page.getByText('None yet: sensor cleaned').waitFor();
  // The oldest of many can be found and taken away too.
  for (let n = 0; n < 10; n++)
    await client.call('createNote', {
      params: { device: 'dipwell-north' },
      body: { at: Date.now() - (n + 1) * 60_000, text: `Note ${n}` },
    });
  const oldest = page.getByRole('button', { name: 'Delete the note “Note 9”' });
  await page.getByText('Note 7').waitFor();
  expect(await oldest.count()).toBe(0);
  await page.getByRole('region', { name: 'Notes' }).getByRole('button', { name: 'Show older ones' }).click();
  await oldest.click();
  await oldest.waitFor({ state: 'hidden' });
  await page.getByText('Note 8').waitFor();
});

it('what is open stays in sight, however often something else opened and closed since', async () => {
  const add = (title: string, stream: string, limit: number) =>
    client.call('createRule', {
      body: { title, deviceId: 'dipwell-north', stream, comparison: 'above', limit } as never,
    });
  const rules = [await add('Warm for days', 'temperature', 20), await add('Flaps', 'level', 0)];
  const start = Date.now() - 6_000_000;
  await post(service, tokens[0]!, [{ at: start, temperature: 25 }]);
  await post(
    service,
    tokens[0]!,
    Array.from({ length: 1020 }, (_, n) => ({ at: start + 1000 + n * 5_000, level: n % 2 === 0 ? 5 : -5 })),
  );
  await until(
    async () => (await client.call('listEvents', { query: { limit: 500, state: 'closed' } })).length >= 500,
  );
  // It stands first on the page of events, on that of its device, and in a widget, also where that shows only what is open.
  await page.goto(`${service.url}/events`);
  const first = page.locator('[data-event]').first();
  await first.getByText('Warm for days').waitFor();
  await page.goto(`${service.url}/devices/dipwell-north`);
  await page.getByRole('link', { name: 'Warm for days' }).waitFor();
  for (const only of ['all', 'open']) {
    const { id } = await client.call('createDashboard', {
      body: {
        title: `Events, ${only}`,
        widgets: [
          { id: 'events', type: 'events', title: '', sources: [], x: 0, y: 0, w: 6, h: 4, options: { only } },
        ],
      } as never,
    });
    await page.goto(`${service.url}/dashboards/${id}`);
    const rows = page.locator('[data-widget="events"]').getByRole('link');
    expect(await rows.first().textContent()).toContain('Warm for days');
    if (only === 'open') expect(await rows.count()).toBe(1);
  }
  // A chart that cannot mark all of them says so.
  const { id } = await client.call('createDashboard', {
    body: {
      title: 'Flapping',
      widgets: [
        {
          id: 'chart',
          type: 'chart',
          title: '',
          sources: [{ device: 'dipwell-north', stream: 'level' }],
          x: 0,
          y: 0,
          w: 6,
          h: 4,
          options: {},
        },
      ],
    } as never,
  });
  await page.goto(`${service.url}/dashboards/${id}?period=24h`);
  await page.getByText('the newest 500 events are marked').waitFor();
  for (const { id } of rules) await client.call('deleteRule', { params: { rule: id } });
});

it('the overview stands together by kind or label', async () => {
  for (let i = 0; i < 4; i++)
    await client.call('createDevice', {
      body: { name: `Other ${i}`, newKind: { title: `Kind ${i}`, streams: [] } } as never,
    });
  await page.goto(service.url);
  await page.getByLabel('Together').click();
  await page.getByRole('option', { name: 'those of one label' }).click();
  await page.getByRole('heading', { name: 'moss' }).waitFor();
  await page.getByRole('heading', { name: 'without a label' }).waitFor();
  await until(() => page.url().includes('group=label'));
});

it('on a phone the words that have no room, and the workspaces, are under one more', async () => {
  await page.setViewportSize({ width: 390, height: 844 });
  await page.goto(service.url);
  await page.getByRole('button', { name: 'More', exact: true }).click();
  await page.getByRole('menuitem', { name: /'s moss, owner$/ }).waitFor();
  await page.getByRole('menuitem', { name: 'Make a new workspace' }).waitFor();
  await page.getByRole('menuitem', { name: 'Settings' }).click();
  await page.getByRole('heading', { name: 'Settings', exact: true }).waitFor();
  await page.setViewportSize({ width: 1280, height: 800 });
});

it('rows show what their reader chose, and what comes later besides', async () => {
  const row = page.locator('[data-device="dipwell-north"]');
  const choose = page.getByRole('button', { name: /^Choose what rows show/ });
  await page.goto(service.url);
  await row.getByText('Peat temperature').waitFor();
  await choose.click();
  const dialog = page.getByRole('dialog', { name: 'What your rows show' });
  const whole = dialog.getByRole('checkbox', { name: 'Dipwell', exact: true });
  await dialog.getByLabel('Peat temperature').uncheck();
  expect(await whole.getAttribute('data-indeterminate')).toBe('true');
  await dialog.getByRole('button', { name: 'Keep it' }).click();
  await dialog.waitFor({ state: 'detached' });
  await page.getByRole('button', { name: 'Choose what rows show: 1 left out' }).waitFor();
  await row.getByText('Water level').waitFor();
  expect(await row.getByText('Peat temperature').count()).toBe(0);
  // Nothing of it is asked for either.
  expect((await client.call('overview')).lines.some(({ key }) => key === 'temperature')).toBe(false);
  await client.call('createStream', {
    params: { kind: kindId },
    body: { key: 'rain', title: 'Rain', type: 'number', unit: 'mm' } as never,
  });
  await page.reload();
  await row.getByText('Rain').waitFor();
  expect(await row.getByText('Peat temperature').count()).toBe(0);
  // Everything of a kind off, which leaves its names, and all of it on again.
  await choose.click();
  await whole.check();
  await whole.uncheck();
  await dialog.getByRole('button', { name: 'Keep it' }).click();
  await row.getByText('Water level').waitFor({ state: 'detached' });
  await row.getByText('Dipwell North').waitFor();
  await choose.click();
  await dialog.getByRole('button', { name: 'Show everything' }).click();
  await dialog.getByRole('button', { name: 'Keep it' }).click();
  await row.getByText('Peat temperature').waitFor();
});

it('dates, times and numbers are written as their reader wants them', async () => {
  // A reading whose time is known: noon of a winter's day, 22:00 of that day in Tokyo is 13:00 here.
  const at = Date.UTC(2026, 0, 15, 13, 0, 0);
  await post(service, tokens[1]!, { at, level: -54.25 });
  await client.call('changeStream', {
    params: { kind: kindId, stream: 'level' },
    body: { ...DIPWELL.streams![0]!, decimals: 2 } as never,
  });
  await page.goto(`${service.url}/settings`);
  const choose = async (label: string, words: string, option: string | RegExp): Promise<void> => {
    await page.getByLabel(label).fill(words);
    await page.getByRole('option', { name: option, exact: typeof option === 'string' }).click();
  };
  const sample = page.locator('[data-sample]');
  await sample.getByText(/^\d{1,2} \w{3,4} 20\d\d, \d\d:\d\d:\d\d · 48\u202f213\.75$/).waitFor();
  await choose('Dates and numbers', 'Deut', 'Deutsch');
  await choose('Times are told by', 'Tokyo', 'Asia/Tokyo');
  await sample.getByText(/^\d\d\.\d\d\.20\d\d, \d\d:\d\d:\d\d · 48\u202f213,75$/).waitFor();
  const hourInTokyo = (new Date().getUTCHours() + 9) % 24;
  await until(async () => (await sample.innerText()).includes(`, ${String(hourInTokyo).padStart(2, '0')}:`));
  // Charts, tables, fields of time and figures go along.
  const period = `${at - 3_600_000}-${at + 3_600_000}`;
  await page.goto(`${service.url}/history?show=dipwell-south/level&period=${period}`);
  await page.getByText('-54,25 mm').first().waitFor();
  await page.getByText('15. Jan. 21:00 to 23:00').first().waitFor();
  await page.goto(`${service.url}/devices/dipwell-north`);
  await page
    .getByText(/^-100$/)
    .first()
    .waitFor();
  await page.getByText(/^,00/).first().waitFor();
  await page.goto(`${service.url}/settings`);
  await choose('Dates and numbers', 'figures', 'figures only: 2026-11-28');
  await sample.getByText(/^20\d\d-\d\d-\d\d \d\d:\d\d:\d\d · /).waitFor();
  await choose('Dates and numbers', 'kingdom', 'English (United Kingdom)');
  await choose('Times are told by', 'as the device', /^as the device has it/);
  await sample.getByText(/^\d{1,2} \w{3,4} 20\d\d/).waitFor();
  expect(faults).toEqual([]);
});

it('looks back at one datastream of all devices that are found, and at some of them', async () => {
  await page.goto(`${service.url}/history?show=none`);
  await page.getByLabel('Find a device, a kind or a label').fill('dipwell');
  const all = page.getByRole('group', { name: /^Of all/ }).getByLabel('Water level', { exact: true });
  await all.click();
  const count = (await client.call('listDevices')).filter(({ name }) => name.startsWith('Dipwell')).length;
  await until(async () => new URL(page.url()).searchParams.get('show')?.split(',').length === count);
  expect(await all.isChecked()).toBe(true);
  // It stays open, and one of them can be left out again.
  await page.getByLabel('Water level', { exact: true }).nth(1).click();
  await until(async () => new URL(page.url()).searchParams.get('show')?.split(',').length === count - 1);
  expect(await all.getAttribute('data-indeterminate')).toBe('true');
  await all.click();
  await all.click();
  await until(async () => new URL(page.url()).searchParams.get('show') === 'none');
});

it('the first words stand before any script, where they will stand, and nothing is said to be lost', async () => {
  const cookies = await page.context().cookies();
  const bare = await browser.newContext({
    javaScriptEnabled: false,
    viewport: { width: 1280, height: 800 },
    serviceWorkers: 'block',
  });
  const nobody = await bare.newPage();
  await nobody.goto(service.url);
  await nobody.getByRole('heading', { name: 'Peatmoor' }).waitFor();
  await nobody.getByText('be told when something is wrong').waitFor();
  await bare.addCookies(cookies);
  const first = await bare.newPage();
  const board = await client.call('createDashboard', {
    body: { title: 'Moss & <b>sluice</b>', kindId: null },
  });
  for (const [path, title] of [
    ['/', 'Overview'],
    [`/dashboards/${board.id}`, 'Moss & <b>sluice</b>'],
  ] as const) {
    await first.goto(service.url + path);
    const before = await first.getByRole('heading', { name: title }).boundingBox();
    const seen = await browser.newContext({
      viewport: { width: 1280, height: 800 },
      serviceWorkers: 'block',
    });
    await seen.addCookies(cookies);
    const whole = await seen.newPage();
    const said: string[] = [];
    await whole.exposeFunction('saidSo', (text: string) => said.push(text));
    await whole.addInitScript(() =>
      new MutationObserver(() => {
        if (document.body?.innerText.includes('Not connected'))
          (window as unknown as { saidSo(text: string): void }).saidSo('lost');
      }).observe(document, { childList: true, subtree: true, characterData: true }),
    );
    const calls: string[] = [];
    whole.on('request', (request) => calls.push(new URL(request.url()).pathname));
    // A service that is busy for longer than a page waits sends it without them: that is another page.
    await until(async () => {
      calls.length = 0;
      const page = await whole.goto(service.url + path);
      return (await page!.text()).includes(`id="${BEGAN_ID}"`);
    });
    await whole.locator('[data-connected="true"]').waitFor({ state: 'attached' });
    const after = await whole.getByRole('heading', { name: title }).boundingBox();
    expect([Math.abs(after!.x - before!.x) < 2, Math.abs(after!.y - before!.y) < 2]).toEqual([true, true]);
    expect(said).toEqual([]);
    // What came with the page is not asked for, its style neither: what is fetched later would wait for it.
    expect(calls.filter((one) => ['/api/me', '/api/kinds'].includes(one) || one.endsWith('.css'))).toEqual(
      [],
    );
    await seen.close();
  }
  await bare.close();
});

it('a person has a name, a first page and a password of their own; the workspace a clock and a place', async () => {
  await page.goto(`${service.url}/settings`);
  await page.getByLabel('Your name').fill('Keeper');
  await page.getByLabel('Its name').fill('North moss');
  await page.getByLabel('Where it is, degrees north and east').fill('nowhere');
  await page.getByLabel('Your password now').fill('not it at all');
  await page.getByText('A location such as').waitFor();
  await page.getByLabel('Where it is, degrees north and east').fill('53.42, -1.86');
  await page.getByLabel('The new one').fill('heather and sphagnum');
  await page.getByRole('button', { name: 'Change the password' }).click();
  await page.getByText('Is not right').waitFor();
  await page.getByLabel('Your password now').fill(person.password);
  await page.getByRole('button', { name: 'Change the password' }).click();
  await page.getByText('You were signed out everywhere else.').waitFor();
  await page.getByLabel('Time zone of its timetables').fill('Dublin');
  await page.getByRole('option', { name: 'Europe/Dublin' }).click();
  await until(async () =>
    (await page.request.get(`${service.url}/api/me`).then((answer) => answer.text())).includes('Dublin'),
  );
  await page.reload();
  await page.getByText('Keeper, ').waitFor();
  await page.getByText('owner of North moss').waitFor();
  expect(await page.getByLabel('Where it is, degrees north and east').inputValue()).toBe('53.42, -1.86');
  expect(await page.getByLabel('Time zone of its timetables').inputValue()).toBe('Europe/Dublin');
  // The other session of the same person is over.
  const refused = await client.call('me').then(
    () => null,
    (error: Error) => error.message,
  );
  expect(refused).toMatch(/Sign in/);
  expect(faults).toEqual([]);
});
