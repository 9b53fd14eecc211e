import { createHmac } from 'node:crypto';
import type { AlertChoicesIn, Client, Event, RuleIn } from '@peatmoor/contract';
import {
  startHookCatcher,
  startMailCatcher,
  startPushCatcher,
  type HookCatcher,
  type MailCatcher,
  type PushCatcher,
} from '@peatmoor/standins';
import { createConnection } from 'mariadb';
import {
  databaseOf,
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

let mail: MailCatcher;
let push: PushCatcher;
let hook: HookCatcher;
let service: TestService;
let person: Person;
let client: Client;
let token: string;
const id = 'dipwell-north';
const USUAL: AlertChoicesIn = {
  channels: { notice: ['email'], warning: ['email', 'push'], urgent: ['email', 'push', 'screen'] },
  quiet: null,
  pausedUntil: null,
  weekly: false,
};

beforeAll(async () => {
  [mail, push, hook] = await Promise.all([startMailCatcher(), startPushCatcher(), startHookCatcher()]);
  service = await startService({ PEATMOOR_SMTP_URL: mail.smtpUrl, PEATMOOR_PRIVATE_ADDRESSES: 'allow' });
  person = await newPerson(service);
  client = person.client;
  ({ token } = await newDevice(client));
});
afterAll(async () => {
  await service.stop();
  await Promise.all([mail.stop(), push.stop(), hook.stop()]);
});

const me = async (): Promise<number> => (await client.call('me')).user.id;
const choose = async (change: Partial<AlertChoicesIn>): Promise<void> =>
  void (await client.call('changeMyAlerts', { body: { ...USUAL, ...change } }));
const ruleFor = async (change: Partial<RuleIn>): Promise<number> => {
  const body = {
    title: 'Water is high',
    deviceId: id,
    stream: 'level',
    comparison: 'above',
    limit: -100,
    ...change,
  };
  return (await client.call('createRule', { body: body as RuleIn })).id;
};
const end = (rule: number): Promise<void> => client.call('deleteRule', { params: { rule } });
const eventOf = (rule: number, ready: (event: Event) => boolean = () => true): Promise<Event> =>
  until(async () => {
    const [event] = await client.call('listEvents', { query: { rule } });
    return event && ready(event) && event;
  }, `an event of rule ${rule}`);
const settled = (rule: number): Promise<Event> =>
  eventOf(rule, ({ alerts }) => alerts.length > 0 && alerts.every(({ state }) => state !== 'waiting'));
const cross = async (level = -50): Promise<void> => {
  await post(service, token, { level: -300 });
  await post(service, token, { level });
};
/** Mails about an event's rule; in the order in which they came. */
const mailsWith = (words: string) =>
  mail
    .mails()
    .filter(({ subject }) => subject.includes(words))
    .reverse();

it('alerts a person by mail with picture, thread and link; the link acknowledges once, for them alone', async () => {
  const rule = await ruleFor({
    title: 'Bog floods',
    people: [await me()],
    closeLimit: -200,
    severity: 'urgent',
  });
  await cross();
  await settled(rule);
  const first = await until(() => mailsWith('Bog floods')[0], 'a mail');
  expect(first.to).toBe(person.email);
  expect(first.html).toContain('<h1>Bog floods (Dipwell North)</h1>');
  // The chart came with it, and is a picture of some size.
  expect(/src="data:image\/png;base64,([^"]{4000,})"/.test(first.html)).toBe(true);
  const [, link] = /\/alert\/(\S+)/.exec(first.text)!;
  // A mail reader that looks ahead only reads.
  expect(await service.open.call('readAlertLink', { params: { link: link! } })).toMatchObject({
    what: 'event',
    done: false,
  });
  const other = await newPerson(service, 'Ranger');
  await expect(other.client.call('useAlertLink', { params: { link: link! } })).rejects.toThrow(
    /signed in as Ranger/,
  );
  await expect(service.open.call('useAlertLink', { params: { link: `${link}x` } })).rejects.toThrow(/link/);
  expect(await service.open.call('useAlertLink', { params: { link: link! } })).toMatchObject({
    done: true,
    acknowledgedBy: 'Warden',
  });
  expect(await eventOf(rule)).toMatchObject({ acknowledgedBy: 'Warden', closedAt: null });
  await post(service, token, { level: -250 });
  const second = await until(() => mailsWith('Bog floods')[1], 'a mail that it is over');
  expect(second.subject).toBe('closed: Bog floods (Dipwell North, -250 mm)');
  expect(second.inReplyTo).toBe(first.inReplyTo);
  expect(second.messageId).not.toBe(first.messageId);
  // No one-click link where the service has no public HTTPS address.
  expect(second.stop).toBe('');
  await end(rule);
});

