import { createConnection, type Connection } from 'mariadb';
import { pino } from 'pino';
import { startClearing } from '../src/history/deleting';
import { clearOrphans, findOrphans } from '../src/history/orphans';
import { openStore } from '../src/store/store';
import {
  databaseOf,
  mqttAs,
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

const log = pino({ level: 'silent' });
let service: TestService;
let connection: Connection;

beforeAll(async () => {
  service = await startService();
  connection = await createConnection({ ...databaseOf(service), bigIntAsNumber: true });
});
afterAll(async () => {
  await connection.end();
  await service.stop();
});

/** A person with a device to which everything has happened that leaves rows behind. */
async function withAll(
  name: string,
): Promise<{ person: Person; device: string; kindId: number; token: string }> {
  const person = await newPerson(service, name);
  const { client } = person;
  const { user } = await client.call('me');
  const { device, token } = await newDevice(client, `${name} well`);
  const params = { device: device.id };
  await client.call('createRule', {
    body: {
      title: 'High',
      deviceId: device.id,
      stream: 'level',
      comparison: 'above',
      limit: 0,
      people: [user.id],
    },
  });
  await client.call('createRule', {
    body: { title: 'Of the kind', kindId: device.kindId, stream: 'level', comparison: 'above', limit: 100 },
  });
  await client.call('createCommand', { params, body: { stream: 'pump', value: true } });
  await client.call('createNote', { params, body: { text: 'sensor cleaned' } });
  await client
    .call('createCalibration', {
      params,
      body: { stream: 'level', from: null, calibration: { form: 'shift', by: 2 }, captured: null } as never,
    })
    .catch(() => undefined);
  const until1 = Date.now() + 3_600_000;
  await client.call('mute', { body: { sort: 'device', target: device.id, until: until1, reason: '' } });
  await client.call('mute', {
    body: { sort: 'kind', target: String(device.kindId), until: until1, reason: '' },
  });
  await client.call('createKey', { body: { title: 'one', scope: 'read-device', deviceId: device.id } });
  await client.call('createWebhook', { body: { title: 'Bell', url: 'http://127.0.0.1:9/in' } });
  await client
    .call('createLink', { body: { title: 'x', sort: 'device', deviceId: device.id } as never })
    .catch(() => undefined);
  for (let n = 0; n < 5; n++) await post(service, token, { level: 150 + n, temperature: 'cold' });
  await until(async () => (await client.call('listEvents')).length === 2, 'two events');
  await until(async () => {
    const rows = (await connection.query('SELECT COUNT(*) AS count FROM alerts WHERE workspaceId = ?', [
      (await client.call('me')).workspace.id,
    ])) as { count: number }[];
    return rows[0]!.count > 0;
  }, 'an alert');
  return { person, device: device.id, kindId: device.kindId, token };
}

/** Arrivals are written some seconds later, or before somebody reads a list of them. */
const writeLate = async (): Promise<void> => {
  const { client } = await newPerson(service, 'Reader');
  await client.call('listAllArrivals');
};

/** Nothing without an owner, also of what is written some time later. */
const noOrphans = () =>
  until(async () => {
    const waiting = (await connection.query('SELECT COUNT(*) AS count FROM leftovers')) as {
      count: number;
    }[];
    return waiting[0]!.count === 0;
  }, 'the end of clearing').then(async () => expect(await findOrphans(connection)).toEqual([]));

it('a deleted device leaves no row, also of what is written late, and is answered 401 at once', async () => {
  const { person, device, token } = await withAll('Device');
  const board = await mqttAs(service, device, token);
  const closed = new Promise((resolve) => board.once('close', () => resolve(null)));
  await post(service, token, { level: 1 });
  await person.client.call('deleteDevice', { params: { device } });
  expect((await post(service, token, { level: 1 })).status).toBe(401);
  await closed;
  await writeLate();
  await noOrphans();
  const mutes = (await connection.query(
    "SELECT target FROM mutes WHERE target = 'device-well'",
  )) as unknown[];
  expect(mutes).toEqual([]);
});

it('a deleted datastream, rule and kind leave no row', async () => {
  const { person, device, kindId } = await withAll('Kind');
  const { client } = person;
  await client.call('deleteStream', { params: { kind: kindId, stream: 'temperature' } });
  for (const { id } of await client.call('listRules'))
    await client.call('deleteRule', { params: { rule: id } });
  await noOrphans();
  await client.call('deleteDevice', { params: { device } });
  await client.call('deleteKind', { params: { kind: kindId } });
  await noOrphans();
  expect(await client.call('listMutes')).toEqual([]);
});

it('after an account and its workspace are deleted its boards are refused at once, no rule opens, and no row stays', async () => {
  await newPerson(service, 'Another');
  const { person, device, token } = await withAll('Account');
  const { workspace } = await person.client.call('me');
  const board = await mqttAs(service, device, token);
  const closed = new Promise((resolve) => board.once('close', () => resolve(null)));
  await person.client.call('deleteAccount', { body: { password: person.password, withWorkspaces: true } });
  const { status, answer } = await post(service, token, { level: 500 });
  expect([status, answer.refused[0]?.reason]).toEqual([401, 'bad-token']);
  await closed;
  await writeLate();
  const events = (await connection.query('SELECT id FROM events WHERE workspaceId = ?', [
    workspace.id,
  ])) as unknown[];
  expect(events).toEqual([]);
  await noOrphans();
});

it('finds what an older version left, and removes it', async () => {
  await connection.query(
    "INSERT INTO alertTries (workspaceId, alertId, at, sent, outcome) VALUES (1, 4000000000, 1, 0, '+44 7700 900123')",
  );
  await connection.query(
    "INSERT INTO arrivals (workspaceId, deviceRowId, receivedAt, body, form, refused) VALUES (1, 4000000001, 1, '{}', '', 0)",
  );
  expect(await findOrphans(connection)).toEqual([
    'arrivals.deviceRowId: 4000000001',
    'alertTries.alertId: 4000000000',
  ]);
  const store = await openStore(databaseOf(service), log);
  await clearOrphans(store, () => false);
  const clearing = startClearing(store, log);
  await clearing.settled();
  await clearing.stop();
  await store.close();
  expect(await findOrphans(connection)).toEqual([]);
});
