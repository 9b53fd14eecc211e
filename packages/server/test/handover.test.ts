import { createClient, type Client } from '@peatmoor/contract';
import mysql from 'mariadb';
import {
  databaseOf,
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
let giver: Person;
let taker: Person;
let token: string;
const NORTH = 'dipwell-north';
const offer = async (who: Client, device = NORTH, keepsTokens = true): Promise<string> =>
  (await who.call('offerDevice', { params: { device }, body: { keepsTokens } })).link.split('#')[1]!;

beforeAll(async () => {
  service = await startService();
  giver = await newPerson(service, 'Giver');
  taker = await newPerson(service, 'Taker');
  ({ token } = await newDevice(giver.client));
  await giver.client.call('createCalibration', {
    params: { device: NORTH },
    body: { stream: 'level', calibration: { form: 'linear', scale: 1, offset: 10 }, from: null },
  });
  await giver.client.call('createRule', {
    body: { title: 'High', deviceId: NORTH, stream: 'level', comparison: 'above', limit: -50 },
  });
  await giver.client.call('createLink', { body: { title: 'x', sort: 'device', deviceId: NORTH } });
  await giver.client.call('createNote', {
    params: { device: NORTH },
    body: { at: Date.now(), text: 'cleaned' },
  });
  await post(service, token, [
    { at: Date.now() - 60_000, level: -300 },
    { at: Date.now() - 30_000, level: -40 },
  ]);
  await until(async () => (await giver.client.call('listEvents')).length > 0, 'an event');
});
afterAll(() => service.stop());

it('goes with its history, kind and token; the old side keeps nothing of it', async () => {
  const board = await mqttAs(service, NORTH, token);
  let ended = false;
  board.on('close', () => (ended = true));
  const secret = await offer(giver.client);
  expect(await taker.client.call('readOffer', { body: { secret } })).toEqual({
    deviceId: NORTH,
    name: 'Dipwell North',
    kind: 'Dipwell North kind',
    from: "Giver's moss",
    madeBy: 'Giver',
    keepsTokens: true,
    readings: 2,
  });
  await expect(giver.client.call('takeDevice', { body: { secret } })).rejects.toThrow(
    /in this workspace already/,
  );
  const tries = await Promise.allSettled(
    [1, 2, 3].map(() => taker.client.call('takeDevice', { body: { secret } })),
  );
  expect(tries.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
  expect((await readingsOf(taker.client, NORTH, 'level')).map(([, value]) => value)).toEqual([-290, -30]);
  expect(
    (await taker.client.call('listNotes', { params: { device: NORTH } })).map(({ text }) => text),
  ).toEqual(['cleaned']);
  // The board goes on with its token, on the other side alone.
  await until(() => ended, 'the old session to end');
  expect((await post(service, token, { level: -20 })).answer.accepted).toBe(1);
  await until(async () => (await readingsOf(taker.client, NORTH, 'level')).length === 3);
  expect(await giver.client.call('listDevices')).toEqual([]);
  for (const [list, what] of [
    [await giver.client.call('listEvents'), 'events'],
    [await giver.client.call('listRules'), 'rules'],
    [await giver.client.call('listLinks'), 'links'],
    [await giver.client.call('listAllArrivals'), 'arrivals'],
    [await taker.client.call('listEvents'), 'events there'],
  ] as const)
    expect([what, list]).toEqual([what, []]);
  for (const who of [giver, taker])
    expect((await who.client.call('listChanges', { query: { what: 'device' } }))[0]!.act).toBe('took over');
  // Nothing in the database still says that it is of the old one.
  const connection = await mysql.createConnection(databaseOf(service));
  const { workspace } = await giver.client.call('me');
  for (const table of [
    'series',
    'deviceTokens',
    'calibrations',
    'notes',
    'events',
    'commands',
    'arrivals',
    'devices',
  ]) {
    const [row] = (await connection.query(`SELECT COUNT(*) AS count FROM ${table} WHERE workspaceId = ?`, [
      workspace.id,
    ])) as { count: bigint }[];
    expect([table, Number(row!.count)]).toEqual([table, 0]);
  }
  await connection.end();
});

it('comes back with a new token to the kind that is there, and not where its name is taken', async () => {
  const secret = await offer(taker.client, NORTH, false);
  await newDevice(giver.client);
  await expect(giver.client.call('takeDevice', { body: { secret } })).rejects.toThrow(
    /a device "dipwell-north" is in this workspace/,
  );
  await giver.client.call('deleteDevice', { params: { device: NORTH } });
  const { token: fresh } = await giver.client.call('takeDevice', { body: { secret } });
  expect((await post(service, token, { level: -10 })).status).toBe(401);
  expect((await post(service, fresh!, { level: -10 })).answer.accepted).toBe(1);
  const { kindId } = await giver.client.call('readDevice', { params: { device: NORTH } });
  const kinds = (await giver.client.call('listKinds')).filter(({ title }) => title === 'Dipwell North kind');
  expect(kinds.map(({ id }) => id)).toContain(kindId);
  expect(await giver.client.call('readKind', { params: { kind: kindId } })).toMatchObject({ devices: 1 });
});

it('is offered by owners, withdrawn, and once', async () => {
  const first = await offer(giver.client);
  const second = await offer(giver.client);
  await expect(taker.client.call('readOffer', { body: { secret: first } })).rejects.toThrow(
    /was taken, withdrawn/,
  );
  await giver.client.call('withdrawOffer', { params: { device: NORTH } });
  await expect(taker.client.call('takeDevice', { body: { secret: second } })).rejects.toThrow(
    /was taken, withdrawn/,
  );
  await expect(taker.client.call('offerDevice', { params: { device: NORTH }, body: {} })).rejects.toThrow(
    /device/,
  );
});

it('is steered by nothing of the workspace it left: its rules, timetables, keys and grants', async () => {
  const { client } = giver;
  const { token: southToken } = await newDevice(client, 'Dipwell South');
  await client.call('createRule', {
    body: {
      title: 'South is wet',
      deviceId: 'dipwell-south',
      stream: 'level',
      comparison: 'above',
      limit: -50,
      actions: [{ on: 'opened', deviceId: NORTH, stream: 'pump', value: 'on' }],
    },
  });
  await client.call('createTimetable', {
    params: { device: NORTH },
    body: {
      title: 'Mornings',
      stream: 'pump',
      times: [{ days: [1, 2, 3, 4, 5, 6, 7], base: 'clock', minutes: 480, value: 'on' }],
    },
  });
  const key = await client.call('createKey', {
    body: { title: 'of North alone', deviceId: NORTH, scope: 'report-device' },
  });
  await taker.client.call('takeDevice', { body: { secret: await offer(client) } });
  await post(service, southToken, { level: -10 });
  await until(async () => (await client.call('listEvents')).length > 0, 'the event of the old rule');
  await new Promise((resolve) => setTimeout(resolve, 500));
  expect(await taker.client.call('listCommands', { params: { device: NORTH } })).toEqual([]);
  expect(await taker.client.call('listTimetables', { params: { device: NORTH } })).toEqual([]);
  const keyed = createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${key.secret}` } });
  const pump = { params: { device: NORTH }, body: { stream: 'pump', value: true } };
  const values = { params: { device: NORTH }, body: { values: { level: -5 } } };
  await expect(keyed.call('reportByHand', values as never)).rejects.toThrow();
  await expect(keyed.call('readDevice', { params: { device: NORTH } })).rejects.toThrow();
  await expect(client.call('createCommand', pump)).rejects.toThrow(/device/);
  expect(await taker.client.call('listCommands', { params: { device: NORTH } })).toEqual([]);
});

it('comes with its kind under a name of its own where another kind has that name', async () => {
  await giver.client.call('createDevice', {
    body: {
      name: 'Spare',
      id: 'spare',
      newKind: { title: 'Spare', streams: [{ key: 'level', title: 'Level', type: 'number' }] },
    },
  });
  await taker.client.call('createKind', { body: { title: 'spare' } });
  await taker.client.call('takeDevice', { body: { secret: await offer(giver.client, 'spare') } });
  expect((await taker.client.call('readDevice', { params: { device: 'spare' } })).kindTitle).toBe('Spare 2');
});
