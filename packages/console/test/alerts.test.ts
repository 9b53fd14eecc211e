import { startMailCatcher, startPushCatcher, type MailCatcher, type PushCatcher } from '@peatmoor/standins';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { startBrowser } from '../../../test/support/browser';
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

// Told in time: rules written and tried, events looked at, and alerts on every way, in a browser.
let mail: MailCatcher;
let push: PushCatcher;
let service: TestService;
let person: Person;
let token: string;
let browser: Browser;
let context: BrowserContext;
let page: Page;
const faults: string[] = [];
const id = 'dipwell-north';
const HOUR = 3_600_000;

beforeAll(async () => {
  [mail, push] = await Promise.all([startMailCatcher(), startPushCatcher()]);
  service = await startService({ PEATMOOR_SMTP_URL: mail.smtpUrl, PEATMOOR_PRIVATE_ADDRESSES: 'allow' });
  person = await newPerson(service);
  ({ token } = await newDevice(person.client));
  const now = Date.now();
  // Three days in which the level went over -100 three times.
  const rows = Array.from({ length: 72 }, (_, n) => ({
    at: now - (72 - n) * HOUR,
    level: n % 24 === 12 ? -50 - n / 12 : -200,
  }));
  await post(service, token, rows);
  browser = await startBrowser();
  context = await browser.newContext({
    viewport: { width: 1280, height: 900 },
    permissions: ['notifications'],
  });
  const { email, password } = person;
  await context.request.post(`${service.url}/api/session`, { data: { email, password } });
  page = await context.newPage();
  page.setDefaultTimeout(30_000);
  page.on('pageerror', (error) => faults.push(error.message));
});
afterAll(async () => {
  await browser?.close();
  await service?.stop();
  await Promise.all([mail?.stop(), push?.stop()]);
});

const go = (path: string) => page.goto(service.url + path);
const sentence = (text: string) => page.locator('[data-sentence]').getByText(text).waitFor();
const choose = async (label: string, option: string | RegExp, nth = 0): Promise<void> => {
  await page.getByRole('combobox', { name: label, exact: true }).nth(nth).click();
  await page.getByRole('option', { name: option, exact: true }).click();
};

it('tries a rule on what came, and follows its limit as it is dragged', async () => {
  await go(`/events/rules/new?device=${id}&stream=level`);
  await page.getByLabel('Limit (mm)').fill('-100');
  await page.locator('[data-trial="3"]').waitFor();
  await page.getByText('In the last 7 d it would have opened 3 times').waitFor();
  const limit = page.getByRole('slider', { name: 'Limit' });
  await limit.scrollIntoViewIfNeeded();
  const box = (await limit.boundingBox())!;
  await page.mouse.move(box.x + 200, box.y + box.height / 2);
  await page.mouse.down();
  await page.mouse.move(box.x + 200, box.y - 160, { steps: 10 });
  await page.mouse.up();
  await until(
    async () => Number(await page.getByLabel('Limit (mm)').inputValue()) > -49,
    'the limit is higher',
  );
  await page.locator('[data-trial="0"]').waitFor();
  await limit.focus();
  while (Number(await page.getByLabel('Limit (mm)').inputValue()) > -60)
    await page.keyboard.press('PageDown');
  await page.locator('[data-trial="3"]').waitFor();
});

it('writes each sort of rule as a sentence', async () => {
  await go(`/events/rules/new?device=${id}`);
  await choose('Opens when it', 'has no reading for');
  await sentence('has no reading for 10 min; closes when one comes.');
  await choose('Opens when it', 'over the last while is');
  await choose('Within', '1 h');
  await page.getByLabel('Limit (mm)').fill('-80');
  await sentence(
    'When the mean of Water level of Dipwell North over 1 h is above -80 mm; closes at -80 mm or below.',
  );
  await choose('Opens when it', 'is outside');
  await page.getByLabel('From (mm)').fill('-300');
  await page.getByLabel('To (mm)').fill('-100');
  await sentence('is outside -300 mm and -100 mm');
  await page.getByRole('button', { name: 'Another condition' }).click();
  await choose('Datastream', 'Peat temperature', 1);
  await page.getByLabel('Limit (°C)').fill('4');
  await sentence('and Peat temperature of Dipwell North is above 4.0 °C; closes when one of them is over.');
  await page.getByRole('button', { name: 'and', exact: true }).click();
  await sentence('or Peat temperature of Dipwell North is above');
  await page.getByLabel('opens only at some hours').check();
  await sentence('every day from 08:00 to 20:00');
  await choose('Opens when it', 'makes an expression true', 0);
  await page.getByLabel('Expression').fill('level <');
  await page.getByRole('button', { name: 'Make the rule' }).click();
  await page.getByText('Cannot be read at character').first().waitFor();
  await choose('Opens when it', 'loses its connection', 0);
  await page.getByRole('button', { name: 'Take this condition out' }).click();
  await sentence(
    'When Dipwell North is offline, every day from 08:00 to 20:00; closes when it is connected again.',
  );
  await page.getByRole('button', { name: 'Make the rule' }).click();
  await page.locator('[data-rule]').getByText('Dipwell North is offline').waitFor();
});