it('alerts phones by push, replaces it when it is over, and drops phones that are gone', async () => {
  const place = await client.call('addPushPlace', { body: { name: 'Phone', ...push.subscribe('phone') } });
  await client.call('addPushPlace', { body: { name: 'Old phone', ...push.subscribe('old') } });
  push.drop('old');
  const rule = await ruleFor({ title: 'Gate is stuck', people: [await me()], severity: 'urgent' });
  await cross();
  const told = await until(() => push.pushes().find(({ phone }) => phone === 'phone'), 'a push message');
  const event = await settled(rule);
  expect(told).toMatchObject({
    urgency: 'high',
    topic: expect.stringMatching(/^[\w-]{1,32}$/),
    content: {
      title: 'urgent: Gate is stuck (Dipwell North, -50 mm)',
      tag: `event-${event.id}`,
      url: `/events/${event.id}`,
      severity: 'urgent',
      over: false,
    },
  });
  expect((await client.call('readMyAlerts')).places.map(({ name }) => name)).toEqual(['Phone']);
  await post(service, token, { level: -300 });
  const over = await until(
    () => push.pushes().find(({ content }) => (content as { over: boolean }).over),
    'its end',
  );
  expect(over).toMatchObject({ topic: told.topic, urgency: 'low', content: { tag: `event-${event.id}` } });
  expect((await client.call('testAlert', { body: { channel: 'push' } })).hops).toEqual([
    { what: 'Taken by the push service of Phone', ok: true, detail: '' },
  ]);
  await client.call('removePushPlace', { params: { phone: place.id } });
  expect((await client.call('readMyAlerts')).places).toEqual([]);
  await expect(
    client.call('addPushPlace', {
      body: { name: 'x', endpoint: 'ftp://here', keys: { p256dh: 'a', auth: 'b' } },
    }),
  ).rejects.toThrow(/https/);
  await end(rule);
});

it('calls webhooks, signed, and tries again', async () => {
  const made = await client.call('createWebhook', { body: { title: 'Gateway', url: `${hook.url}/in` } });
  const sms = await client.call('createWebhook', {
    body: {
      title: 'Texts',
      url: `${hook.url}/sms`,
      template: '{"to": "447", "say": "{rule}: {device} {value}"}',
    },
  });
  expect((await client.call('listWebhooks'))[0]).not.toHaveProperty('secret');
  hook.answer(503);
  const rule = await ruleFor({ title: 'Say "stop"', webhooks: [made.id, sms.id] });
  await cross();
  await eventOf(rule, ({ alerts }) => alerts.some(({ error }) => error.includes('answered 503')));
  hook.answer(204);
  await settled(rule);
  const tries = hook.hooks().filter(({ path }) => path === '/in');
  expect(new Set(tries.map(({ headers }) => headers['webhook-id'])).size).toBe(1);
  const { headers, body } = tries.at(-1)!;
  const signed = createHmac('sha256', made.secret!).update(
    `${headers['webhook-id']}.${headers['webhook-timestamp']}.${body}`,
  );
  expect(headers['webhook-signature']).toBe(`v1,${signed.digest('base64')}`);
  expect(JSON.parse(body)).toMatchObject({
    events: [{ phase: 'opened', title: 'Say "stop"', device: id, value: -50 }],
  });
  const text = hook.hooks().find(({ path }) => path === '/sms')!;
  expect(JSON.parse(text.body)).toEqual({
    to: '447',
    say: 'Say "stop": dipwell-north -50'.replace(id, 'Dipwell North'),
  });
  const whole = await client.call('readEvent', { params: { event: (await eventOf(rule)).id } });
  expect(whole.tries.map(({ sent }) => sent)).toEqual(expect.arrayContaining([false, true]));
  // A redirect is not followed, and not tried again.
  hook.answer(302);
  expect(
    (await client.call('testAlert', { body: { channel: 'webhook', id: made.id } })).hops[0],
  ).toMatchObject({ ok: false });
  hook.answer(204);
  await end(rule);
});

