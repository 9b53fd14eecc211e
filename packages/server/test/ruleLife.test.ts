import type { Client, Event, RuleIn } from '@peatmoor/contract';
import {
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

// What happens to rules, events and alerts while things change around them, and what others see of them.
let service: TestService;
let person: Person;
let client: Client;
let stranger: Client;
let token: string;
let kindId: number;
const id = 'dipwell-north';
const HOUR = 3_600_000;

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  client = person.client;
  const made = await newDevice(client);
  ({ token } = made);
  ({ kindId } = made.device);
  ({ client: stranger } = await newPerson(service, 'Stranger'));
});
afterAll(() => service.stop());

const rule = async (change: Partial<RuleIn> = {}): Promise<number> =>
  (
    await client.call('createRule', {
      body: {
        title: 'High',
        deviceId: id,
        stream: 'level',
        comparison: 'above',
        limit: -100,
        ...change,
      } as RuleIn,
    })
  ).id;
const events = (of: number): Promise<Event[]> => client.call('listEvents', { query: { rule: of } });
const first = (of: number, ready: (event: Event) => boolean = () => true): Promise<Event> =>
  until(async () => {
    const [event] = await events(of);
    return event && ready(event) && event;
  }, `an event of rule ${of}`);
const settle = () => new Promise((resolve) => setTimeout(resolve, 600));
const end = (of: number) => client.call('deleteRule', { params: { rule: of } });

it('late, repeated and deleted readings open nothing', async () => {
  const of = await rule();
  const now = Date.now();
  await post(service, token, { at: now, level: -300 });
  await post(service, token, { at: now - HOUR, level: -20 });
  await post(service, token, { at: now, level: -300 });
  await post(service, token, [
    { at: now - 2 * HOUR, level: -10 },
    { at: now - 3 * HOUR, level: -10 },
  ]);
  await settle();
  expect(await events(of)).toEqual([]);
  await client.call('deleteReadings', {
    params: { device: id },
    body: { stream: 'level', from: now - 4 * HOUR, to: now - HOUR / 2 },
  } as never);
  await settle();
  expect(await events(of)).toEqual([]);
  await end(of);
});

it('an event goes on while its device is renamed, and its rule reads the new name', async () => {
  const of = await rule();
  await post(service, token, { level: -300 });
  await post(service, token, { level: -50 });
  await first(of);
  await client.call('changeDevice', { params: { device: id }, body: { name: 'Dipwell at the alder' } });
  expect((await client.call('readRule', { params: { rule: of } })).sentence).toContain(
    'Dipwell at the alder',
  );
  await post(service, token, { level: -300 });
  expect(await first(of, ({ closedAt }) => closedAt !== null)).toMatchObject({ deviceName: 'Dipwell North' });
  await end(of);
});

it('a rule that is switched off and on again begins anew', async () => {
  const of = await rule({ holdMs: 1000 });
  await post(service, token, { level: -300 });
  await post(service, token, { level: -50 });
  const {
    id: _id,
    sentence: _s,
    openEvents: _o,
    version: _v,
    ...body
  } = await client.call('readRule', { params: { rule: of } });
  await client.call('changeRule', { params: { rule: of }, body: { ...body, active: false } });
  await new Promise((resolve) => setTimeout(resolve, 1400));
  expect(await events(of)).toEqual([]);
  await client.call('changeRule', { params: { rule: of }, body: { ...body, active: true } });
  await settle();
  // Only what comes from now on counts.
  expect(await events(of)).toEqual([]);
  await post(service, token, { level: -40 });
  await first(of);
  await end(of);
});

it('a deleted device leaves nothing open, and a rule of its kind goes on with the others', async () => {
  const of = await rule({ deviceId: null, kindId });
  const doomed = await client.call('createDevice', { body: { name: 'Doomed', kindId } });
  for (const key of [doomed.token, token]) await post(service, key, { level: -300 });
  for (const key of [doomed.token, token]) await post(service, key, { level: -30 });
  await until(async () => (await events(of)).length === 2, 'both');
  await client.call('deleteDevice', { params: { device: 'doomed' } });
  await until(async () => (await events(of)).length === 1, 'one is left');
  expect((await client.call('countEvents')).open).toBeGreaterThanOrEqual(1);
  await post(service, token, { level: -300 });
  await first(of, ({ closedAt }) => closedAt !== null);
  await end(of);
});

it('an event that is closed by hand opens again only by what comes afterwards', async () => {
  const of = await rule();
  await post(service, token, { level: -50 });
  const event = await first(of);
  await client.call('closeEvent', { params: { event: event.id }, body: { remark: 'known' } });
  await settle();
  expect(await events(of)).toHaveLength(1);
  expect((await events(of))[0]).toMatchObject({ closedBy: 'Warden', remark: 'known' });
  await post(service, token, { level: -49 });
  await until(async () => (await events(of)).length === 2, 'again');
  await end(of);
});

