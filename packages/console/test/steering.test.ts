import type { Browser, Page } from 'playwright-core';
import { createClient, type Client, type Rule, type RuleIn } from '@peatmoor/contract';
import { signedInPage, startBrowser } from '../../../test/support/browser';
import {
  newPerson,
  post,
  sessionFetch,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

jest.setTimeout(180_000);

// What holds a control and what keeps it, as its pages say it; what is said of an event; who takes over.
let service: TestService;
let person: Person;
let client: Client;
let browser: Browser;
let page: Page;
let faults: string[];
let token: string;
let kindId: number;
let event: number;
const device = 'mill-pump';

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ client } = person);
  const made = await client.call('createDevice', {
    body: {
      name: 'Mill pump',
      newKind: {
        title: 'Pump house',
        streams: [
          { key: 'level', title: 'Level', type: 'number', unit: 'mm', min: -500, max: 150 },
          { key: 'pump', title: 'Pump', type: 'boolean', direction: 'control' },
        ],
      },
    },
  });
  ({ token } = made);
  ({ kindId } = await client.call('readDevice', { params: { device } }));
  const rule = await client.call('createRule', {
    body: {
      title: 'Basin full',
      deviceId: device,
      stream: 'level',
      comparison: 'above',
      limit: 100,
      actions: [{ on: 'while', stream: 'pump', value: 'off' }],
    },
  });
  await post(service, token, { level: 0 });
  await post(service, token, { level: 120 });
  event = (
    await until(async () => {
      const [one] = await client.call('listEvents', { query: { rule: rule.id } });
      return one;
    }, 'the event')
  ).id;
  browser = await startBrowser();
  ({ page, faults } = await signedInPage(browser, service.url, person));
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
});

const pumpWanted = async (): Promise<unknown> =>
  (await client.call('listCommands', { params: { device } })).find(({ stream }) => stream === 'pump')?.value;

it('a widget that is refused says who holds the control, and offers to override it', async () => {
  const { id } = await client.call('createStarterDashboard', { params: { device } });
  await page.goto(`${service.url}/dashboards/${id}`);
  const widget = page.locator('[data-widget="switch"]');
  await until(async () => (await pumpWanted()) !== undefined, 'the interlock holds it');
  const before = await pumpWanted();
  await widget.getByRole('button', { name: 'Pump on' }).click();
  await page
    .getByRole('dialog')
    .getByText(/“Basin full” holds Pump at off while its event is open/)
    .waitFor();
  expect(await pumpWanted()).toBe(before);
  await page.getByRole('dialog').getByRole('button', { name: 'Override for 10 min' }).click();
  await widget.getByText('Overridden for 10 min: press it again.').waitFor();
  await widget.getByRole('button', { name: 'Pump on' }).click();
  await until(async () => (await pumpWanted()) !== before, 'it is wanted on');
});

it('the page of the device says what holds it and who has overridden it, and ends that', async () => {
  await page.goto(`${service.url}/devices/${device}/controls`);
  await page.getByText(/Held at off by/).waitFor();
  await page.getByText(/Overridden by Warden until/).waitFor();
  await page.getByRole('button', { name: 'Let Pump be held again' }).click();
  await page.getByRole('button', { name: 'Override what holds Pump, for 10 min' }).waitFor();
});

it('a control is given its times in the form, and its page says who keeps them', async () => {
  await page.goto(`${service.url}/kinds/${kindId}`);
  await page.locator('[data-key="pump"]').getByRole('button', { name: 'Change' }).click();
  const form = page.getByRole('dialog');
  await form.getByLabel('Run at most, then rest').check();
  await form.getByLabel('It may stay at').fill('on');
  await form.getByLabel('For (seconds)', { exact: true }).fill('0');
  await form.getByLabel('Then it goes to').fill('off');
  await form.getByRole('button', { name: 'Change it' }).click();
  // What does not fit is said at its field, and nothing is changed.
  await form.locator('.Mui-error').first().waitFor();
  await form.getByLabel('For (seconds)', { exact: true }).fill('1200');
  await form.getByRole('button', { name: 'Change it' }).click();
  await form.waitFor({ state: 'hidden' });
  await page.goto(`${service.url}/devices/${device}/controls`);
  await page.getByText(/on for 20 min at most/i).waitFor();
  // Its board has said nothing of keeping it.
  await page.getByText(/board.s program cannot do this/).waitFor();
});

