import {
  ACTIONS,
  isOfService,
  mayByKey,
  mayCarry,
  mayDo,
  type Action,
  type CarriedBy,
  type Role,
} from '@peatmoor/core';
import { createClient, endpoints, type Client, type Endpoint, type LiveMessage } from '@peatmoor/contract';
import { WebSocket } from 'ws';
import { HEARD_BY } from '../src/live/sight';
import {
  newDevice,
  mqttAs,
  newPerson,
  post,
  sessionFetch,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

/** Who calls: their role, by what they may do more, and the headers they come with. */
interface Caller {
  name: string;
  role: Role | null;
  carriedBy: CarriedBy[];
  headers: Record<string, string>;
  /** By what they come, where it is an access key. */
  key?: 'everything' | 'narrow';
  /** A workspace that was made later is theirs. */
  later?: true;
  /** A key of the one device in the north. */
  only?: 'look' | 'report';
}

let service: TestService;
let owner: Person;
let stranger: Person;
let token: string;
let board: number;
const callers: Caller[] = [];
const NORTH = 'dipwell-north';
const SOUTH = 'dipwell-south';

const own = () => owner.client;
async function join(name: string, role: Role): Promise<{ client: Client; cookie: string; userId: number }> {
  const { link } = await own().call('addPerson', { body: { name, role } });
  const keeping = sessionFetch();
  const client = createClient({ baseUrl: service.url, fetch: keeping });
  const email = `${name.toLowerCase().replaceAll(' ', '.')}@quillmere.example`;
  const { user } = await client.call('join', {
    body: { secret: link.split('#')[1]!, email, password: 'cotton grass and reeds' },
  });
  return { client, cookie: keeping.cookie(), userId: user.id };
}
const grant = (
  userId: number,
  role: 'viewer' | 'operator',
  sort: 'device' | 'label' | 'dashboard',
  target: string,
) => own().call('createGrant', { body: { userId, role, sort, target } });

beforeAll(async () => {
  service = await startService();
  owner = await newPerson(service);
  stranger = await newPerson(service, 'Stranger');
  ({ token } = await newDevice(own()));
  await newDevice(own(), 'Dipwell South');
  await own().call('changeDevice', { params: { device: SOUTH }, body: { labels: ['south'] } });
  const source = (stream: string) => [{ device: NORTH, stream }];
  const place = { title: '', options: {}, x: 0, y: 0, w: 3, h: 3 };
  board = (
    await own().call('createDashboard', {
      body: {
        title: 'The moss',
        widgets: [
          { id: 'a', type: 'gauge', sources: source('level'), ...place },
          { id: 'b', type: 'switch', sources: source('pump'), ...place },
        ],
      },
    })
  ).id;
  await post(service, token, { level: -120, temperature: 6 });
  const byCookie = (cookie: string) => ({ cookie, origin: service.url });
  for (const role of ['none', 'viewer', 'operator', 'editor', 'owner'] as const) {
    const { cookie, client } = await join(`A ${role}`, role);
    callers.push({ name: role, role, carriedBy: [], headers: byCookie(cookie) });
    const { secret } = await client.call('createKey', { body: { title: 'all', scope: 'everything' } });
    callers.push({
      name: `key of ${role}`,
      role,
      carriedBy: [],
      headers: { authorization: `Bearer ${secret}` },
      key: 'everything',
    });
    const read = await client.call('createKey', { body: { title: 'read', scope: 'read' } });
    callers.push({
      name: `reading key of ${role}`,
      role: role === 'none' ? 'none' : 'viewer',
      carriedBy: [],
      headers: { authorization: `Bearer ${read.secret}` },
      key: 'narrow',
    });
  }
  for (const role of ['viewer', 'operator'] as const) {
    const { cookie, userId } = await join(`Granted ${role}`, 'none');
    await grant(userId, role, 'device', NORTH);
    const carriedBy: CarriedBy[] = role === 'operator' ? ['viewer', 'operator'] : ['viewer'];
    callers.push({ name: `granted ${role}`, role: 'none', carriedBy, headers: byCookie(cookie) });
  }
  for (const [scope, role] of [
    ['read-device', 'viewer'],
    ['report-device', 'editor'],
  ] as const) {
    const { secret } = await own().call('createKey', { body: { title: scope, scope, deviceId: NORTH } });
    callers.push({
      name: `${scope} key`,
      role,
      carriedBy: [],
      headers: { authorization: `Bearer ${secret}` },
      key: 'narrow',
      only: scope === 'read-device' ? 'look' : 'report',
    });
  }
  const removed = await join('A removed one', 'editor');
  const { secret: ofRemoved } = await removed.client.call('createKey', { body: { title: 'all' } });
  await own().call('removePerson', { params: { person: `person-${removed.userId}` } });
  callers.push({ name: 'removed', role: null, carriedBy: [], headers: byCookie(removed.cookie) });
  const bearer = { authorization: `Bearer ${ofRemoved}` };
  callers.push({ name: 'key of removed', role: null, carriedBy: [], headers: bearer });
  // Whoever belongs to a workspace with the role `none` may make one of their own, and owns nothing of the service by it.
  const { cookie, client: founder } = await join('A founder', 'none');
  await founder.call('createWorkspace', { body: { title: 'Their own' } });
  callers.push({ name: 'founder', role: 'owner', carriedBy: [], headers: byCookie(cookie), later: true });
  const link = await own().call('createLink', {
    body: { title: 'x', sort: 'dashboard', dashboardId: board },
  });
  callers.push({
    name: 'visitor',
    role: null,
    carriedBy: ['link'],
    headers: { authorization: `Bearer link_${link.address.split('/shared/')[1]}` },
  });
  callers.push({ name: 'device', role: null, carriedBy: [], headers: { authorization: `Bearer ${token}` } });
  callers.push({ name: 'nobody', role: null, carriedBy: [], headers: {} });
});
afterAll(() => service.stop());

const routes = Object.entries(endpoints as unknown as Record<string, Endpoint>);
const isOpen = ({ access }: Endpoint): boolean => access === 'open';

/** What the table says of a call: 401 for nobody, 403 for too little, else let through. */
function allowed({ role, carriedBy, name, key, later }: Caller, action: Action): 401 | 403 | 'through' {
  if (['nobody', 'device', 'removed', 'key of removed'].includes(name)) return 401;
  if (role !== null && mayDo(role, action)) {
    if (isOfService(action) && later) return 403;
    return key === undefined || mayByKey(action, key === 'narrow') ? 'through' : 403;
  }
  return carriedBy.some((by) => mayCarry(by, action)) ? 'through' : 403;
}

/** What a key of one device reaches of what its role allows: its device, for what it is for. Another that is there is 403. */
function reached({ only }: Caller, { method, path }: Endpoint, device: string): 403 | 'through' {
  if (only === undefined) return 'through';
  if (!path.includes(':device')) return 403;
  if (device === SOUTH) return 403;
  return device === NORTH && only === 'report' && method === 'GET' ? 403 : 'through';
}

it('holds every route against the table, for every sort of caller, with things of their own, of others and of nobody', async () => {
  const wrong: string[] = [];
  let calls = 0;
  const counts: Record<string, number> = {};
  const foreign = await newDevice(stranger.client, 'Foreign');
  for (const caller of callers)
    for (const [name, endpoint] of routes.filter(([, one]) => !isOpen(one))) {
      const { method, path, access } = endpoint;
      // What is seen, what is there and not seen, what is another workspace's, and what is nowhere. Only looked at, so that all stays.
      const devices =
        path.includes(':device') && method === 'GET' ? [NORTH, SOUTH, foreign.device.id, 'nowhere'] : [''];
      const said = new Map<string, number>();
      for (const device of devices) {
        const url = path.replace(':device', device || '999999').replace(/:\w+/g, '999999');
        const response = await fetch(service.url + url, {
          method,
          headers: { 'content-type': 'application/json', ...caller.headers },
          ...(method !== 'GET' && { body: '{}' }),
        });
        await response.arrayBuffer();
        calls++;
        const byTable = allowed(caller, access as Action);
        const expected = byTable === 'through' ? reached(caller, endpoint, device) : byTable;
        const got = response.status === 401 || response.status === 403 ? response.status : 'through';
        counts[String(got)] = (counts[String(got)] ?? 0) + 1;
        if (got !== expected || response.status >= 500)
          wrong.push(`${caller.name} ${name} ${device}: ${response.status}, not ${expected}`);
        said.set(device, response.status);
      }
      // What is not seen answers like what is not there.
      const hidden = [foreign.device.id, ...(caller.role === 'none' || caller.role === null ? [SOUTH] : [])];
      if (devices.length > 1)
        for (const device of hidden)
          if (said.get(device) !== said.get('nowhere'))
            wrong.push(
              `${caller.name} ${name}: ${device} answers ${said.get(device)}, nowhere ${said.get('nowhere')}`,
            );
    }
  process.stdout.write(
    `access: ${routes.length} routes, ${callers.length} callers, ${calls} calls: ${JSON.stringify(counts)}\n`,
  );
  expect(wrong).toEqual([]);
  expect(calls).toBeGreaterThan(2000);
});

it('has an entry for every route and every sort of live message', () => {
  for (const [name, { access }] of routes)
    expect([name, ['open', ...Object.keys(ACTIONS)]]).toEqual([name, expect.arrayContaining([access])]);
  expect(Object.keys(HEARD_BY).sort()).toEqual([
    'again',
    'alert',
    'arrival',
    'beat',
    'changed',
    'command',
    'event',
    'firstOnline',
    'has',
    'heard',
    'hello',
    'past',
    'readings',
    'watching',
  ]);
});

it('holds every MQTT topic to its device: of another one nothing is taken, heard or kept', async () => {
  const { token: south } = await own()
    .call('createToken', { params: { device: SOUTH }, body: { title: 'test' } })
    .then(({ secret }) => ({ token: secret }));
  const board = await mqttAs(service, NORTH, token);
  const other = await mqttAs(service, SOUTH, south);
  const heard: string[] = [];
  board.on('message', (topic) => heard.push(topic));
  const [foreign] = await stranger.client.call('listDevices');
  for (const device of [SOUTH, foreign?.id ?? 'foreign', 'nowhere'])
    for (const topic of ['wanted/#', 'wanted/pump', 'refused', '#', 'report/level', 'for/x/wanted/#']) {
      const granted = await board.subscribeAsync(`moor/${device}/${topic}`).catch(() => [{ qos: 128 }]);
      expect([device, topic, granted[0]?.qos ?? 128]).toEqual([device, topic, 128]);
    }
  for (const filter of [
    '#',
    '+/+/wanted/#',
    'moor/+/wanted/pump',
    '$SYS/#',
    `moor/${NORTH}/../${SOUTH}/wanted/#`,
  ]) {
    const granted = await board.subscribeAsync(filter).catch(() => [{ qos: 128 }]);
    expect([filter, granted[0]?.qos ?? 128]).toEqual([filter, 128]);
  }
  const before = (await own().call('listArrivals', { params: { device: SOUTH } })).length;
  for (const topic of ['report', 'report/level', 'applied/pump', 'raise/x', 'clear/x', 'about'])
    await board.publishAsync(`moor/${SOUTH}/${topic}`, topic === 'report' ? '{"level":-1}' : '-1', {
      qos: 1,
    });
  await own().call('createCommand', { params: { device: SOUTH }, body: { stream: 'pump', value: true } });
  await new Promise((resolve) => setTimeout(resolve, 500));
  expect(heard.filter((topic) => topic.startsWith(`moor/${SOUTH}/`))).toEqual([]);
  expect((await own().call('listArrivals', { params: { device: SOUTH } })).length).toBe(before);
  const device = await own().call('readDevice', { params: { device: SOUTH } });
  expect(device.newest.some(({ value }) => value === -1)).toBe(false);
  await Promise.all([board.endAsync(true), other.endAsync(true)]);
});

/** Opens the live channel; gathers what is heard. */
async function listen(cookie: string): Promise<{ heard: LiveMessage[]; socket: WebSocket }> {
  const socket = new WebSocket(`${service.url.replace('http', 'ws')}/api/live`, { headers: { cookie } });
  const heard: LiveMessage[] = [];
  socket.on('message', (data: Buffer) => heard.push(JSON.parse(data.toString()) as LiveMessage));
  socket.on('open', () => socket.send(JSON.stringify({ type: 'watch', devices: 'all', arrivals: 'all' })));
  await until(() => heard.some(({ type }) => type === 'watching'));
  return { heard, socket };
}

it('a helper steers the one device that is granted, sees nothing else, and hears nothing else', async () => {
  const { client, cookie, userId } = await join('Helper', 'none');
  expect(await client.call('listDevices').catch((error: Error) => error.message)).toMatch(
    /needs the role viewer/,
  );
  const made = await grant(userId, 'operator', 'device', NORTH);
  expect(made).toMatchObject({ name: 'Helper', title: 'Dipwell North', target: NORTH });
  expect((await client.call('listDevices')).map(({ id }) => id)).toEqual([NORTH]);
  expect(
    (await client.call('overview', { query: { hours: 24 } })).lines.every(({ device }) => device === NORTH),
  ).toBe(true);
  expect((await client.call('listKinds')).map(({ devices }) => devices)).toEqual([1]);
  const page = await listen(cookie);
  const command = await client.call('createCommand', {
    params: { device: NORTH },
    body: { stream: 'pump', value: true },
  });
  expect((await client.call('readCommand', { params: { command: command.id } })).by).toBe('Helper');
  await expect(
    client.call('createCommand', { params: { device: SOUTH }, body: { stream: 'pump', value: true } }),
  ).rejects.toThrow(/device/);
  const theirs = await own().call('createCommand', {
    params: { device: SOUTH },
    body: { stream: 'pump', value: true },
  });
  await expect(client.call('readCommand', { params: { command: theirs.id } })).rejects.toThrow(/command/);
  await post(service, token, { level: -99 });
  await until(() => page.heard.some(({ type }) => type === 'readings'));
  const commands = page.heard.flatMap((one) => (one.type === 'command' ? one.command.deviceId : []));
  expect(new Set(commands)).toEqual(new Set([NORTH]));
  expect(page.heard.some(({ type }) => ['arrival', 'event', 'alert', 'firstOnline'].includes(type))).toBe(
    false,
  );
  // Taken back: nothing is left, on the open page either.
  await own().call('deleteGrant', { params: { grant: made.id } });
  await expect(client.call('listDevices')).rejects.toThrow(/needs the role viewer/);
  const before = page.heard.length;
  await new Promise((resolve) => setTimeout(resolve, 800));
  const sent = page.heard.length;
  await post(service, token, { level: -98 });
  await new Promise((resolve) => setTimeout(resolve, 800));
  expect(page.heard.slice(sent).filter(({ type }) => type === 'readings')).toEqual([]);
  expect(before).toBeGreaterThan(0);
  page.socket.terminate();
});

it('a grant on a dashboard carries exactly what it shows, and steers what its controls steer', async () => {
  const { client, userId } = await join('Warden of one', 'none');
  await grant(userId, 'operator', 'dashboard', String(board));
  expect((await client.call('listDashboards')).map(({ id }) => id)).toEqual([board]);
  const [device] = await client.call('listDevices');
  expect(device!.newest.map(({ key }) => key)).toEqual(['level']);
  expect((await client.call('listKinds'))[0]!.streams.map(({ key }) => key)).toEqual(['level', 'pump']);
  await client.call('createCommand', { params: { device: NORTH }, body: { stream: 'pump', value: false } });
  await expect(
    client.call('createCommand', { params: { device: NORTH }, body: { stream: 'mode', value: true } }),
  ).rejects.toThrow(/mode/);
  await expect(client.call('readDashboard', { params: { dashboard: board + 1 } })).rejects.toThrow(
    /dashboard/,
  );
});

it('a grant on a label follows the label; a viewer who may steer one thing sees all and steers that', async () => {
  const { client, userId } = await join('Of the south', 'viewer');
  await grant(userId, 'operator', 'label', 'south');
  await client.call('createCommand', { params: { device: SOUTH }, body: { stream: 'pump', value: true } });
  await expect(
    client.call('createCommand', { params: { device: NORTH }, body: { stream: 'pump', value: true } }),
  ).rejects.toThrow(/look at "Pump", and not steer it/);
  expect((await client.call('listDevices')).map(({ id }) => id)).toEqual([NORTH, SOUTH]);
  await own().call('changeDevice', { params: { device: SOUTH }, body: { labels: [] } });
  await expect(
    client.call('createCommand', { params: { device: SOUTH }, body: { stream: 'pump', value: true } }),
  ).rejects.toThrow(/not steer it/);
});

it('what is granted stands in the own workspace of who it is granted to, and nothing else of the other', async () => {
  const { client, userId } = await join('With a moss of their own', 'none');
  const there = await client.call('me');
  expect(await client.call('listGranted')).toEqual([]);
  await client.call('createWorkspace', { body: { title: 'A moss of my own' } });
  // Belonging alone grants nothing.
  expect(await client.call('listGranted')).toEqual([]);
  await grant(userId, 'viewer', 'dashboard', String(board));
  const [granted, ...others] = await client.call('listGranted');
  expect(others).toEqual([]);
  expect(granted).toMatchObject({
    workspace: { id: there.workspace.id, title: there.workspace.title },
    dashboards: [{ id: board }],
    more: false,
  });
  const shown = granted!.devices.map(({ id, values }) => [id, values.map(({ stream }) => stream.key)]);
  expect(shown).toEqual([[NORTH, ['level']]]);
  // An access key is for one workspace.
  const { secret } = await client.call('createKey', { body: { title: 'mine' } });
  const keyed = createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${secret}` } });
  expect(await keyed.call('listGranted')).toEqual([]);
  await client.call('chooseWorkspace', { body: { id: there.workspace.id } });
  expect(await client.call('listGranted')).toEqual([]);
});

it('grants what is there to whom belongs there, and is seen to by owners alone', async () => {
  const { user } = await stranger.client.call('me');
  await expect(grant(user.id, 'viewer', 'device', NORTH)).rejects.toThrow(/not a person of this workspace/);
  const { userId, client } = await join('Plain', 'none');
  await expect(grant(userId, 'viewer', 'device', 'nowhere')).rejects.toThrow(
    /not a device of this workspace/,
  );
  await expect(grant(userId, 'viewer', 'dashboard', '999999')).rejects.toThrow(/not a dashboard/);
  await expect(
    client.call('createGrant', { body: { userId, role: 'operator', sort: 'device', target: NORTH } }),
  ).rejects.toThrow(/needs the role owner/);
  const first = await grant(userId, 'viewer', 'device', NORTH);
  const second = await grant(userId, 'operator', 'device', NORTH);
  const mine = (await own().call('listGrants')).filter((one) => one.userId === userId);
  expect(mine.map(({ id, role }) => [id, role])).toEqual([[second.id, 'operator']]);
  for (let n = 0; n < 49; n++) await grant(userId, 'viewer', 'label', `label ${n}`);
  await expect(grant(userId, 'viewer', 'label', 'one more')).rejects.toThrow(
    /one grant too many for one person/,
  );
  await expect(own().call('deleteGrant', { params: { grant: first.id } })).rejects.toThrow(/grant/);
  await expect(stranger.client.call('deleteGrant', { params: { grant: second.id } })).rejects.toThrow(
    /grant/,
  );
});