it('takes alerts on this browser, shows one, and acknowledges it from there', async () => {
  const given = push.subscribe('browser');
  // Chromium has no push service here: what it would give is given by the stand-in, which decrypts what comes.
  await page.addInitScript((subscription) => {
    PushManager.prototype.subscribe = () =>
      Promise.resolve({ toJSON: () => subscription } as unknown as PushSubscription);
  }, given);
  await go('/alerts');
  await page.evaluate(() => navigator.serviceWorker.ready);
  await page.getByRole('button', { name: /^Alert me on this browser/ }).click();
  await page.locator('[data-phone]').getByText('browser (Linux) (this one)').waitFor();
  await page.locator('[data-test="email"]').getByRole('button', { name: 'Test' }).click();
  await page.getByText('It takes a mail to').waitFor();
  const { user } = await person.client.call('me');
  await person.client.call('createRule', {
    body: {
      title: 'Bog floods',
      severity: 'urgent',
      deviceId: id,
      stream: 'level',
      comparison: 'above',
      limit: -100,
      people: [user.id],
    },
  });
  await post(service, token, { level: -40 });
  const { content } = await until(
    () => push.pushes().find(({ phone }) => phone === 'browser'),
    'a push message',
  );
  // The same alert is a banner on the page that is open.
  await page.locator('[data-alert]').getByText('urgent: Bog floods (Dipwell North, -40 mm)').waitFor();
  await until(async () => /^\(1\) /.test(await page.title()), 'the number in the title');
  const tools = await context.newCDPSession(page);
  await tools.send('ServiceWorker.enable' as never);
  const registration = new Promise<string>((resolve) =>
    tools.on(
      'ServiceWorker.workerRegistrationUpdated' as never,
      (({ registrations }: { registrations: { registrationId: string }[] }) =>
        registrations[0] && resolve(registrations[0].registrationId)) as never,
    ),
  );
  await tools.send(
    'ServiceWorker.deliverPushMessage' as never,
    {
      origin: service.url,
      registrationId: await registration,
      data: JSON.stringify(content),
    } as never,
  );
  const shown = await until(
    () =>
      page.evaluate(async () => {
        const worker = await navigator.serviceWorker.ready;
        const [one] = await worker.getNotifications();
        return one && { title: one.title, body: one.body, stays: one.requireInteraction, tag: one.tag };
      }),
    'a notification',
  );
  expect(shown).toMatchObject({ title: 'urgent: Bog floods (Dipwell North, -40 mm)', stays: true });
  const [worker] = context.serviceWorkers();
  await worker!.evaluate(async () => {
    const scope = self as unknown as { registration: ServiceWorkerRegistration };
    const [notification] = await scope.registration.getNotifications();
    const init = { notification, action: 'acknowledge' };
    const Happened = (self as unknown as Record<string, new (name: string, init: object) => Event>)[
      'NotificationEvent'
    ]!;
    self.dispatchEvent(new Happened('notificationclick', init));
  });
  await until(async () => {
    const [event] = await person.client.call('listEvents', { query: { state: 'open' } });
    return event?.acknowledgedBy === 'Warden';
  }, 'acknowledged from the notification');
});

it('shows one event with all that happened, mutes its device, and closes it with a remark', async () => {
  await go('/events');
  await page.locator('[data-event="open"]').getByRole('link', { name: 'Bog floods' }).click();
  await page.getByRole('heading', { name: 'Bog floods' }).waitFor();
  await page.getByText('Opened at -40 mm').waitFor();
  await page.getByText('Acknowledged by Warden').waitFor();
  await page.getByText(/^Told Warden by email that it opened/).waitFor();
  await page.getByText(/^Told Warden by push that it opened/).waitFor();
  await page.getByLabel('Because').fill('the probe is changed');
  await page.getByRole('button', { name: 'Mute it' }).click();
  await page.getByText(/^Muted until .* by Warden: the probe is changed/).waitFor();
  await page.getByRole('button', { name: 'Alert again' }).click();
  await page.getByRole('textbox', { name: 'Comment' }).fill('pumped out');
  await page.getByRole('button', { name: 'Close' }).click();
  await page.getByText('Closed by Warden').waitFor();
});

it('finds events, and deals with several at once', async () => {
  const { kindId } = await person.client.call('readDevice', { params: { device: id } });
  await person.client.call('createRule', {
    body: { title: 'Cold', kindId, stream: 'temperature', comparison: 'below', limit: 0 },
  });
  const other = await person.client.call('createDevice', { body: { name: 'Dipwell South', kindId } });
  for (const key of [token, other.token]) await post(service, key, { temperature: -3 });
  await go('/events');
  await page.getByRole('checkbox', { name: 'Choose Cold, Dipwell North' }).check();
  await page.getByRole('checkbox', { name: 'Choose Cold, Dipwell South' }).check();
  await page.getByRole('button', { name: 'Acknowledge them' }).click();
  await until(
    async () => (await page.locator('[data-event="open"]').getByText('acknowledged by Warden').count()) === 2,
    'both',
  );
  await page.getByLabel('Find').fill('South');
  await until(async () => (await page.locator('[data-event]').count()) === 1, 'one found');
  await choose('State', 'closed');
  await page.getByText('None.').waitFor();
  expect(page.url()).toContain('state=closed');
});

