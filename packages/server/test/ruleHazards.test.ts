import type { Client, Event, Rule, RuleIn } from '@peatmoor/contract';
import { startHookCatcher, type HookCatcher } from '@peatmoor/standins';
import {
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

// What a clumsy or hostile rule does to everybody else: nothing.
let hook: HookCatcher;
let service: TestService;
let person: Person;
let client: Client;
let token: string;
let me: number;
const id = 'dipwell-north';

beforeAll(async () => {
  hook = await startHookCatcher();
  service = await startService({ PEATMOOR_PRIVATE_ADDRESSES: 'allow' });
  person = await newPerson(service);
  client = person.client;
  ({ token } = await newDevice(client));
  me = (await client.call('me')).user.id;
});
afterAll(async () => {
  await service.stop();
  await hook.stop();
});

const rule = (change: Partial<RuleIn> = {}): Promise<Rule> =>
  client.call('createRule', {
    body: {
      title: 'High',
      deviceId: id,
      stream: 'level',
      comparison: 'above',
      limit: -100,
      ...change,
    } as RuleIn,
  });
const first = (of: number, ready: (event: Event) => boolean = () => true): Promise<Event> =>
  until(async () => {
    const [event] = await client.call('listEvents', { query: { rule: of } });
    return event && ready(event) && event;
  }, `an event of rule ${of}`);
const end = (of: number) => client.call('deleteRule', { params: { rule: of } });

it('a rule that becomes one of another sort while readings come costs no other rule a reading', async () => {
  const other = await rule({ title: 'Witness', limit: -10, closeLimit: -20 });
  let of = await rule({ comparison: 'silent', withinMs: 600_000 });
  let running = true;
  let crossings = 0;
  const load = (async () => {
    while (running) {
      await post(service, token, { level: -5 });
      await post(service, token, { level: -300 });
      crossings++;
    }
  })();
  const sorts: Partial<RuleIn>[] = [
    { comparison: 'statistic', statistic: 'mean', side: 'above', limit: 0, withinMs: 600_000 },
    { comparison: 'unchanged', withinMs: 600_000 },
    { comparison: 'rises', amount: 1000, withinMs: 600_000 },
    { comparison: 'silent', withinMs: 600_000 },
    { comparison: 'unusual', spreads: 5 },
    { comparison: 'statistic', statistic: 'count', side: 'above', limit: 1e9, withinMs: 600_000 },
  ];
  for (let round = 0; round < 3; round++)
    for (const change of sorts) {
      const body = { title: 'Turns', deviceId: id, stream: 'level', ...change } as RuleIn;
      of = await client.call('changeRule', { params: { rule: of.id }, body });
    }
  running = false;
  await load;
  const events = await until(async () => {
    const all = await client.call('listEvents', { query: { rule: other.id, limit: 500 } });
    return all.length >= Math.min(500, crossings) && all;
  }, 'an event for every crossing');
  expect(events).toHaveLength(Math.min(500, crossings));
  expect(await client.call('countEvents')).toMatchObject({ failed: 0 });
  await end(other.id);
  await end(of.id);
});

it('silence asks when something came: late readings never open it, nor does a board that was only registered', async () => {
  await newDevice(client, 'In advance');
  await newDevice(client, 'Offline for long');
  const made = await client.call('createToken', {
    params: { device: 'offline-for-long' },
    body: { title: 'x' },
  });
  const silent = (deviceId: string) =>
    client.call('createRule', {
      body: {
        title: `Silent ${deviceId}`,
        deviceId,
        stream: 'level',
        comparison: 'silent',
        withinMs: 3000,
      } as RuleIn,
    });
  const advance = await silent('in-advance');
  const offline = await silent('offline-for-long');
  // What it stored while it had no link, a message each: days late.
  for (let n = 0; n < 60; n++)
    await post(service, made.secret, { at: Date.now() - 3 * 86_400_000 + n * 60_000, level: n });
  await new Promise((resolve) => setTimeout(resolve, 1500));
  expect(await client.call('listEvents', { query: { rule: offline.id } })).toEqual([]);
  // Then it is silent in truth.
  await first(offline.id, ({ closedAt }) => closedAt === null);
  await post(service, made.secret, { at: Date.now() - 86_400_000, level: 1 });
  await first(offline.id, ({ closedAt }) => closedAt !== null);
  expect(await client.call('listEvents', { query: { rule: advance.id } })).toEqual([]);
  const trial = await client.call('tryRule', {
    body: {
      rule: {
        title: 'Try',
        deviceId: 'in-advance',
        stream: 'level',
        comparison: 'silent',
        withinMs: 3000,
      } as RuleIn,
      from: Date.now() - 86_400_000,
      to: Date.now(),
    },
  });
  expect(trial.count).toBe(0);
  await end(advance.id);
  await end(offline.id);
});

it('reminders that cannot go out do not pile up', async () => {
  const { id: webhook } = await client.call('createWebhook', {
    body: { title: 'Dead', url: `${hook.url}/dead` },
  });
  hook.answer(503);
  const of = await rule({ webhooks: [webhook], repeatMs: 1000, mostAlerts: 2 });
  await post(service, token, { level: -300 });
  await post(service, token, { level: -50 });
  await first(of.id, ({ alerts }) => alerts.some(({ error }) => error !== ''));
  await new Promise((resolve) => setTimeout(resolve, 4500));
  const event = await first(of.id);
  expect(event.alerts.length).toBeLessThanOrEqual(2);
  hook.answer(204);
  await end(of.id);
});

it('whoever was told because nobody acknowledged hears that it is over', async () => {
  const { choices } = await client.call('readMyAlerts');
  await client.call('changeMyAlerts', {
    body: { ...choices, channels: { ...choices.channels, warning: ['screen'] } },
  });
  const of = await rule({ escalateMs: 1000, escalateTo: me });
  await post(service, token, { level: -300 });
  await post(service, token, { level: -50 });
  await first(of.id, ({ alerts }) => alerts.some(({ phase }) => phase === 'escalated'));
  await post(service, token, { level: -300 });
  const event = await first(of.id, ({ closedAt }) => closedAt !== null);
  expect(new Set(event.alerts.map(({ phase }) => phase))).toEqual(new Set(['escalated', 'closed']));
  await end(of.id);
});

it('of several trials of one person the newest is worked out', async () => {
  const from = Date.now() - 300 * 86_400_000;
  for (let part = 0; part < 12; part++)
    await post(
      service,
      token,
      Array.from({ length: 4000 }, (_, n) => ({
        at: from + (part * 4000 + n) * 60_000,
        temperature: n % 20,
      })),
    );
  const body = {
    rule: {
      deviceId: id,
      stream: 'temperature',
      comparison: 'statistic',
      statistic: 'mean',
      side: 'above',
      limit: 9,
      withinMs: 3_600_000,
    },
    from,
    to: Date.now(),
  } as const;
  const outcomes = await Promise.allSettled(
    Array.from({ length: 4 }, () => client.call('tryRule', { body })),
  );
  // Which of them came last is for the network to say: that one is answered.
  expect(outcomes.filter(({ status }) => status === 'fulfilled').length).toBeGreaterThanOrEqual(1);
  for (const outcome of outcomes)
    if (outcome.status === 'rejected')
      expect(String(outcome.reason)).toContain('A newer trial took its place');
  expect(outcomes.some(({ status }) => status === 'rejected')).toBe(true);
});

it('counts what the list shows, also after a device was deleted', async () => {
  const { kindId } = await client.call('readDevice', { params: { device: id } });
  const of = await rule({ deviceId: null, kindId });
  const doomed = await client.call('createDevice', { body: { name: 'Doomed', kindId } });
  await post(service, doomed.token, { level: -5 });
  await first(of.id);
  await client.call('deleteDevice', { params: { device: 'doomed' } });
  await until(async () => (await client.call('listEvents', { query: { rule: of.id } })).length === 0, 'gone');
  const open = await client.call('listEvents', { query: { state: 'open' } });
  expect((await client.call('countEvents')).open).toBe(open.length);
  await end(of.id);
});

it('the same done by two at once is done once, and fails for neither', async () => {
  const until1 = Date.now() + 3_600_000;
  await Promise.all(
    Array.from({ length: 8 }, (_, n) =>
      client.call('mute', { body: { sort: 'device', target: id, until: until1 + n } }),
    ),
  );
  expect(await client.call('listMutes')).toHaveLength(1);
  const made = await Promise.all(
    Array.from({ length: 6 }, () => rule({ emails: ['someone@quillmere.example'] })),
  );
  expect(await client.call('listAddresses')).toHaveLength(1);
  for (const { id: of } of made) await end(of);
  const keys = {
    p256dh: Buffer.concat([Buffer.from([4]), Buffer.alloc(64, 1)]).toString('base64url'),
    auth: Buffer.alloc(16, 2).toString('base64url'),
  };
  await Promise.all(
    Array.from({ length: 6 }, () =>
      client.call('addPushPlace', { body: { name: 'Phone', endpoint: `${hook.url}/to/phone`, keys } }),
    ),
  );
  expect((await client.call('readMyAlerts')).places).toHaveLength(1);
});
