import { planLines, sayStep, type Plan } from '@peatmoor/core';
import type { Client, WorkspaceDocument } from '@peatmoor/contract';
import {
  newDevice,
  newPerson,
  post,
  sessionFetch,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';
import { createClient } from '@peatmoor/contract';

let service: TestService;
let owner: Person;
let client: Client;
let token: string;
const NORTH = 'dipwell-north';

const fileOf = (who: Client): Promise<WorkspaceDocument> => who.call('readFile');
const plan = (who: Client, document: WorkspaceDocument, deletes = false): Promise<Plan> =>
  who.call('planFile', { body: { document, delete: deletes } });
const apply = (who: Client, document: WorkspaceDocument, deletes = false) =>
  who.call('applyFile', { body: { document, delete: deletes } });
/** A copy that can be written to. */
const copy = (document: WorkspaceDocument) =>
  JSON.parse(JSON.stringify(document)) as Record<string, Record<string, unknown>[]>;
const signs = ({ steps }: Plan): string[] =>
  steps.map(
    ({ sign, what, name, within }) => `${sign} ${what} ${within === undefined ? '' : `${within}/`}${name}`,
  );

beforeAll(async () => {
  service = await startService({ PEATMOOR_LOG: 'error' });
  owner = await newPerson(service);
  client = owner.client;
  ({ token } = await newDevice(client));
  const { kindId } = await client.call('readDevice', { params: { device: NORTH } });
  await newDevice(client, 'Dipwell South');
  await client.call('changeDevice', {
    params: { device: NORTH },
    body: { labels: ['bog'], notes: 'by the gate', place: { lat: 53.2, lon: -7.4, alt: null } },
  });
  await client.call('createCalibration', {
    params: { device: NORTH },
    body: { stream: 'level', calibration: { form: 'linear', scale: 1, offset: 12 }, from: null },
  });
  const board = await client.call('createStarterDashboard', { params: { device: NORTH } });
  await client.call('createKindDashboard', { params: { kind: kindId } });
  await client.call('createDashboard', { body: { title: board.title } });
  const { user } = await client.call('me');
  const hook = await client.call('createWebhook', {
    body: { title: 'Bell', url: 'https://hook.example/in' },
  });
  await client.call('createRule', {
    body: {
      title: 'Floods',
      kindId,
      stream: 'level',
      comparison: 'above',
      limit: -50,
      severity: 'urgent',
      people: [user.id],
      webhooks: [hook.id],
      actions: [{ on: 'opened', deviceId: null, stream: 'pump', value: 'on' }],
      own: [{ deviceId: NORTH, limit: -20, leftOut: false }],
    },
  });
  await client.call('createTimetable', {
    params: { device: NORTH },
    body: {
      title: 'Mornings',
      stream: 'pump',
      times: [{ days: [1, 2, 3], base: 'clock', minutes: 480, value: 'on' }],
    },
  });
  await client.call('createLink', { body: { title: 'Village', sort: 'dashboard', dashboardId: board.id } });
  const added = await client.call('addPerson', { body: { name: 'Helper', role: 'none' } });
  const helper = await createClient({ baseUrl: service.url, fetch: sessionFetch() }).call('join', {
    body: { secret: added.link.split('#')[1]!, password: 'cotton grass and reeds' },
  });
  await client.call('createGrant', {
    body: { userId: helper.user.id, role: 'operator', sort: 'dashboard', target: String(board.id) },
  });
  const sent = await post(service, token, [{ at: Date.now() - 5000, level: -300 }, { level: -120 }]);
  expect(sent.answer).toEqual({ accepted: 2, refused: [] });
});
afterAll(() => service.stop());

it('is the same after it was applied to where it came from, and again', async () => {
  const document = await fileOf(client);
  expect(document.dashboards!.map(({ name }) => name)).toEqual([
    'Dipwell North',
    'Dipwell North (2)',
    'Dipwell North kind',
  ]);
  expect(JSON.stringify(document)).not.toMatch(/secret|hook_|tok_/);
  expect(await plan(client, document, true)).toEqual({ steps: [], stays: [] });
  expect((await apply(client, document, true)).steps).toEqual([]);
  expect(await fileOf(client)).toEqual(document);
});

it('gives an empty workspace the same pages, tokens once, and nothing to do a second time', async () => {
  const document = await fileOf(client);
  const other = await newPerson(service, 'Elsewhere');
  // People are of their own workspace: the file says so at their place.
  await expect(apply(other.client, document)).rejects.toThrow(/rules\[0\]\.people\[0\] "warden1@quillmere/);
  expect(await other.client.call('listKinds')).toEqual([]);
  expect(await other.client.call('listDevices')).toEqual([]);
  const theirs = copy(document);
  theirs.rules![0]!.people = [other.email];
  // What is behind the host of a webhook is a secret: it is not in the file, and a new one is not made without it.
  expect(JSON.stringify(document)).not.toContain('/in');
  expect(document.webhooks![0]!.url).toBe('https://hook.example');
  expect(document.needs).toEqual([{ what: 'webhook', name: 'Bell', field: 'url' }]);
  const cut = { ...copy(document), rules: [], grants: [] };
  await expect(apply(other.client, cut as never)).rejects.toThrow(
    /webhooks\[0\]\.url lacks the part after the host/,
  );
  theirs.webhooks![0]!.url = 'https://hook.example/in';
  delete (theirs as { grants?: unknown }).grants;
  const { given, steps } = await apply(other.client, theirs as never);
  expect(given.map(({ what, name }) => `${what} ${name}`).sort()).toEqual([
    'device dipwell-north',
    'device dipwell-south',
    'link Village',
    'webhook Bell',
  ]);
  expect(steps.length).toBeGreaterThan(8);
  const made = await fileOf(other.client);
  expect({ ...made, grants: undefined }).toEqual({
    ...theirs,
    grants: undefined,
    webhooks: document.webhooks,
  });
  expect(await apply(other.client, theirs as never)).toEqual({ steps: [], stays: [], given: [] });
  // The token works, and the page of the device leads to its dashboard.
  const fresh = given.find(({ name }) => name === NORTH)!.secret;
  expect((await post(service, fresh, { level: -222 })).answer.accepted).toBe(1);
  const device = await until(async () => {
    const one = await other.client.call('readDevice', { params: { device: NORTH } });
    return one.newest.length > 0 && one;
  });
  expect([device.newest[0]!.value, device.dashboardId === null]).toEqual([-210, false]);
  // The rule watches at once.
  await post(service, fresh, { level: 0 });
  await until(async () => (await other.client.call('listEvents')).length > 0, 'an event of the new rule');
});

it('says in lines and sentences what it would do, with the readings that go along, and deletes only when told to', async () => {
  const document = copy(await fileOf(client));
  document.kinds![0]!.intervalS = 300;
  const streams = document.kinds![0]!.streams as Record<string, unknown>[];
  streams.find(({ key }) => key === 'level')!.max = 300;
  document.kinds![0]!.streams = streams.filter(({ key }) => key !== 'temperature');
  document.devices = document.devices!.filter(({ id }) => id !== NORTH);
  delete (document as { grants?: unknown }).grants;
  document.rules![0]!.own = [];
  (document.timetables as unknown[]).length = 0;
  (document.links as unknown[]).length = 0;
  document.dashboards = document.dashboards!.filter(({ name }) => name !== 'Dipwell North');
  const kept = await plan(client, document as never);
  expect(signs(kept)).toEqual([
    '~ kind Dipwell North kind',
    '~ datastream Dipwell North kind/level',
    '~ rule Floods',
  ]);
  expect(kept.stays.map(({ name }) => name)).toEqual([
    'temperature',
    NORTH,
    'Dipwell North',
    `${NORTH}: Mornings`,
    'Village',
  ]);
  expect(sayStep(kept.steps[1]!)).toBe(
    'Changes the datastream level of Dipwell North kind: max from 200 to 300.',
  );
  const gone = await plan(client, document as never, true);
  const last = gone.steps.find(({ what, sign }) => what === 'device' && sign === '-')!;
  expect(last.readings).toBe(2);
  expect(planLines(gone)).toContain(`- device ${NORTH}  (2 readings go along)`);
  expect(planLines(gone)).toContain('    max: 200 → 300');
  // Nothing of a plan is done.
  expect(await client.call('listDevices')).toHaveLength(2);
});

it('does all of it or nothing: what is refused at the end undoes what was done before', async () => {
  const before = await fileOf(client);
  const document = copy(before);
  document.kinds!.push({ ...document.kinds![0]!, name: 'Rain meter' } as never);
  document.devices!.push({
    ...document.devices![0]!,
    id: 'rain-east',
    name: 'Rain East',
    kind: 'Rain meter',
  } as never);
  document.rules!.push({
    ...document.rules![0]!,
    name: 'Wrong',
    stream: 'nothing',
    own: [],
    actions: [],
  } as never);
  await expect(apply(client, document as never)).rejects.toThrow(
    /rules\[1\]\.stream "nothing" is not a datastream .* Nothing was changed/,
  );
  expect(await fileOf(client)).toEqual(before);
  expect((await client.call('listKinds')).map(({ title }) => title)).not.toContain('Rain meter');
  await expect(client.call('readDevice', { params: { device: 'rain-east' } })).rejects.toThrow(/device/);
  const wrong = copy(before);
  wrong.devices![0]!.kind = 'Dipwel North kind';
  await expect(apply(client, wrong as never)).rejects.toThrow(
    /devices\[0\]\.kind "Dipwel North kind" is not a kind/,
  );
  // A file cannot say what becomes of readings where a unit changes.
  const unit = copy(before);
  const [level] = unit.kinds![0]!.streams as { key: string; unit: string }[];
  expect(level!.key).toBe('level');
  level!.unit = 'm';
  await expect(apply(client, unit as never)).rejects.toThrow(
    /streams\[\d\]\.unit: .*are in mm.*Change it first where it asks: on the page of the kind/,
  );
  expect(await fileOf(client)).toEqual(before);
  // What was in memory of it is forgotten too: the board goes on.
  expect((await post(service, token, { level: -150 })).answer.accepted).toBe(1);
});

it('changes and deletes, each once, and writes down who did it by a file', async () => {
  const document = copy(await fileOf(client));
  document.devices = document.devices!.filter(({ id }) => id !== 'dipwell-south');
  document.devices![0]!.name = 'North by the gate';
  document.devices![0]!.calibrations = [
    { stream: 'level', from: null, calibration: { form: 'linear', scale: 1, offset: 20 } },
  ];
  document.dashboards!.push({ ...document.dashboards![0]!, name: 'For the village', widgets: [] } as never);
  const both = await Promise.allSettled([
    apply(client, document as never, true),
    apply(client, document as never, true),
  ]);
  expect(both.some(({ status }) => status === 'fulfilled')).toBe(true);
  expect(await fileOf(client)).toEqual(document);
  expect((await client.call('listDevices')).map(({ name }) => name)).toEqual(['North by the gate']);
  const changes = await client.call('listChanges', { query: { what: 'device' } });
  expect(changes.map(({ act, target }) => `${act} ${target}`)).toEqual(
    expect.arrayContaining(['deleted by a file dipwell-south', `changed by a file ${NORTH}`]),
  );
  const { lines } = await client.call('history', {
    params: { device: NORTH },
    query: { streams: 'level', from: Date.now() - 3_600_000, to: Date.now() },
  });
  expect(lines[0]!.values[0]).toBe(-280);
});

it('gives one kind with its dashboards and rules, and makes it elsewhere', async () => {
  const [kind] = await client.call('listKinds');
  const document = await client.call('readFile', { query: { kind: kind!.id } });
  expect(Object.keys(document).sort()).toEqual(['dashboards', 'kinds', 'peatmoor', 'rules']);
  expect(document.rules![0]).toMatchObject({ people: [], webhooks: [], actions: [] });
  const other = await newPerson(service, 'Receiver');
  await other.client.call('createDevice', { body: { name: 'Mine', newKind: { title: 'Mine' } } });
  // Deleting is of the parts that the file has.
  const { steps } = await apply(other.client, document);
  const made = signs({ steps, stays: [] });
  expect(made).toEqual(expect.arrayContaining(['+ kind Dipwell North kind', '+ rule Floods']));
  expect(made).toContain('+ dashboard Dipwell North kind');
  expect(made).not.toContain('+ dashboard Dipwell North');
  expect((await other.client.call('listDevices')).map(({ name }) => name)).toEqual(['Mine']);
});

it('has a schema for editors, in which every part of it stands', async () => {
  const schema = (await (await fetch(`${service.url}/api/workspace-file.schema.json`)).json()) as {
    properties: Record<string, { items?: { properties: object; required?: string[] } }>;
  };
  expect(Object.keys(schema.properties).sort()).toEqual(Object.keys(await fileOf(client)).sort());
  expect(Object.keys(schema.properties.needs!.items!.properties)).toEqual(['what', 'name', 'field']);
  expect(schema.properties.kinds!.items!.properties).toHaveProperty('streams');
  expect(schema.properties.devices!.items!.required).toEqual(expect.arrayContaining(['id', 'name', 'kind']));
});

it('is for editors, and does for nobody what only owners may', async () => {
  const added = await client.call('addPerson', { body: { name: 'An editor', role: 'editor' } });
  const editor = createClient({ baseUrl: service.url, fetch: sessionFetch() });
  await editor.call('join', {
    body: { secret: added.link.split('#')[1]!, password: 'cotton grass and reeds' },
  });
  const document = copy(await fileOf(editor));
  // Who may not see grants does not read them in the file, and leaves them alone when what is not in it is deleted.
  expect(document.grants).toBeUndefined();
  const before = await client.call('listGrants');
  expect((await apply(editor, document as never, true)).steps).toEqual([]);
  expect(await client.call('listGrants')).toEqual(before);
  document.grants = copy(await fileOf(client)).grants!;
  document.grants![0]!.role = 'viewer';
  await expect(apply(editor, document as never)).rejects.toThrow(
    /changes grants, which needs the role owner/,
  );
  delete (document as { grants?: unknown }).grants;
  (document.workspace as unknown as Record<string, unknown>).title = 'Mine now';
  await expect(apply(editor, document as never)).rejects.toThrow(/changes the workspace itself/);
  for (const wrong of [
    {},
    { peatmoor: 2 },
    { peatmoor: 1, kinds: 'all' },
    { peatmoor: 1, kinds: [{ nam: 'x' }] },
  ])
    await expect(plan(client, wrong as never)).rejects.toThrow(/document/);
});

it('a file of before that says of widgets that they ask brings it to datastreams; one that is no such file is refused', async () => {
  const { client } = await newPerson(service, 'Asker');
  const stream = { key: 'gate', title: 'Gate', type: 'boolean', direction: 'control' };
  const widget = {
    id: 'w1',
    type: 'switch',
    title: '',
    sources: [{ device: null, stream: 'gate' }],
    options: { asks: true },
    x: 0,
    y: 0,
    w: 3,
    h: 2,
  };
  const file = (change: object): Promise<unknown> =>
    client.call('applyFile', {
      body: {
        document: {
          peatmoor: 1,
          kinds: [{ name: 'Sluice', streams: [stream, { ...stream, key: 'lamp', title: 'Lamp' }] }],
          dashboards: [{ name: 'Gates', kind: 'Sluice', widgets: [widget] }],
          ...change,
        },
        delete: false,
      } as never,
    });
  for (const wrong of [
    { kinds: [null, 5, { name: 'Sluice', streams: 'gate' }] },
    { dashboards: [null, { widgets: 5 }, { widgets: [widget, null, { ...widget, sources: 5 }] }] },
    { devices: 5 },
    { kinds: 5, dashboards: { widgets: [widget] } },
  ])
    await expect(file(wrong)).rejects.toMatchObject({ problem: { status: 422 } });
  await file({});
  const asking = async (): Promise<unknown> => {
    const [kind] = await client.call('listKinds');
    return kind!.streams.map(({ key, asks }) => [key, asks]);
  };
  expect(await asking()).toEqual([
    ['gate', true],
    ['lamp', false],
  ]);
  // A file that says nothing of it leaves it as it is.
  await file({ dashboards: [] });
  expect(await asking()).toEqual([
    ['gate', true],
    ['lamp', false],
  ]);
});
