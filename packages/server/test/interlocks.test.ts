import type { Client, Command, Event, RuleIn } from '@peatmoor/contract';
import { startHookCatcher, type HookCatcher } from '@peatmoor/standins';
import { createConnection } from 'mariadb';
import {
  databaseOf,
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

// A rule that holds a control at a value as long as its event is open.
let hook: HookCatcher;
let service: TestService;
let client: Client;
let token: string;
let kind: number;
const id = 'dipwell-north';

beforeAll(async () => {
  hook = await startHookCatcher();
  service = await startService({ PEATMOOR_PRIVATE_ADDRESSES: 'allow' });
  ({ client } = await newPerson(service));
  ({ token } = await newDevice(client));
  kind = (await client.call('readDevice', { params: { device: id } })).kindId;
});
afterAll(async () => {
  await service.stop();
  await hook.stop();
});

type Action = NonNullable<RuleIn['actions']>[number];
const holdsAt = (value: string, change: Partial<Action> = {}): Action => ({
  on: 'while',
  stream: 'pump',
  value,
  ...change,
});
const ruleFor = (change: Partial<RuleIn>): Promise<{ id: number; version: number }> =>
  client.call('createRule', {
    body: {
      title: 'Basin is full',
      deviceId: id,
      stream: 'level',
      comparison: 'above',
      limit: -100,
      ...change,
    } as RuleIn,
  });
const end = (rule: number): Promise<void> => client.call('deleteRule', { params: { rule } });
const want = (value: string, device = id): Promise<Command> =>
  client.call('createCommand', { params: { device }, body: { stream: 'pump', value } });
const newest = async (): Promise<Command | undefined> =>
  (await client.call('listCommands', { params: { device: id } })).find(({ stream }) => stream === 'pump');
const isAt = (value: number): Promise<boolean> =>
  until(async () => (await newest())?.value === value, `the pump is wanted at ${value}`, 10_000);
const isOpen = async (rule: number): Promise<Event[]> =>
  client.call('listEvents', { query: { rule, state: 'open' } });
const level = (value: number) => post(service, token, { level: value });
const opens = (rule: number): Promise<boolean> =>
  until(async () => (await isOpen(rule)).length === 1, 'the event opens');
const closes = (rule: number): Promise<boolean> =>
  until(async () => (await isOpen(rule)).length === 0, 'the event closes');
const problem = (call: Promise<unknown>): Promise<{ status: number; detail: string }> =>
  call.then(
    () => ({ status: 200, detail: '' }),
    (error: { problem: { status: number; detail: string } }) => error.problem,
  );

it('holds it: others are refused with its name and a way on, and nothing is restored when it is over', async () => {
  const rule = await ruleFor({ actions: [holdsAt('off')] });
  const other = await ruleFor({
    title: 'Wants it on',
    limit: -80,
    actions: [{ on: 'opened', stream: 'pump', value: 'on' }],
  });
  await level(-300);
  await want('on');
  await level(-90);
  await opens(rule.id);
  await isAt(0);
  expect((await newest())!.by).toMatch(/Basin is full/);
  const refused = await problem(want('on'));
  expect(refused).toMatchObject({
    status: 409,
    detail: expect.stringMatching(/“Basin is full” holds Pump at off while its event is open.*override it/),
  });
  // What it holds may be wanted by anybody.
  expect((await want('off')).value).toBe(0);
  // So is another rule refused, and says so.
  await level(-50);
  const told = await until(async () => {
    const [event] = await client.call('listEvents', { query: { rule: other.id } });
    return event?.alerts.find(({ channel, state }) => channel === 'control' && state === 'failed');
  }, 'the other rule is refused');
  expect(told.error).toMatch(/“Basin is full” holds Pump/);
  expect((await newest())!.value).toBe(0);
  await level(-300);
  await closes(rule.id);
  await new Promise((resolve) => setTimeout(resolve, 2500));
  expect((await newest())!.value).toBe(0);
  expect((await want('on')).value).toBe(1);
  await end(rule.id);
  await end(other.id);
});

it('of several the first in their order holds, and the next when that is over; the page shows the order', async () => {
  const second = await ruleFor({
    title: 'Rain',
    limit: -150,
    closeLimit: -250,
    actions: [holdsAt('on', { rank: 2 })],
  });
  const first = await ruleFor({ title: 'Leak', limit: -100, closeLimit: -120, actions: [holdsAt('off')] });
  await level(-300);
  await level(-140);
  await opens(second.id);
  await isAt(1);
  await level(-50);
  await opens(first.id);
  await isAt(0);
  const [order] = await client.call('listInterlocks', { params: { device: id } });
  expect(order).toMatchObject({
    stream: 'pump',
    override: null,
    interlocks: [
      { title: 'Leak', rank: 1, text: 'off', holds: true, event: expect.any(Number) },
      { title: 'Rain', rank: 2, text: 'on', holds: false, event: expect.any(Number) },
    ],
  });
  await level(-200);
  await closes(first.id);
  await isAt(1);
  // Paused it holds nothing, and nothing is restored.
  const {
    id: _id,
    version: _v,
    sentence: _s,
    openEvents: _o,
    ...body
  } = await client.call('readRule', {
    params: { rule: second.id },
  });
  await client.call('changeRule', { params: { rule: second.id }, body: { ...body, active: false } as never });
  expect((await newest())!.value).toBe(1);
  expect((await want('off')).value).toBe(0);
  await end(first.id);
  await end(second.id);
});

it('may be overridden for some minutes, on record and told, and holds again afterwards', async () => {
  const { id: webhook } = await client.call('createWebhook', {
    body: { title: 'Duty', url: `${hook.url}/duty` },
  });
  expect(
    await problem(client.call('overrideInterlocks', { params: { device: id }, body: { stream: 'pump' } })),
  ).toMatchObject({
    status: 409,
    detail: expect.stringMatching(/Nothing holds Pump/),
  });
  const rule = await ruleFor({ actions: [holdsAt('off')], webhooks: [webhook] });
  await level(-300);
  await level(-50);
  await opens(rule.id);
  await isAt(0);
  const over = await client.call('overrideInterlocks', {
    params: { device: id },
    body: { stream: 'pump', minutes: 10 },
  });
  expect(over.override).toMatchObject({ by: 'Warden' });
  expect(over.override!.until - Date.now()).toBeGreaterThan(9 * 60_000);
  expect((await want('on')).value).toBe(1);
  await new Promise((resolve) => setTimeout(resolve, 2500));
  expect((await newest())!.value).toBe(1);
  await until(
    () => hook.hooks().some(({ body }) => body.includes('"override"')),
    'whoever it alerts is told',
  );
  const changes = await client.call('listChanges', { query: {} });
  expect(changes.some(({ act }) => act === 'overrode')).toBe(true);
  // Its time is over: by the clock, or because somebody ends it.
  const connection = await createConnection(databaseOf(service));
  await connection.query('UPDATE overrides SET until = 1');
  await connection.end();
  await isAt(0);
  await client.call('overrideInterlocks', { params: { device: id }, body: { stream: 'pump' } });
  await want('on');
  expect((await client.call('endOverride', { params: { device: id, stream: 'pump' } })).override).toBeNull();
  await isAt(0);
  for (const body of [
    { stream: 'pump', minutes: 0 },
    { stream: 'pump', minutes: 61 },
    { stream: 'level' },
    { stream: 'nothing' },
  ])
    expect(
      (await problem(client.call('overrideInterlocks', { params: { device: id }, body }))).status,
    ).toBeGreaterThanOrEqual(400);
  await end(rule.id);
});

it('a wish that races with the event never stays behind it', async () => {
  const rule = await ruleFor({ actions: [holdsAt('off')] });
  for (let round = 0; round < 5; round++) {
    await level(-300);
    await closes(rule.id);
    await Promise.all([level(-50), ...[1, 2, 3, 4].map(() => want('on').catch(() => undefined))]);
    await opens(rule.id);
    await isAt(0);
    expect((await problem(want('on'))).status).toBe(409);
  }
  await end(rule.id);
});

it('two of equal right at different values are refused: when saved, and when a label or a move would cause it', async () => {
  const south = await client.call('createDevice', {
    body: { name: 'Dipwell South', id: 'dipwell-south', kindId: kind },
  });
  expect(south.token).toBeTruthy();
  const first = await ruleFor({ title: 'One', actions: [holdsAt('off')] });
  expect(await problem(ruleFor({ title: 'Two', actions: [holdsAt('on')] }))).toMatchObject({
    status: 409,
    detail: expect.stringMatching(
      /“One” would hold Pump of Dipwell North at off .* and “Two” at on, both in place 1/,
    ),
  });
  // Nothing of it was kept.
  expect((await client.call('listRules')).map(({ title }) => title)).toEqual(['One']);
  // The same value, written another way, is no clash; nor is another place.
  const same = await ruleFor({ title: 'Same', actions: [holdsAt('0')] });
  const next = await ruleFor({ title: 'Next', actions: [holdsAt('on', { rank: 2 })] });
  // At once, only one of two gets through.
  const both = await Promise.all(
    ['off', 'on'].map((value) => problem(ruleFor({ title: value, actions: [holdsAt(value, { rank: 3 })] }))),
  );
  expect(both.map(({ status }) => status).sort()).toEqual([200, 409]);
  // A label.
  await client.call('changeDevice', { params: { device: 'dipwell-south' }, body: { labels: ['wet'] } });
  const labelled = await ruleFor({ title: 'Wet', deviceId: null, label: 'wet', actions: [holdsAt('on')] });
  expect(
    await problem(client.call('changeDevice', { params: { device: id }, body: { labels: ['wet'] } })),
  ).toMatchObject({ status: 409, detail: expect.stringMatching(/“One”.*“Wet”/) });
  expect((await client.call('readDevice', { params: { device: id } })).labels).toEqual([]);
  // A move to a kind of which a rule holds the same control.
  const { id: other } = await client.call('copyKind', {
    params: { kind: String(kind) },
    body: { title: 'Other' },
  });
  const ofKind = await ruleFor({ title: 'Kind', deviceId: null, kindId: other, actions: [holdsAt('on')] });
  expect(
    await problem(client.call('moveDevices', { params: { kind: String(other) }, body: { devices: [id] } })),
  ).toMatchObject({ status: 409, detail: expect.stringMatching(/“One”.*“Kind”/) });
  expect((await client.call('readDevice', { params: { device: id } })).kindId).toBe(kind);
  // A file: it is refused whole, and nothing of it is kept.
  const before = (await client.call('listRules')).map(({ title }) => title);
  const document = await client.call('readFile');
  const one = document.rules!.find(({ name }) => name === 'One')!;
  const actions = (one.actions as Action[]).map((action) => ({ ...action, value: 'on' }));
  const clashing = { ...one, name: 'By a file', actions };
  expect(
    await problem(
      client.call('applyFile', {
        body: { document: { ...document, rules: [...document.rules!, clashing] }, delete: false },
      } as never),
    ),
  ).toMatchObject({ status: 422, detail: expect.stringMatching(/“One”.*“By a file”/) });
  expect((await client.call('listRules')).map(({ title }) => title)).toEqual(before);
  for (const { id: rule } of await client.call('listRules')) await end(rule);
  expect([first, same, next, labelled, ofKind]).toHaveLength(5);
});

it('an action that its control cannot take is refused when the rule is saved, for every device it reaches', async () => {
  for (const on of ['opened', 'closed', 'while'] as const)
    expect(await problem(ruleFor({ actions: [{ on, stream: 'pump', value: 'purple' }] }))).toMatchObject({
      status: 422,
      detail: expect.stringMatching(/actions\[0\]\.value says "purple", which cannot be wanted of Pump/),
    });
  expect(await problem(ruleFor({ actions: [{ on: 'while', stream: 'level', value: '1' }] }))).toMatchObject({
    status: 422,
    detail: expect.stringMatching(/"level" is not a control/),
  });
  await client.call('createDevice', {
    body: {
      name: 'Rain gauge',
      id: 'rain',
      labels: ['met'],
      newKind: { title: 'Rain', streams: [{ key: 'level', title: 'Level', type: 'number' }] },
    } as never,
  });
  await client.call('changeDevice', { params: { device: id }, body: { labels: ['met'] } });
  expect(
    await problem(
      ruleFor({ deviceId: null, label: 'met', actions: [{ on: 'opened', stream: 'pump', value: 'on' }] }),
    ),
  ).toMatchObject({ status: 422, detail: expect.stringMatching(/"pump" is not a control of Rain gauge/) });
});