it('finds rules by their words', async () => {
  await page.goto(`${service.url}/events`);
  const rules = page.locator('[data-rule]');
  await rules.first().waitFor();
  const title = (await rules.first().getByRole('link').first().textContent())!;
  await page.getByLabel('Find', { exact: true }).fill(title.toUpperCase());
  await page.getByRole('heading', { name: 'Closed events of these' }).waitFor();
  await rules.getByText(title, { exact: true }).waitFor();
  await page.getByLabel('Find', { exact: true }).fill('no such words');
  await page.getByText('None with these words.').waitFor();
  expect(await rules.count()).toBe(0);
});

it('acknowledges by the link of a mail without being signed in, and only when it is pressed', async () => {
  await post(service, token, { level: -300 });
  await post(service, token, { level: -30 });
  const [link] = await until(() => {
    const found = mail.mails().find(({ text }) => text.includes('/alert/') && text.includes('is -30 mm'));
    return found === undefined ? undefined : (/http\S+\/alert\/\S+/.exec(found.text) ?? undefined);
  }, 'a mail with a link');
  const stranger = await (await browser.newContext({ serviceWorkers: 'block' })).newPage();
  await stranger.goto(link!.replace(/^https?:\/\/[^/]+/, service.url));
  await stranger.getByRole('heading', { name: /Bog floods/ }).waitFor();
  const open = async () =>
    (await person.client.call('listEvents', { query: { state: 'unacknowledged' } })).length;
  expect(await open()).toBe(1);
  await stranger.getByRole('button', { name: 'Acknowledge' }).click();
  await stranger.getByText('Acknowledged by Warden.').waitFor();
  expect(await open()).toBe(0);
});

it('keeps what is not urgent through the quiet hours, lets what is urgent pass, and tells the next person', async () => {
  const clock = (hours: number): string => new Date(Date.now() + hours * HOUR).toISOString().slice(11, 16);
  await go('/alerts');
  await page.getByText(/^By the clock of UTC/).waitFor();
  // As on a slow telephone, where what was answered is drawn later than it is known.
  const slowly = await page.context().newCDPSession(page);
  await slowly.send('Emulation.setCPUThrottlingRate', { rate: 6 });
  await page.getByLabel('quiet hours').check();
  const [begin, end] = [clock(-1), clock(2)];
  await page.getByLabel('To', { exact: true }).fill(end);
  await page.getByLabel('To', { exact: true }).blur();
  await page.getByLabel('From', { exact: true }).fill(begin);
  await page.getByLabel('From', { exact: true }).blur();
  // Two changes at once: neither loses the other.
  const minutes = (text: string): number => Number(text.slice(0, 2)) * 60 + Number(text.slice(3));
  await until(async () => {
    const { quiet } = (await person.client.call('readMyAlerts')).choices;
    return quiet?.from === minutes(begin) && quiet.to === minutes(end);
  }, 'the quiet hours');
  await slowly.send('Emulation.setCPUThrottlingRate', { rate: 1 });
  const { kindId } = await person.client.call('readDevice', { params: { device: id } });
  const next = await person.client.call('addPerson', {
    body: { name: 'Ranger', role: 'operator', email: 'ranger@quillmere.example' },
  });
  const { user } = await service.open.call('join', {
    body: { secret: next.link.split('#')[1]!, email: 'ranger@quillmere.example', password: 'cotton grass' },
  });
  const me = await person.client.call('me');
  const rule = { kindId, stream: 'temperature', comparison: 'above' as const, people: [me.user.id] };
  await person.client.call('createRule', {
    body: { ...rule, title: 'Warm', limit: 20, severity: 'warning' },
  });
  await person.client.call('createRule', {
    body: { ...rule, title: 'Burning', limit: 60, severity: 'urgent', escalateMs: 1000, escalateTo: user.id },
  });
  await post(service, token, { temperature: 70 });
  await until(() => mail.mails().some(({ subject }) => subject.includes('Burning')), 'the urgent mail');
  await until(
    () =>
      mail
        .mails()
        .some(({ to, subject }) => to === 'ranger@quillmere.example' && subject.includes('Burning')),
    'the next person',
  );
  await go('/events');
  await page.locator('[data-event="open"]').getByRole('link', { name: 'Burning' }).first().click();
  await page.getByText(/^Told Ranger by email that nobody acknowledged it/).waitFor();
  await go('/events');
  await page.locator('[data-event="open"]').getByRole('link', { name: 'Warm' }).first().click();
  await page.getByText(new RegExp(`by email that it opened: waits until .*${end}`)).waitFor();
  await page.getByText('Quiet hours of this person.').first().waitFor();
  expect(mail.mails().some(({ subject }) => subject.includes('Warm'))).toBe(false);
});

it('had no fault of its own on any page', () => expect(faults).toEqual([]));
