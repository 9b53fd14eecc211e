import type { Client, Event, RuleIn } from '@peatmoor/contract';
import {
  mqttAs,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

// Rules of every sort, through the real ways in: what is opened and closed is what was reported.
let service: TestService;
let client: Client;
let kindId: number;
const tokens: Record<string, string> = {};

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
  for (const [name, labels] of [
    ['Pony North', ['moss']],
    ['Pony South', ['moss']],
    ['Hut', []],
  ] as const) {
    const made = await client.call('createDevice', {
      body: {
        name,
        labels: [...labels],
        ...(kindId === undefined
          ? {
              newKind: {
                title: 'Collar',
                intervalS: 10,
                streams: [
                  { key: 'level', title: 'Level', type: 'number', unit: 'mm', decimals: 0 },
                  { key: 'battery', title: 'Battery', type: 'number', unit: 'V', decimals: 2 },
                  { key: 'place', title: 'Place', type: 'location' },
                  { key: 'say', title: 'Message', type: 'text' },
                  { key: 'mode', title: 'Mode', type: 'choice', choices: ['graze', 'stray'] },
                ],
              },
            }
          : { kindId }),
      },
    });
    ({ kindId } = made.device);
    tokens[made.device.id] = made.token;
  }
});
afterAll(() => service.stop());

const tell = (device: string, body: object) => post(service, tokens[device]!, body);
const rule = async (body: Partial<RuleIn>): Promise<number> =>
  (await client.call('createRule', { body: { title: 'A rule', comparison: 'above', ...body } as RuleIn })).id;
const eventsOf = (id: number, ready: (events: Event[]) => boolean): Promise<Event[]> =>
  until(async () => {
    const events = await client.call('listEvents', { query: { rule: id } });
    return ready(events) && events;
  }, `events of rule ${id}`);
const opened = (id: number): Promise<Event[]> =>
  eventsOf(id, ([one]) => one !== undefined && one.closedAt === null);
const closed = (id: number): Promise<Event[]> =>
  eventsOf(id, ([one]) => one !== undefined && one.closedAt !== null);
const whole = { deviceId: 'pony-north' };

it.each<[string, Partial<RuleIn>, object, object]>([
  [
    'a place',
    { comparison: 'beyond', stream: 'place', area: { shape: 'circle', lat: 53.4, lon: -1.9, metres: 500 } },
    { place: { lat: 53.41, lon: -1.9 } },
    { place: { lat: 53.4001, lon: -1.9 } },
  ],
  [
    'a text',
    { comparison: 'contains', stream: 'say', text: 'jam' },
    { say: 'a JAM in the gate' },
    { say: 'all well' },
  ],
  ['a choice', { comparison: 'equals', stream: 'mode', text: 'stray' }, { mode: 'stray' }, { mode: 'graze' }],
  [
    'a range',
    { comparison: 'outside', stream: 'level', low: 0, high: 10, margin: 2 },
    { level: 12 },
    { level: 5 },
  ],
  [
    'an expression',
    { comparison: 'expression', expression: 'level < 4 && battery < 3.4' },
    { level: 3, battery: 3.2 },
    { level: 9 },
  ],
])('%s opens and closes an event', async (_name, settings, across, back) => {
  const id = await rule({ ...whole, ...settings });
  await tell('pony-north', across);
  await opened(id);
  await tell('pony-north', back);
  await closed(id);
  await client.call('deleteRule', { params: { rule: id } });
});

it('silence opens by time alone, from when the rule began, and a reading closes it', async () => {
  const id = await rule({ ...whole, comparison: 'silent', stream: 'level', withinMs: 1500 });
  const [event] = await opened(id);
  expect(event!.value).toBeNull();
  expect(event!.sentence).toBe(
    'When Level of Pony North has no reading for 2 s; closes when one comes.'.replace('2 s', '2 s'),
  );
  await tell('pony-north', { level: 1 });
  await closed(id);
  await client.call('deleteRule', { params: { rule: id } });
});

it('knows when a device connects, is seen first, loses its connection, and has messages refused', async () => {
  const ids = {
    online: await rule({ deviceId: 'hut', comparison: 'online' }),
    first: await rule({ deviceId: 'hut', comparison: 'first-seen' }),
    offline: await rule({ deviceId: 'hut', comparison: 'offline' }),
    refused: await rule({ deviceId: 'hut', comparison: 'refused', limit: 2, withinMs: 60_000 }),
  };
  const board = await mqttAs(service, 'hut', tokens.hut!);
  await opened(ids.online);
  await opened(ids.first);
  for (let n = 0; n < 3; n++) await board.publishAsync('moor/hut/report', '{"levvel": 1}', { qos: 1 });
  await opened(ids.refused);
  await board.endAsync(true);
  await closed(ids.online);
  await opened(ids.offline);
  for (const id of Object.values(ids)) await client.call('deleteRule', { params: { rule: id } });
});