it('what is said of an event is a thread', async () => {
  await page.goto(`${service.url}/events/${event}`);
  for (const text of ['the flap was stuck', 'it moves again']) {
    await page.getByRole('textbox', { name: 'Comment' }).fill(text);
    await page.getByRole('button', { name: 'Say it' }).click();
    await page.getByRole('list', { name: 'Comments' }).getByText(text).waitFor();
  }
  await page.getByRole('textbox', { name: 'Comment' }).fill('closed by hand');
  await page.getByRole('button', { name: 'Acknowledge' }).click();
  const thread = page.getByRole('list', { name: 'Comments' });
  await thread.getByText('closed by hand').waitFor();
  expect(await thread.getByRole('listitem').count()).toBe(3);
  // With a name each.
  expect(await thread.getByText(/^Warden, /).count()).toBe(3);
});

it('whoever leaves says who takes over, and a webhook is not deleted without a word of its rules', async () => {
  const { link } = await client.call('addPerson', { body: { name: 'Digger', role: 'editor' } });
  const account = { email: 'digger@quillmere.example', password: 'cotton grass and reeds' };
  await service.open.call('join', { body: { secret: link.split('#')[1]!, ...account } });
  const { page: own } = await signedInPage(browser, service.url, account);
  const digger = (await client.call('listPeople')).find(({ name }) => name === 'Digger')!;
  const level = { deviceId: device, stream: 'level', comparison: 'below' as const, limit: -420 };
  const rule = await client.call('createRule', {
    body: { ...level, title: 'Only the digger', people: [digger.userId!] },
  });
  await own.goto(`${service.url}/settings`);
  await own.getByText(/Once you have left, 1 event rule would tell nobody any more/).waitFor();
  await own.getByLabel('Your password').last().fill(account.password);
  const remove = own.getByRole('button', { name: 'Delete your account' });
  expect(await remove.isDisabled()).toBe(true);
  await own.getByLabel('Who is told from now on').click();
  await own.getByRole('option', { name: 'Warden' }).click();
  await remove.click();
  await own.getByRole('dialog').getByRole('button', { name: 'Delete it' }).click();
  await own.getByLabel('Email or name').waitFor();
  const me = (await client.call('me')).user.id;
  expect((await client.call('readRule', { params: { rule: rule.id } })).people).toEqual([me]);

  const hook = await client.call('createWebhook', {
    body: { title: 'siren', url: 'http://127.0.0.1:9/siren', template: '' },
  });
  await client.call('createRule', { body: { ...level, title: 'Only the siren', webhooks: [hook.id] } });
  await page.goto(`${service.url}/alerts`);
  await page.locator(`[data-webhook="${hook.id}"]`).getByRole('button', { name: 'Delete' }).click();
  await page.getByRole('dialog').getByText('Only the siren').waitFor();
  await page.getByRole('dialog').getByRole('button', { name: 'Cancel' }).click();
});

it('whoever is the last that a rule tells goes when it is said who takes over', async () => {
  const { link } = await client.call('addPerson', { body: { name: 'Ranger', role: 'viewer' } });
  const ranger = createClient({ baseUrl: service.url, fetch: sessionFetch() });
  await ranger.call('join', {
    body: { secret: link.split('#')[1]!, password: 'cotton grass and reeds' },
  });
  const { id } = (await ranger.call('me')).user;
  const rule = await client.call('createRule', {
    body: {
      title: 'Only the ranger',
      deviceId: device,
      stream: 'level',
      comparison: 'below',
      limit: -400,
      people: [id],
    },
  });
  await page.goto(`${service.url}/people`);
  const row = page.locator(`[data-person="person-${id}"]`);
  await row.getByRole('button', { name: 'Remove', exact: true }).click();
  await row.getByText(/1 event rule would tell nobody any more/).waitFor();
  const remove = row.getByRole('button', { name: 'Remove Ranger' });
  expect(await remove.isDisabled()).toBe(true);
  await row.getByLabel('Who is told from now on').click();
  await page.getByRole('option', { name: 'Warden' }).click();
  await remove.click();
  await row.waitFor({ state: 'detached' });
  const me = (await client.call('me')).user.id;
  expect((await client.call('readRule', { params: { rule: rule.id } })).people).toEqual([me]);
  await client.call('changeRule', {
    params: { rule: rule.id },
    body: { ...ruleBody(await client.call('readRule', { params: { rule: rule.id } })), people: [] },
  });
  // A rule without anybody says so.
  await page.goto(`${service.url}/events/rules/${rule.id}`);
  await page.getByText(/This rule tells nobody/).waitFor();
  expect(faults).toEqual([]);
});

function ruleBody({ id: _id, sentence: _s, openEvents: _o, version: _v, ...body }: Rule): RuleIn {
  return body;
}
