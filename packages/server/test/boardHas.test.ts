import { createConnection } from 'mariadb';
import { WebSocket } from 'ws';
import { LIVE_PATH, type LiveMessage } from '@peatmoor/contract';
import {
  databaseOf,
  mqttAs,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

jest.setTimeout(120_000);

// What a board has of its controls is what it says, and a device is online by what was heard of it.
let service: TestService;
let person: Person;
let key: string;
let token: string;
const device = 'mill-pump';
const params = { device };

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  const { client } = person;
  const made = await client.call('createDevice', {
    body: {
      name: 'Mill pump',
      newKind: {
        title: 'Pump house',
        intervalS: 5,
        streams: [
          { key: 'level', title: 'Level', type: 'number', unit: 'mm', min: -500, max: 150 },
          { key: 'pump', title: 'Pump', type: 'boolean', direction: 'control' },
          { key: 'sign', title: 'Sign', type: 'text', direction: 'control' },
          { key: 'horn', title: 'Horn', type: 'boolean', direction: 'control', holds: 'momentary' },
        ],
      },
    },
  });
  ({ token } = made);
  key = (await client.call('createKey', { body: { title: 'pages' } })).secret;
});
afterAll(() => service?.stop());

const has = async () => (await person.client.call('readDevice', { params })).has;
const want = (stream: string, value: boolean | string) =>
  person.client.call('createCommand', { params, body: { stream, value } });

/** A page that shows the device; gives what it was told. */
async function page(): Promise<{ told: LiveMessage[]; close(): void }> {
  const socket = new WebSocket(service.url.replace('http', 'ws') + LIVE_PATH, {
    headers: { authorization: `Bearer ${key}` },
  });
  const told: LiveMessage[] = [];
  socket.on('message', (data: Buffer) => told.push(JSON.parse(data.toString()) as LiveMessage));
  await new Promise((resolve) => socket.once('open', resolve));
  socket.send(JSON.stringify({ type: 'watch', devices: [device], arrivals: [] }));
  await until(() => Promise.resolve(told.some(({ type }) => type === 'watching')), 'it watches');
  return { told, close: () => socket.terminate() };
}

it('is not known until the board says it, and then what it says: unasked, refused, applied', async () => {
  expect(await has()).toEqual([]);
  const { told, close } = await page();
  const board = await mqttAs(service, device, token);
  const say = (name: string, value: string) =>
    board.publishAsync(`moor/${device}/applied/${name}`, value, { qos: 1 });
  // Somebody pressed its own button.
  await say('pump', '1');
  expect(await has()).toEqual([{ key: 'pump', at: expect.any(Number), value: 1 }]);
  await until(
    () => Promise.resolve(told.some((one) => one.type === 'has' && one.value === 1)),
    'pages hear it',
  );
  // Off is wanted, and it says that it stays on.
  await board.subscribeAsync(`moor/${device}/wanted/#`, { qos: 1 });
  await want('pump', false);
  await until(
    async () => (await person.client.call('listCommands', { params }))[0]?.state === 'sent',
    'it was told',
  );
  await say('pump', '1');
  expect((await person.client.call('listCommands', { params }))[0]).toMatchObject({
    state: 'refused',
    note: 'the board has on instead',
  });
  expect(await has()).toMatchObject([{ key: 'pump', value: 1 }]);
  await want('pump', false);
  await until(
    async () => (await person.client.call('listCommands', { params }))[0]?.state === 'sent',
    'it was told again',
  );
  // An empty answer means the value that was asked for.
  await say('pump', '');
  expect(await has()).toMatchObject([{ key: 'pump', value: 0 }]);
  await say('sign', 'closed');
  // A press stays nothing; what is no value of the control changes nothing.
  await say('horn', '1');
  await say('pump', 'perhaps');
  expect(await has()).toMatchObject([
    { key: 'pump', value: 0 },
    { key: 'sign', value: 'closed' },
  ]);
  // Another service of the cluster wrote meanwhile: what is said again within seconds still counts.
  const connection = await createConnection(databaseOf(service));
  await connection.query('UPDATE boardHas SET value = 1 WHERE textValue IS NULL');
  await say('pump', '0');
  expect(await has()).toMatchObject([{ key: 'pump', value: 0 }, {}]);
  // And what is said twice changes nothing, not even its time.
  const { at } = (await has())[0]!;
  await say('pump', '0');
  expect((await has())[0]!.at).toBe(at);
  await connection.end();
  await board.endAsync(true);
  close();
});

it('goes with its datastream, and is no other workspace’s', async () => {
  const stranger = await newPerson(service);
  await expect(stranger.client.call('readDevice', { params })).rejects.toMatchObject({
    problem: { status: 404 },
  });
  const kind = (await person.client.call('readDevice', { params })).kindId;
  await person.client.call('deleteStream', { params: { kind, stream: 'sign' } });
  expect(await has()).toMatchObject([{ key: 'pump', value: 0 }]);
});

it('a page that asks is told when the device was heard, and that it was, whatever it said', async () => {
  await post(service, token, { level: -100 });
  const { lastSeenAt } = await person.client.call('readDevice', { params });
  await new Promise((resolve) => setTimeout(resolve, 700));
  const { told, close } = await page();
  // The page's own question is no news of the board.
  expect(told.find(({ type }) => type === 'readings')).toMatchObject({ device, heard: lastSeenAt });
  const asked = await fetch(`${service.url}/device/wanted`, {
    headers: { authorization: `Bearer ${token}` },
  });
  expect(asked.status).toBe(200);
  const heard = await until(() => Promise.resolve(told.find(({ type }) => type === 'heard')), 'it is told');
  expect(heard).toMatchObject({ device });
  expect((heard as { at: number }).at).toBeGreaterThan(lastSeenAt! + 500);
  await post(service, token, { level: -101 });
  await until(
    () =>
      Promise.resolve(
        told.some((one) => one.type === 'readings' && (one.heard ?? 0) > (heard as { at: number }).at),
      ),
    'a reading says so itself',
  );
  close();
});