it('an urgent alert goes at once also while its event is just being written', async () => {
  const { id: webhook } = await client.call('createWebhook', {
    body: { title: 'Duty', url: `${hook.url}/duty` },
  });
  const rule = await ruleFor({ title: 'Urgent here', severity: 'urgent', webhooks: [webhook] });
  await cross();
  const event = await settled(rule);
  const other = await createConnection(databaseOf(service));
  try {
    // A long row of messages came before: whatever is not urgent waits for three minutes.
    await other.query('UPDATE alertPaces SET nextAt = ?, burst = 4 WHERE recipient = ?', [
      Date.now() + 165_000,
      String(webhook),
    ]);
    await other.beginTransaction();
    await other.query('SELECT id FROM events WHERE id = ? FOR UPDATE', [event.id]);
    const writer = await createConnection(databaseOf(service));
    await writer.query(
      `INSERT INTO alerts (workspaceId, eventId, ruleId, userId, channel, recipient, phase, subject, text, state, attempts, dueAt, queuedAt, error)
        SELECT workspaceId, eventId, ruleId, userId, channel, recipient, 'reminder', subject, text, 'waiting', 0, ?, ?, ''
          FROM alerts WHERE eventId = ? AND channel = 'webhook'`,
      [Date.now(), Date.now(), event.id],
    );
    await writer.end();
    await until(() => hook.hooks().filter(({ path }) => path === '/duty').length === 2, 'it', 15_000);
  } finally {
    await other.end();
  }
  await end(rule);
});

it('keeps quiet when told to: paused, quiet hours, muted, too many, an address that did not agree', async () => {
  const states = async (rule: number): Promise<[string, string][]> =>
    (await eventOf(rule, ({ alerts }) => alerts.length > 0)).alerts.map(({ state, error }) => [state, error]);
  const people = [await me()];
  await choose({ pausedUntil: Date.now() + 60_000 });
  const paused = await ruleFor({ people });
  await cross();
  expect(await states(paused)).toEqual([['muted', 'This person has paused all alerts.']]);
  await end(paused);

  // Quiet hours that are now: what is not urgent waits for their end.
  const minutes = new Date().getUTCHours() * 60 + new Date().getUTCMinutes();
  await choose({ quiet: { from: (minutes + 1430) % 1440, to: (minutes + 60) % 1440 } });
  const quiet = await ruleFor({ people });
  const urgent = await ruleFor({ people, severity: 'urgent', title: 'Passes' });
  await cross();
  await until(() => mailsWith('Passes')[0], 'the urgent one');
  expect((await states(quiet))[0]![0]).toBe('waiting');
  await end(quiet);
  await end(urgent);

  await choose({});
  const mute = await client.call('mute', {
    body: { sort: 'device', target: id, until: Date.now() + 60_000, reason: 'new probe' },
  });
  const muted = await ruleFor({ people });
  await cross();
  expect(await states(muted)).toEqual([['muted', 'Muted by Warden: new probe.']]);
  await client.call('unmute', { params: { mute: mute.id } });
  await end(muted);

  const { id: gateway } = await client.call('createWebhook', { body: { title: 'Another', url: hook.url } });
  const bounded = await ruleFor({ webhooks: [gateway], mostAlerts: 1, title: 'Often' });
  await cross();
  await settled(bounded);
  for (let n = 0; n < 2; n++) await cross();
  const events = await until(async () => {
    const all = await client.call('listEvents', { query: { rule: bounded } });
    return all.length === 3 && all.every(({ alerts }) => alerts.length > 0) && all;
  }, 'three events');
  expect(events.at(-1)!.alerts[0]!.state).not.toBe('held');
  expect(events[0]!.alerts[0]).toMatchObject({
    state: 'held',
    error: expect.stringContaining('More than 1 within an hour'),
  });
  await end(bounded);

  const stranger = await ruleFor({ emails: ['stranger@quillmere.example'] });
  await cross();
  expect(await states(stranger)).toEqual([['unconfirmed', expect.stringContaining('has not agreed')]]);
  expect((await client.call('listAddresses')).map(({ email, confirmedAt }) => [email, confirmedAt])).toEqual([
    ['stranger@quillmere.example', null],
  ]);
  await end(stranger);
});

