import net, { type AddressInfo } from 'node:net';
import { createClient, type AlertChoicesIn, type Client, type Event } from '@peatmoor/contract';
import {
  startHookCatcher,
  startMailCatcher,
  startPushCatcher,
  type CaughtPush,
  type HookCatcher,
  type MailCatcher,
  type PushCatcher,
} from '@peatmoor/standins';
import {
  newDevice,
  newPerson,
  post,
  sessionFetch,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

// What does not get through goes the next way of its person, and owners are told once.
jest.setTimeout(120_000);
let mail: MailCatcher;
let push: PushCatcher;
let hook: HookCatcher;
let service: TestService;
let owner: Client;
let token: string;
let level = -300;
const id = 'dipwell-north';

const wayBy = (channel: 'push' | 'email', order: ('push' | 'email')[], minutes = 1): AlertChoicesIn => ({
  channels: { notice: [channel], warning: [channel], urgent: [channel] },
  quiet: null,
  pausedUntil: null,
  weekly: false,
  ways: { order, minutes },
});

beforeAll(async () => {
  [mail, push, hook] = await Promise.all([startMailCatcher(), startPushCatcher(), startHookCatcher()]);
  service = await startService({ PEATMOOR_SMTP_URL: mail.smtpUrl, PEATMOOR_PRIVATE_ADDRESSES: 'allow' });
  ({ client: owner } = await newPerson(service, 'Owner'));
  ({ token } = await newDevice(owner));
});
afterAll(async () => {
  await service.stop();
  await Promise.all([mail.stop(), push.stop(), hook.stop()]);
});

/** Somebody who joined, and is reached as they say. */
async function helper(
  of: Client,
  at: TestService,
  name: string,
  choices: AlertChoicesIn,
  email: string | null = `${name.toLowerCase()}@quillmere.example`,
): Promise<{ client: Client; userId: number }> {
  const { link } = await of.call('addPerson', { body: { name, role: 'viewer' } });
  const client = createClient({ baseUrl: at.url, fetch: sessionFetch() });
  await client.call('join', {
    body: {
      secret: link.split('#')[1]!,
      password: 'cotton grass and reeds',
      ...(email !== null && { email }),
    },
  });
  await client.call('addPushPlace', { body: { name: `phone of ${name}`, ...push.subscribe(name) } });
  await client.call('changeMyAlerts', { body: choices });
  return { client, userId: (await client.call('me')).user.id };
}
const makeRule = (of: Client, title: string, whom: object): Promise<{ id: number }> =>
  of.call('createRule', {
    body: {
      title,
      deviceId: id,
      stream: 'level',
      comparison: 'above',
      limit: -100,
      closeLimit: -110,
      severity: 'urgent',
      ...whom,
    } as never,
  });
/** The water rises over the limit, having been below it; gives the event once it is as awaited. */
async function rises(
  of: Client,
  key: string,
  rule: number,
  ready: (event: Event) => boolean,
): Promise<Event> {
  await post(service, key, { level: (level -= 0.01) });
  await post(service, key, { level: 50 - level / 1000 });
  return until(async () => {
    const [event] = await of.call('listEvents', { query: { rule } });
    return event !== undefined && event.closedAt === null && ready(event) && event;
  }, `an event of rule ${rule}`);
}
const statesOf = ({ alerts }: Event): string[] =>
  alerts
    .filter(({ phase }) => phase === 'opened')
    .map(({ channel, state }) => `${channel} ${state}`)
    .sort();
/** Mails that say so: in their subject, or among several. */
const told = (words: string) =>
  mail.mails().filter(({ subject, text }) =>
    `${subject}
${text}`.includes(words),
  );

it('a phone that is gone: email stands in, and owners hear of it once, until it is there again', async () => {
  const { client, userId } = await helper(owner, service, 'Warden', wayBy('push', ['push', 'email']));
  const rule = await makeRule(owner, 'High in the north', { people: [userId] });
  push.drop('Warden');
  const event = await rises(
    owner,
    token,
    rule.id,
    (one) => statesOf(one).join() === 'email sent,push failed',
  );
  const { error } = event.alerts.find(({ channel }) => channel === 'push')!;
  expect(error).toMatch(/takes no alerts any more/);
  await until(() => told('High in the north').some(({ to }) => to.includes('warden@')), 'the mail');
  const [first] = await until(
    () => told('not told: Warden by push').length > 0 && told('not told: Warden'),
    'owners',
  );
  expect(first!.text).toMatch(/did not get through: .*It goes by email instead\./);
  // What opens next goes by email at once, as no phone is there, and nobody is told of that again.
  await rises(owner, token, rule.id, (one) => statesOf(one).join() === 'email sent');
  // That it is over comes the same way.
  await post(service, token, { level: -400 });
  await until(() => told('closed: High in the north').length > 0, 'that it is over');
  await client.call('addPushPlace', { body: { name: 'another', ...push.subscribe('Another') } });
  push.drop('Another');
  expect(told('not told: Warden')).toHaveLength(1);
  await rises(owner, token, rule.id, (one) => statesOf(one).join() === 'email sent,push failed');
  await until(() => told('not told: Warden').length === 2, 'it is told anew');
  await owner.call('deleteRule', { params: { rule: rule.id } });
});

it('a webhook that refuses for good is told to owners, and nobody is told of what tells owners', async () => {
  const { id: webhook } = await owner.call('createWebhook', { body: { title: 'Bothy lamp', url: hook.url } });
  hook.answer(410);
  const rule = await makeRule(owner, 'High for the lamp', { webhooks: [webhook] });
  const event = await rises(owner, token, rule.id, (one) =>
    one.alerts.some(({ phase, state }) => phase === 'unreached' && state === 'sent'),
  );
  expect(event.alerts.map(({ channel, phase }) => `${channel} ${phase}`).sort()).toEqual(
    expect.arrayContaining(['webhook opened', 'email unreached']),
  );
  // The catcher has read it a moment after it took it.
  await until(() => told('not told: the webhook Bothy lamp').length === 1, 'owners');
  await owner.call('deleteRule', { params: { rule: rule.id } });
});

it('to whom no way is left is a trouble, which is over with a phone', async () => {
  const { client, userId } = await helper(owner, service, 'Hermit', wayBy('push', ['push', 'email']), null);
  const rule = await makeRule(owner, 'High for the hermit', { people: [userId] });
  push.drop('Hermit');
  await rises(owner, token, rule.id, (one) => statesOf(one).join() === 'push failed');
  const troubles = () => owner.call('listTroubles');
  await until(async () => (await troubles()).some(({ what }) => what === 'alerts'), 'a trouble', 30_000);
  expect((await troubles()).find(({ what }) => what === 'alerts')!.found).toMatch(/1 person of .* by no way/);
  expect((await until(() => told('not told: Hermit')[0], 'owners')).text).toContain('No other way is left');
  await client.call('addPushPlace', { body: { name: 'new', ...push.subscribe('New') } });
  await until(async () => !(await troubles()).some(({ what }) => what === 'alerts'), 'it is over', 30_000);
  await owner.call('deleteRule', { params: { rule: rule.id } });
});

it('a way that nobody takes in the time is followed by the next, while it still tries', async () => {
  const sockets = new Set<net.Socket>();
  const silent = net.createServer((socket) => void sockets.add(socket.on('error', () => undefined)));
  await new Promise<void>((resolve) => silent.listen(0, '127.0.0.1', resolve));
  const slow = await startService({
    PEATMOOR_SMTP_URL: `smtp://127.0.0.1:${(silent.address() as AddressInfo).port}`,
    PEATMOOR_PRIVATE_ADDRESSES: 'allow',
    TESTS_MINUTE_MS: '2000',
  });
  try {
    const { client } = await newPerson(slow, 'Slow');
    const made = await newDevice(client);
    const { userId } = await helper(client, slow, 'Patient', wayBy('email', ['push']));
    const rule = await makeRule(client, 'High and slow', { people: [userId] });
    const since = Date.now();
    await post(slow, made.token, { level: -400 });
    await post(slow, made.token, { level: 20 });
    const caught = await until<CaughtPush | undefined>(
      () =>
        push.pushes().find(({ content }) => (content as { title: string }).title.includes('High and slow')) ??
        false,
      'the push',
      15_000,
    );
    expect(caught!.at - since).toBeGreaterThan(2000);
    const event = await until(async () => {
      const [one] = await client.call('listEvents', { query: { rule: rule.id } });
      return one !== undefined && statesOf(one).join() === 'email waiting,push sent' && one;
    }, 'it is sent, and the mail still waits');
    const stand = event.alerts.find(({ channel }) => channel === 'push')!;
    expect(stand.recipient).toBe('Patient');
    // It goes once, however often it is looked.
    await new Promise((resolve) => setTimeout(resolve, 7000));
    expect(push.pushes().filter(({ phone }) => phone === 'Patient')).toHaveLength(1);
  } finally {
    for (const socket of sockets) socket.destroy();
    silent.close();
    await slow.stop();
  }
});

it('ways are checked, and a body without them leaves them as they are', async () => {
  const put = (ways: unknown) =>
    owner.call('changeMyAlerts', { body: { ...wayBy('email', []), ways } as never });
  await expect(put({ order: ['screen'], minutes: 5 })).rejects.toThrow('ways.order');
  await expect(put({ order: ['push', 'push', 'email'], minutes: 5 })).rejects.toThrow('ways.order');
  await expect(put({ order: ['push'], minutes: 0 })).rejects.toThrow('ways.minutes');
  await put({ order: ['email'], minutes: 20 });
  const { ways: _left, ...others } = wayBy('email', []);
  const { choices } = await owner.call('changeMyAlerts', { body: others });
  expect(choices.ways).toEqual({ order: ['email'], minutes: 20 });
});