it('watches a label, with a limit of its own for one device and another left out, and follows the label', async () => {
  const id = await rule({
    label: 'moss',
    stream: 'level',
    limit: 10,
    own: [
      { deviceId: 'pony-north', limit: 20 },
      { deviceId: 'hut', leftOut: true },
    ],
  });
  await tell('pony-north', { level: 15 });
  await tell('pony-south', { level: 15 });
  await tell('hut', { level: 15 });
  const [event] = await opened(id);
  expect(event!.deviceId).toBe('pony-south');
  await tell('pony-north', { level: 25 });
  await eventsOf(id, (events) => events.length === 2);
  // Who is given the label is watched from then on.
  const { version: _v, ...before } = await client.call('readRule', { params: { rule: id } });
  const { id: _id, sentence: _s, openEvents: _o, ...body } = before;
  await client.call('changeRule', { params: { rule: id }, body: { ...body, own: [] } });
  await client.call('changeDevice', { params: { device: 'hut' }, body: { labels: ['moss'] } });
  await tell('hut', { level: 30 });
  await eventsOf(id, (events) =>
    events.some(({ deviceId, closedAt }) => deviceId === 'hut' && closedAt === null),
  );
  await client.call('deleteRule', { params: { rule: id } });
});

it('joins conditions of two devices', async () => {
  const id = await rule({
    ...whole,
    stream: 'level',
    limit: 50,
    also: [{ comparison: 'below', stream: 'battery', deviceId: 'pony-south', limit: 3.3 }],
  });
  await tell('pony-north', { level: 60 });
  await tell('pony-south', { battery: 3.2 });
  const [event] = await opened(id);
  expect(event!.sentence).toBe(
    'When Level of Pony North is above 50 mm and Battery of Pony South is below 3.30 V; closes when one of them is over.',
  );
  await tell('pony-south', { battery: 3.9 });
  await closed(id);
  await client.call('deleteRule', { params: { rule: id } });
});

it('compares with what is usual at the hour', async () => {
  const hour = 3_600_000;
  const now = Date.now();
  const rows = Array.from({ length: 20 * 24 }, (_, n) => ({
    at: now - (n + 1) * hour,
    level: 100 + (n % 3),
  }));
  await tell('pony-south', rows);
  const id = await rule({ deviceId: 'pony-south', comparison: 'unusual', stream: 'level', spreads: 6 });
  await tell('pony-south', { level: 104 });
  // What is usual is worked out a moment after the rule was made.
  await until(async () => {
    await tell('pony-south', { level: 140 });
    return (await client.call('listEvents', { query: { rule: id } })).length > 0;
  }, 'unlike usual');
  const [event] = await opened(id);
  expect(event!.value).toBe(140);
  const trial = await client.call('tryRule', {
    body: {
      rule: { deviceId: 'pony-south', comparison: 'unusual', stream: 'level', spreads: 6 },
      from: now - 2 * hour,
      to: now + hour,
    },
  });
  // The 15 of a test before is unlike usual too.
  expect(trial.count).toBe(2);
  await client.call('deleteRule', { params: { rule: id } });
});

it('tries a rule as it would have happened, and refuses what cannot be tried', async () => {
  const from = Date.now() - 40 * 60_000;
  const rows = Array.from({ length: 400 }, (_, n) => ({
    at: from + n * 5000,
    battery: n % 100 < 20 ? 3 : 4,
  }));
  await tell('hut', rows);
  const body = {
    deviceId: 'hut',
    comparison: 'below',
    stream: 'battery',
    limit: 3.5,
    holdMs: 20_000,
  } as const;
  const trial = await client.call('tryRule', { body: { rule: body, from, to: Date.now() } });
  expect(trial).toMatchObject({ count: 4, readings: 400, devices: 1, lowest: 3, highest: 4 });
  expect(trial.events.map(({ openedAt }) => (openedAt - from) / 5000)).toEqual([304, 204, 104, 4]);
  expect(trial.openMs).toBe(4 * 80_000);
  await expect(
    client.call('tryRule', {
      body: { rule: { deviceId: 'hut', comparison: 'offline' }, from, to: Date.now() },
    }),
  ).rejects.toThrow(/cannot be tried/);
  await expect(client.call('tryRule', { body: { rule: body, from, to: from } })).rejects.toThrow(/to /);
});

it('says which field is wrong, and joins only what can be joined', async () => {
  for (const [change, field] of [
    [{ comparison: 'between', low: 4, high: 2 }, 'high'],
    [{ comparison: 'rises', amount: 3 }, 'withinMs'],
    [{ comparison: 'beyond' }, 'comparison'],
    [{ comparison: 'beyond', stream: 'place' }, 'area'],
    [{ comparison: 'expression', expression: 'levvel > 3' }, 'expression'],
    [{ also: [{ comparison: 'below', stream: 'nothing', limit: 1 }] }, 'also\\[0\\].stream'],
    [{ also: [{ comparison: 'raised', stream: 'low' }] }, 'also\\[0\\].comparison'],
    [{ label: 'nowhere', deviceId: null }, 'label'],
    [{ people: [99_999] }, 'people'],
    [{ webhooks: [99_999] }, 'webhooks'],
    [{ escalateMs: 60_000 }, 'escalateTo'],
    [{ own: [{ deviceId: 'nobody' }] }, 'own\\[0\\].deviceId'],
  ] as const)
    await expect(rule({ ...whole, stream: 'level', limit: 5, ...(change as object) })).rejects.toThrow(
      new RegExp(field),
    );
});

it('names the nearest of the events a device may raise', async () => {
  const id = await rule({ ...whole, comparison: 'raised', stream: 'low_battery' });
  const answer = await fetch(`${service.url}/device/raise/low_batery`, {
    method: 'POST',
    headers: { authorization: `Bearer ${tokens['pony-north']}` },
  });
  expect(await answer.text()).toContain('The nearest is \\"low_battery\\"');
  await client.call('deleteRule', { params: { rule: id } });
});