it('reminds until it is acknowledged, and then tells the next person', async () => {
  const { user } = await client.call('me');
  const added = await client.call('addPerson', { body: { name: 'Helper', role: 'operator' } });
  const email = 'helper@quillmere.example';
  const [, secret] = /\/join\/?[#?/]?(\S+)$/.exec(added.link) ?? [];
  await service.open.call('join', {
    body: { secret: secret!.replace(/^.*=/, ''), email, password: 'sphagnum and heather' },
  });
  const helper = (await client.call('listPeople')).find(({ name }) => name === 'Helper')!;
  const rule = await ruleFor({
    title: 'Nobody looks',
    severity: 'urgent',
    people: [user.id],
    repeatMs: 1000,
    escalateMs: 1000,
    escalateTo: Number(helper.id.replace('person-', '')),
  });
  await cross();
  // However long the first alert is gathered with others: one on its way reminds already.
  const event = await eventOf(rule, ({ alerts }) =>
    ['escalated', 'reminder'].every((wanted) => alerts.some(({ phase }) => phase === wanted)),
  );
  await until(
    () => mail.mails().find(({ to, subject }) => to === email && subject.startsWith('not acknowledged')),
    'the next person',
  );
  await client.call('acknowledgeEvent', { params: { event: event.id }, body: { remark: 'on my way' } });
  const count = async (): Promise<number> => (await eventOf(rule)).alerts.length;
  const before = await count();
  await new Promise((resolve) => setTimeout(resolve, 2500));
  expect(await count()).toBe(before);
  expect(await eventOf(rule)).toMatchObject({ remark: 'on my way' });
  await end(rule);
});

it('steers when it opens and when it closes; too often, what was wanted last comes a little later, and is told', async () => {
  const rule = await ruleFor({
    title: 'Pump it out',
    people: [await me()],
    actions: [
      { on: 'opened', stream: 'pump', value: 'on' },
      { on: 'closed', stream: 'pump', value: 'off' },
    ],
  });
  await cross();
  await post(service, token, { level: -300 });
  const event = await eventOf(
    rule,
    ({ closedAt, alerts }) =>
      closedAt !== null &&
      alerts.filter(({ channel, state }) => channel === 'control' && state === 'sent').length === 2,
  );
  const { commands } = await client.call('readEvent', { params: { event: event.id } });
  expect(commands.map(({ stream, value }) => [stream, value])).toEqual([
    ['pump', '1'],
    ['pump', '0'],
  ]);
  const actions = async () =>
    (await client.call('listEvents', { query: { rule } }))
      .flatMap(({ alerts }) => alerts)
      .filter(({ channel }) => channel === 'control')
      .sort((a, b) => a.id - b.id);
  // Open, over, open, over, open: so the water sloshes, and at last it is high.
  for (let n = 0; n < 4; n++) await cross();
  const last = await until(async () => {
    const all = await actions();
    return all.length === 9 && all.slice(0, 6).every(({ state }) => state === 'sent') && all.at(-1);
  }, 'six actions at once, and three more');
  expect(last).toMatchObject({
    recipient: expect.stringMatching(/pump=on$/),
    state: 'waiting',
    error: expect.stringMatching(/set off each other/),
  });
  expect(last.dueAt - last.queuedAt).toBeGreaterThan(15_000);
  expect(last.dueAt - last.queuedAt).toBeLessThanOrEqual(30_000);
  expect((await actions()).map(({ state }) => state).slice(6)).toEqual(['held', 'held', 'waiting']);
  // Whoever it alerts is told, once.
  const told = (await client.call('listEvents', { query: { rule } }))
    .flatMap(({ alerts }) => alerts)
    .filter(({ phase, channel }) => phase === 'held' && channel === 'email');
  expect(told).toHaveLength(1);
  // Its time comes: the control is as the open event wants it.
  const clock = await createConnection(databaseOf(service));
  const comes = (): Promise<unknown> =>
    clock.query("UPDATE alerts SET dueAt = 1 WHERE channel = 'control' AND state = 'waiting'");
  await comes();
  await until(async () => (await actions()).at(-1)!.state === 'sent', 'it is wanted', 10_000);
  const newest = async (): Promise<unknown> =>
    (await client.call('listCommands', { params: { device: id } }))[0];
  expect(await newest()).toMatchObject({ stream: 'pump', value: 1 });
  // What a person wants while it waits is newer than it, and stays.
  await post(service, token, { level: -300 });
  await until(async () => (await actions()).at(-1)!.recipient.endsWith('=off'));
  await client.call('createCommand', { params: { device: id }, body: { stream: 'pump', value: 'on' } });
  await comes();
  const late = await until(
    async () => {
      const one = (await actions()).at(-1)!;
      return one.state === 'failed' && one;
    },
    'it comes too late',
    10_000,
  );
  expect(late.error).toMatch(/newer was wanted/);
  expect(await newest()).toMatchObject({ value: 1, by: 'Warden' });
  await clock.end();
  await end(rule);
  await expect(ruleFor({ actions: [{ on: 'opened', stream: 'level', value: '1' }] })).rejects.toThrow(
    /not a control/,
  );
});

it('tells a storm in a handful of messages, each complete', async () => {
  const keeper = await newPerson(service, 'Keeper');
  const { user } = await keeper.client.call('me');
  const { kindId } = (await newDevice(keeper.client)).device;
  const { id: rule } = await keeper.client.call('createRule', {
    body: {
      title: 'Storm',
      kindId,
      stream: 'level',
      comparison: 'above',
      limit: -100,
      people: [user.id],
      severity: 'urgent',
    },
  });
  const devices = await Promise.all(
    Array.from({ length: 60 }, (_, n) =>
      keeper.client.call('createDevice', { body: { name: `Well ${n}`, kindId } }),
    ),
  );
  await Promise.all(devices.map((one) => post(service, one.token, { level: -50 })));
  await until(
    async () => {
      const events = await keeper.client.call('listEvents', { query: { rule, limit: 100 } });
      return (
        events.length === 60 && events.every(({ alerts }) => alerts.every(({ state }) => state === 'sent'))
      );
    },
    '60 events told',
    30_000,
  );
  const mails = mailsWith('Storm').filter(({ to }) => to === keeper.email);
  expect(mails.length).toBeLessThanOrEqual(4);
  const told = mails.reduce(
    (sum, { subject }) => sum + 1 + Number(/, and (\d+) more$/.exec(subject)?.[1] ?? 0),
    0,
  );
  expect(told).toBe(60);
});

it('tells everything once the mail server is there again, gathered, and says how late', async () => {
  const first = await startMailCatcher();
  const port = Number(new URL(first.smtpUrl).port);
  await first.stop();
  const quiet = await startService({ PEATMOOR_SMTP_URL: first.smtpUrl });
  try {
    const keeper = await newPerson(quiet, 'Keeper');
    const { token: key } = await newDevice(keeper.client);
    const { user } = await keeper.client.call('me');
    await keeper.client.call('createRule', {
      body: {
        title: 'Wet',
        deviceId: id,
        stream: 'level',
        comparison: 'above',
        limit: -100,
        people: [user.id],
      },
    });
    const hour = 3_600_000;
    // What happened an hour ago comes late, whenever the mail server is there again.
    await post(quiet, key, { at: Date.now() - 2 * hour, level: -300 });
    await post(quiet, key, { at: Date.now() - hour, level: -40 });
    await until(
      async () => (await keeper.client.call('listEvents'))[0]?.alerts.some(({ error }) => error !== ''),
      'a try that failed',
    );
    await post(quiet, key, { level: -300 });
    const later = await startMailCatcher({ smtpPort: port });
    const mails = await until(() => later.mails().length > 0 && later.mails(), 'the mail', 40_000);
    // In the order in which it happened: that it opened, and then that it is over.
    expect(mails.at(-1)!.subject).toMatch(/^warning: Wet/);
    expect(mails.at(-1)!.text).toMatch(/This comes 1 h.* after it happened/);
    await until(
      async () => (await keeper.client.call('listEvents'))[0]!.alerts.every(({ state }) => state === 'sent'),
      'all told',
      40_000,
    );
    expect(later.mails().length).toBeLessThanOrEqual(2);
    await later.stop();
  } finally {
    await quiet.stop();
  }
});

it('shows the service inside the network to nobody', async () => {
  const closed = await startService();
  try {
    const { client: careful } = await newPerson(closed);
    for (const url of [
      hook.url,
      'http://127.0.0.1:1',
      'http://[::1]/',
      'http://169.254.169.254/latest',
      'http://localhost:80/',
    ]) {
      const made = await careful.call('createWebhook', { body: { title: url.slice(0, 70), url } });
      const { hops } = await careful.call('testAlert', { body: { channel: 'webhook', id: made.id } });
      expect(hops[0]).toMatchObject({ ok: false, detail: expect.stringContaining('inside the network') });
      await new Promise((resolve) => setTimeout(resolve, 2100));
    }
    await expect(
      careful.call('addPushPlace', { body: { name: 'Phone', ...push.subscribe('inside') } }),
    ).rejects.toThrow(/not an https address/);
    expect((await careful.call('testAlert', { body: { channel: 'email' } })).hops[0]).toMatchObject({
      ok: false,
    });
  } finally {
    await closed.stop();
  }
});
