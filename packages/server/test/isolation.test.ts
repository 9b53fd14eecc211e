import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import {
  ApiError,
  endpoints,
  LIVE_PATH,
  type WatchMessage,
  ROLES,
  roleIncludes,
  type EndpointName,
  type LiveMessage,
  type Role,
} from '@peatmoor/contract';
import { WebSocket } from 'ws';
import {
  DIPWELL,
  mqttAs,
  newDevice,
  newPerson,
  post,
  readingsOf,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let owner: Person;
let stranger: Person;
let token: string;
let kindId: number;
let mine: Record<string, string>;
const id = 'dipwell-north';

beforeAll(async () => {
  service = await startService();
  owner = await newPerson(service, 'Warden');
  stranger = await newPerson(service, 'Stranger');
  const made = await newDevice(owner.client);
  token = made.token;
  kindId = made.device.kindId;
  await post(service, token, { level: -121 });
  const rule = await owner.client.call('createRule', {
    body: { title: 'High', deviceId: id, stream: 'level', comparison: 'above', limit: -100 },
  });
  await post(service, token, { level: -50 });
  const [event] = await until(async () => {
    const events = await owner.client.call('listEvents');
    return events.length > 0 && events;
  });
  const dashboard = await owner.client.call('createStarterDashboard', { params: { device: id } });
  const command = await owner.client.call('createCommand', {
    params: { device: id },
    body: { stream: 'pump', value: true },
  });
  const key = await owner.client.call('createKey', { body: { title: 'mine' } });
  const { kept } = await owner.client.call('createCalibration', {
    params: { device: id },
    body: { stream: 'level', calibration: { form: 'linear', scale: 1, offset: 0 } },
  });
  const claim = await owner.client.call('createClaim', { params: { kind: kindId }, body: {} });
  const timetable = await owner.client.call('createTimetable', {
    params: { device: id },
    body: TIMETABLE,
  });
  const note = await owner.client.call('createNote', { params: { device: id }, body: { text: 'Mine' } });
  const [tokenRow] = await owner.client.call('listTokens', { params: { device: id } });
  mine = {
    device: id,
    kind: String(kindId),
    stream: 'level',
    rule: String(rule.id),
    event: String(event!.id),
    dashboard: String(dashboard.id),
    command: String(command.id),
    key: String(key.id),
    token: String(tokenRow!.id),
    calibration: String(kept!.id),
    claim: String(claim.id),
    timetable: String(timetable.id),
    note: String(note.id),
    person: `person-${(await owner.client.call('me')).user.id}`,
  };
});
afterAll(() => service.stop());

const TIMETABLE = {
  title: 'Night',
  stream: 'pump',
  times: [{ days: [1], base: 'clock' as const, minutes: 60, value: 'on' }],
};
const bodies: Partial<Record<EndpointName, unknown>> = {
  createRound: { version: '1.0.0' },
  changeKind: { title: 'Taken' },
  createStream: { key: 'foreign', title: 'Foreign', type: 'number' },
  changeStream: { key: 'level', title: 'Taken', type: 'number' },
  changeDevice: { name: 'Taken' },
  createToken: {},
  changePerson: { role: 'viewer' },
  reportByHand: { values: { level: 1 } },
  createCommand: { stream: 'pump', value: false },
  overrideInterlocks: { stream: 'pump' },
  copyKind: { title: 'Taken' },
  moveDevices: { devices: [id] },
  importRows: { csv: `at,level\n${Date.now()},1\n` },
  deleteReadings: { stream: 'level' },
  createCalibration: { stream: 'level', calibration: { form: 'linear', scale: 1, offset: 1 } },
  reopenClaim: { device: id },
  tryComputation: {
    stream: { key: 'made', title: 'Made', type: 'number', computation: { form: 'change', of: 'level' } },
  },
  createTimetable: TIMETABLE,
  changeTimetable: TIMETABLE,
  createNote: { text: 'Taken' },
  commentEvent: { text: 'Taken' },
  commentAlertLink: { text: 'Taken' },
  changeDashboard: { version: 1, title: 'Taken', widgets: [] },
};
const period = `from=1&to=${Date.now()}`;
const query: Partial<Record<EndpointName, string>> = {
  history: `?streams=level&${period}`,
  calendar: `?stream=level&step=year&${period}`,
  statistics: `?stream=level&${period}`,
  listOthers: `?stream=note`,
};

describe('a second account', () => {
  const named = (Object.keys(endpoints) as EndpointName[]).filter((name) =>
    endpoints[name].path.includes(':'),
  );

  it.each(named)('is told by %s that nothing of the first is there, as of what never was', async (name) => {
    const { method, path: pattern } = endpoints[name];
    const rule = { title: 'Taken', deviceId: id, stream: 'level', comparison: 'above', limit: 1 };
    const body = name === 'changeRule' ? rule : bodies[name];
    const ask = async (params: Record<string, string>): Promise<{ status: number; detail: string }> => {
      const url =
        service.url + pattern.replace(/:(\w+)/g, (_, param: string) => params[param]!) + (query[name] ?? '');
      const response = await fetch(url, {
        method,
        headers: { cookie: stranger.cookie(), origin: service.url, 'content-type': 'application/json' },
        ...(body !== undefined && { body: JSON.stringify(body) }),
      });
      const { detail } = (await response.json()) as { detail: string };
      return { status: response.status, detail: detail.replace(/"[^"]*"/, '""') };
    };
    const never = Object.fromEntries(
      Object.entries(mine).map(([param, value]) => [param, /^\d+$/.test(value) ? '999999' : 'no-such-thing']),
    );
    const answer = await ask(mine);
    expect(answer.status).toBe(404);
    expect(answer).toEqual(await ask(never));
  });

  it('sees empty lists, and cannot build on what is not its own', async () => {
    for (const name of [
      'listKinds',
      'listDevices',
      'listDashboards',
      'listRules',
      'listEvents',
      'listKeys',
    ] as const)
      expect(await stranger.client.call(name)).toEqual([]);
    expect((await stranger.client.call('overview')).lines).toEqual([]);
    const calls = [
      stranger.client.call('createDevice', { body: { name: 'Guest', kindId } }),
      stranger.client.call('createDashboard', { body: { title: 'Guest', kindId } }),
      stranger.client.call('createRule', {
        body: { title: 'Guest', kindId, stream: 'level', comparison: 'above', limit: 1 },
      }),
      stranger.client.call('createRule', {
        body: { title: 'Guest', deviceId: id, stream: 'level', comparison: 'above', limit: 1 },
      }),
    ];
    await Promise.all(calls.map((call) => expect(call).rejects.toThrow(ApiError)));
  });

  it('may use the same device ID without learning that it exists, and stays apart from it over MQTT', async () => {
    const theirs = await stranger.client.call('createDevice', {
      body: { name: 'Dipwell North', id, newKind: DIPWELL },
    });
    expect(theirs.device.id).toBe(id);
    const before = await readingsOf(owner.client, id, 'level');
    const spy = await mqttAs(service, id, theirs.token);
    const heard: string[] = [];
    spy.on('message', (topic) => heard.push(topic));
    await spy.subscribeAsync(`moor/${id}/wanted/#`, { qos: 1 });
    await spy.subscribeAsync(`moor/${id}/refused`);
    await spy.publishAsync(`moor/${id}/report/level`, '-7', { qos: 1 });
    await until(() => heard.length > 0);
    const board = await mqttAs(service, id, token);
    await board.subscribeAsync(`moor/${id}/wanted/#`, { qos: 1 });
    await owner.client.call('createCommand', {
      params: { device: id },
      body: { stream: 'pump', value: false },
    });
    await board.publishAsync(`moor/${id}/report`, 'nonsense', { qos: 1 });
    await new Promise((resolve) => setTimeout(resolve, 200));
    expect(heard).toEqual([`moor/${id}/wanted/interval`]);
    expect(await readingsOf(owner.client, id, 'level')).toEqual(before);
    await Promise.all([spy.endAsync(true), board.endAsync(true)]);
  });

  it('hears nothing of the first on the live channel; a stranger without a session gets none at all', async () => {
    const open = (cookie: string) =>
      new WebSocket(service.url.replace('http', 'ws') + LIVE_PATH, { headers: { cookie } });
    const heard: Record<'owner' | 'stranger', LiveMessage['type'][]> = { owner: [], stranger: [] };
    const sockets = [open(owner.cookie()), open(stranger.cookie())];
    sockets.forEach((socket, i) =>
      socket.on('message', (data: Buffer) =>
        heard[i === 0 ? 'owner' : 'stranger'].push((JSON.parse(data.toString()) as LiveMessage).type),
      ),
    );
    await until(() => heard.owner.includes('hello') && heard.stranger.includes('hello'));
    // The stranger asks for all, and for the device of the first by its name.
    sockets[0]!.send(
      JSON.stringify({ type: 'watch', devices: [id], arrivals: 'all' } satisfies WatchMessage),
    );
    sockets[1]!.send(
      JSON.stringify({ type: 'watch', devices: [id], arrivals: 'all' } satisfies WatchMessage),
    );
    await until(() => heard.owner.includes('watching') && heard.stranger.includes('watching'));
    // It has a device of that name too, and hears of that one.
    heard.stranger.length = 0;
    await post(service, token, { level: -130 });
    await until(() => heard.owner.includes('readings') && heard.owner.includes('arrival'));
    // But that the channel lives.
    expect(heard.stranger.filter((type) => type !== 'beat')).toEqual([]);
    for (const socket of sockets) socket.terminate();
    const refused = open('peatmoor_session=guess');
    await expect(
      new Promise((resolve, reject) => refused.on('open', resolve).on('error', reject)),
    ).rejects.toThrow('401');
  });

  it('learns of a pasted token of the first only that no device of its own has it', async () => {
    expect(await stranger.client.call('whoseToken', { body: { text: token } })).toMatchObject({
      state: 'unknown',
      deviceId: null,
      deviceName: null,
    });
  });
});

it.each(ROLES)(
  'a %s may do what the role includes, and is told the role that is needed',
  async (role: Role) => {
    const person = await newPerson(service, `Role${role}`);
    const made = await newDevice(person.client, 'Roled');
    const { workspace } = await person.client.call('me');
    const password = fs.readFileSync(path.join(service.dataFolder, 'database-password'), 'utf8');
    const sql = `UPDATE memberships SET role = '${role}' WHERE workspaceId = ${workspace.id}`;
    execFileSync('mariadb', [
      '--no-defaults',
      `--socket=${path.join(service.dataFolder, 'mariadb.sock')}`,
      '-upeatmoor',
      `-p${password}`,
      'peatmoor',
      '-e',
      sql,
    ]);
    const outcome = (call: Promise<unknown>) =>
      call.then(
        () => true,
        (error: ApiError) =>
          error.problem.status === 403
            ? error.message.includes('needs the role') && false
            : Promise.reject(error),
      );
    expect(await outcome(person.client.call('listDevices'))).toBe(roleIncludes(role, 'viewer'));
    expect(
      await outcome(
        person.client.call('createCommand', {
          params: { device: made.device.id },
          body: { stream: 'pump', value: true },
        }),
      ),
    ).toBe(roleIncludes(role, 'operator'));
    expect(
      await outcome(
        person.client.call('changeDevice', { params: { device: made.device.id }, body: { name: 'New' } }),
      ),
    ).toBe(roleIncludes(role, 'editor'));
  },
);