it('two people who acknowledge at once are one, and several are dealt with together', async () => {
  const of = await rule();
  await post(service, token, { level: -300 });
  await post(service, token, { level: -50 });
  const event = await first(of);
  const input = { params: { event: event.id }, body: {} };
  await Promise.all(Array.from({ length: 6 }, () => client.call('acknowledgeEvent', input)));
  const counts = await client.call('countEvents');
  expect(counts.unacknowledged).toBe(0);
  expect(
    await client.call('changeEvents', { body: { events: [event.id, 999_999], what: 'acknowledge' } }),
  ).toEqual({ changed: 0 });
  expect(
    await client.call('changeEvents', { body: { events: [event.id, event.id], what: 'close' } }),
  ).toEqual({ changed: 1 });
  await expect(client.call('changeEvents', { body: { events: [], what: 'close' } })).rejects.toThrow(
    /events/,
  );
  await end(of);
});

it('finds events by words, label, state and time', async () => {
  await client.call('changeDevice', { params: { device: id }, body: { labels: ['it\'s "wet"'] } });
  const of = await rule({ title: '100% bog_water' });
  await post(service, token, { level: -300 });
  await post(service, token, { level: -50 });
  await first(of);
  const found = async (query: object): Promise<number> =>
    (await client.call('listEvents', { query: { rule: of, ...query } })).length;
  expect(await found({ text: '100%' })).toBe(1);
  expect(await found({ text: 'bog_w' })).toBe(1);
  expect(await found({ text: 'bogXw' })).toBe(0);
  expect(await found({ label: 'it\'s "wet"' })).toBe(1);
  expect(await found({ label: 'dry' })).toBe(0);
  expect(await found({ state: 'unacknowledged' })).toBe(1);
  expect(await found({ state: 'closed' })).toBe(0);
  expect(await found({ from: Date.now() + HOUR })).toBe(0);
  await end(of);
});

it('shows nothing of it to another workspace, and lets nobody there change it', async () => {
  const of = await rule();
  await post(service, token, { level: -300 });
  await post(service, token, { level: -50 });
  const event = await first(of);
  const webhook = await client.call('createWebhook', {
    body: { title: 'Ours', url: 'https://gateway.example/in' },
  });
  const mute = await client.call('mute', {
    body: { sort: 'rule', target: String(of), until: Date.now() + HOUR },
  });
  expect(await stranger.call('listEvents')).toEqual([]);
  expect(await stranger.call('listWebhooks')).toEqual([]);
  expect(await stranger.call('listMutes')).toEqual([]);
  expect(await stranger.call('countEvents')).toMatchObject({ open: 0 });
  const theirs = { params: { event: event.id }, body: {} };
  for (const attempt of [
    stranger.call('readEvent', { params: { event: event.id } }),
    stranger.call('acknowledgeEvent', theirs),
    stranger.call('closeEvent', theirs),
    stranger.call('unmute', { params: { mute: mute.id } }),
    stranger.call('deleteWebhook', { params: { webhook: webhook.id } }),
    stranger.call('mute', { body: { sort: 'device', target: id, until: Date.now() + HOUR } }),
    stranger.call('tryRule', {
      body: { rule: { deviceId: id, comparison: 'above', stream: 'level', limit: 1 }, from: 0, to: HOUR },
    }),
  ])
    await expect(attempt).rejects.toThrow();
  expect(await stranger.call('changeEvents', { body: { events: [event.id], what: 'close' } })).toEqual({
    changed: 0,
  });
  const own = await newDevice(stranger, 'Their well');
  await expect(
    stranger.call('createRule', {
      body: {
        title: 'Theirs',
        deviceId: own.device.id,
        stream: 'level',
        comparison: 'above',
        limit: 1,
        webhooks: [webhook.id],
      },
    }),
  ).rejects.toThrow(/webhooks/);
  expect((await first(of)).acknowledgedAt).toBeNull();
  await client.call('deleteWebhook', { params: { webhook: webhook.id } });
  await end(of);
});

it('mutes what is there, for a time ahead, once each', async () => {
  const until1 = Date.now() + HOUR;
  for (const [body, field] of [
    [{ sort: 'device', target: 'nobody', until: until1 }, 'target'],
    [{ sort: 'kind', target: 'x', until: until1 }, 'target'],
    [{ sort: 'device', target: id, until: Date.now() - 1 }, 'until'],
    [{ sort: 'device', target: id, until: Date.now() + 400 * 24 * HOUR }, 'until'],
  ] as const)
    await expect(client.call('mute', { body })).rejects.toThrow(new RegExp(field));
  const one = await client.call('mute', {
    body: { sort: 'device', target: id, until: until1, reason: 'first' },
  });
  await client.call('mute', { body: { sort: 'device', target: id, until: until1, reason: 'second' } });
  const mutes = await client.call('listMutes');
  expect(mutes.map(({ reason }) => reason)).toEqual(['second']);
  // The same mute, told anew.
  expect(mutes[0]!.id).toBe(one.id);
  await client.call('unmute', { params: { mute: one.id } });
  expect(await client.call('listMutes')).toEqual([]);
  await expect(client.call('unmute', { params: { mute: one.id } })).rejects.toThrow();
});
