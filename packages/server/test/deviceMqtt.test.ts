import { execFileSync } from 'node:child_process';
import { once } from 'node:events';
import net from 'node:net';
import type { Client } from '@peatmoor/contract';
import type { MqttClient } from 'mqtt';
import {
  mqttAs,
  newDevice,
  newPerson,
  post,
  readingsOf,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let client: Client;
let token: string;
const id = 'dipwell-north';
const opened: MqttClient[] = [];

async function board(options = {}): Promise<MqttClient> {
  const one = await mqttAs(service, id, token, options);
  opened.push(one);
  return one;
}

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
  ({ token } = await newDevice(client));
});
afterEach(async () => {
  for (const one of opened.splice(0)) await one.endAsync(true);
});
afterAll(() => service.stop());

const newest = async (stream: string): Promise<number | undefined> =>
  (await readingsOf(client, id, stream)).at(-1)?.[1];

describe('a board over MQTT', () => {
  it('reports JSON and plain values, by key and virtual pin; PUBACK means stored', async () => {
    const mqtt = await board();
    await mqtt.publishAsync(`moor/${id}/report`, '{"level":-200,"n":1}', { qos: 1 });
    expect(await newest('level')).toBe(-200);
    await mqtt.publishAsync(`moor/${id}/report/level`, '-201', { qos: 1 });
    expect(await newest('level')).toBe(-201);
    await mqtt.publishAsync(`moor/${id}/report/1`, '-202', { qos: 1 });
    expect(await newest('level')).toBe(-202);
  });

  it('works with mosquitto_pub as Debian has it', async () => {
    const port = new URL(service.mqttUrl).port;
    execFileSync('mosquitto_pub', [
      '-h',
      '127.0.0.1',
      '-p',
      port,
      '-u',
      id,
      '-P',
      token,
      '-q',
      '1',
      '-t',
      `moor/${id}/report`,
      '-m',
      '{"temperature": 8.25}',
    ]);
    expect(await newest('temperature')).toBe(8.25);
    expect(() =>
      execFileSync(
        'mosquitto_pub',
        ['-h', '127.0.0.1', '-p', port, '-u', id, '-P', 'wrong', '-t', `moor/${id}/report`, '-m', '1'],
        { stdio: 'pipe' },
      ),
    ).toThrow(/not authori[sz]ed|bad user name/i);
  });

  it('is told on its refused topic why a value was not taken, and stays connected', async () => {
    const mqtt = await board();
    const refusals: { name: string; reason: string }[] = [];
    mqtt.on('message', (_topic, payload) => refusals.push(JSON.parse(payload.toString()) as never));
    await mqtt.subscribeAsync(`moor/${id}/refused`, { qos: 1 });
    await mqtt.publishAsync(`moor/${id}/report`, '{"levl":1}', { qos: 1 });
    await mqtt.publishAsync(`moor/${id}/report/level`, 'nan', { qos: 1 });
    await mqtt.publishAsync(`moor/${id}/report/level`, '-5', { qos: 1, retain: true });
    await mqtt.publishAsync('moor/somebody-else/report', '{"level":1}', { qos: 1 });
    await mqtt.publishAsync(`moor/${id}/report`, 'not json', { qos: 1 });
    await mqtt.publishAsync(`moor/${id}/report`, `{"level": 1, "x": "${'x'.repeat(1_060_000)}"}`, { qos: 1 });
    await until(() => refusals.length === 6);
    expect(refusals.map(({ reason }) => reason)).toEqual([
      'unknown-name',
      'not-finite',
      'retained',
      'wrong-topic',
      'unreadable',
      'too-large',
    ]);
    expect(mqtt.connected).toBe(true);
    const arrivals = await client.call('listArrivals', { params: { device: id } });
    expect(arrivals[0]!.refused[0]).toMatchObject({ reason: 'too-large' });
  });

  it('may subscribe to nothing but its own wanted and refused topics', async () => {
    const mqtt = await board();
    for (const topic of [
      '#',
      'moor/#',
      'moor/+/wanted/#',
      'moor/other/wanted/#',
      `moor/${id}/report`,
      '$SYS/#',
      'journaled',
    ])
      await expect(mqtt.subscribeAsync(topic)).rejects.toThrow();
    await expect(mqtt.subscribeAsync(`moor/${id}/wanted/#`)).resolves.toBeDefined();
  });

  it('gets wanted values while connected and on subscribing, and says that it applied them', async () => {
    const first = await client.call('createCommand', {
      params: { device: id },
      body: { stream: 'pump', value: 'on' },
    });
    expect(first).toMatchObject({ state: 'waiting', value: 1 });
    const mqtt = await board();
    const wanted: string[] = [];
    mqtt.on('message', (topic, payload) => wanted.push(`${topic.split('/').pop()}=${payload.toString()}`));
    await mqtt.subscribeAsync(`moor/${id}/wanted/#`, { qos: 1 });
    await until(() => wanted.length === 2);
    expect(wanted.sort()).toEqual(['interval=10', 'pump=1']);
    const state = (command: number) =>
      client.call('readCommand', { params: { command } }).then((one) => one.state);
    await until(async () => (await state(first.id)) === 'sent');
    await mqtt.publishAsync(`moor/${id}/applied/pump`, '', { qos: 1 });
    expect(await state(first.id)).toBe('applied');

    const second = await client.call('createCommand', {
      params: { device: id },
      body: { stream: 'pump', value: 0 },
    });
    await until(() => wanted.includes('pump=0'));
    await mqtt.publishAsync(`moor/${id}/applied/pump`, '0', { qos: 1 });
    expect(await state(second.id)).toBe('applied');
  });

  it('confirms a control by reporting its value, and a newer wish replaces an older one', async () => {
    const older = await client.call('createCommand', {
      params: { device: id },
      body: { stream: 'mode', value: false },
    });
    const newer = await client.call('createCommand', {
      params: { device: id },
      body: { stream: 'mode', value: true },
    });
    expect(await client.call('readCommand', { params: { command: older.id } })).toMatchObject({
      state: 'expired',
      note: 'a newer value was wanted',
    });
    const mqtt = await board();
    await mqtt.publishAsync(`moor/${id}/report`, '{"mode":true}', { qos: 1 });
    await until(
      async () => (await client.call('readCommand', { params: { command: newer.id } })).state === 'applied',
    );
  });

  it('counts an answer that overtakes the note that the value was sent', async () => {
    const mqtt = await board();
    mqtt.on('message', (topic, payload) => {
      if (topic.endsWith('/pump')) mqtt.publish(`moor/${id}/applied/pump`, payload, { qos: 1 });
    });
    await mqtt.subscribeAsync(`moor/${id}/wanted/pump`, { qos: 1 });
    for (let i = 0; i < 25; i++) {
      const { id: command } = await client.call('createCommand', {
        params: { device: id },
        body: { stream: 'pump', value: i % 2 === 0 },
      });
      await until(
        async () => (await client.call('readCommand', { params: { command } })).state === 'applied',
        `the answer to command ${i}`,
        3000,
      );
    }
  });

  it('hears of a new interval at once when the kind changes', async () => {
    const device = await client.call('readDevice', { params: { device: id } });
    const mqtt = await board();
    const intervals: string[] = [];
    mqtt.on('message', (topic, payload) => topic.endsWith('/interval') && intervals.push(payload.toString()));
    await mqtt.subscribeAsync(`moor/${id}/wanted/#`, { qos: 1 });
    await until(() => intervals.length === 1);
    await client.call('changeKind', { params: { kind: device.kindId }, body: { intervalS: 25 } });
    await until(() => intervals.at(-1) === '25');
  });
});

describe('who may connect', () => {
  it('nobody without the device ID and a whole, valid token', async () => {
    for (const [user, password] of [
      [id, token.slice(0, 20)],
      ['dipwell-other', token],
      ['', ''],
      [id, 'wrong'],
    ])
      await expect(mqttAs(service, user!, password!)).rejects.toThrow(
        /Connection refused|bad username|not authorized/i,
      );
    const device = await client.call('readDevice', { params: { device: id } });
    expect(device.proof.trouble?.hint).toMatch(/user name|cut short/);
  });

  it('a session ends when its token is withdrawn', async () => {
    const spare = await client.call('createToken', { params: { device: id }, body: {} });
    const mqtt = await mqttAs(service, id, spare.secret);
    opened.push(mqtt);
    const closed = new Promise((resolve) => mqtt.once('close', () => resolve(true)));
    await client.call('withdrawToken', { params: { device: id, token: spare.id } });
    expect(await closed).toBe(true);
  });

  it('two boards with one token are noticed and said', async () => {
    const a = await board({ clientId: 'same' });
    const b = await board({ clientId: 'same' });
    const c = await board({ clientId: 'same' });
    expect([a.connected, b.connected, c.connected]).toContain(true);
    const trouble = await until(async () => {
      const { proof } = await client.call('readDevice', { params: { device: id } });
      return proof.trouble?.reason === 'two-boards' && proof.trouble;
    });
    expect(trouble.hint).toContain('Two boards');
  });

  it('a client ID of another device evicts nobody', async () => {
    const other = await newDevice(client, 'Dipwell South');
    const mine = await board({ clientId: 'board-1' });
    const theirs = await mqttAs(service, other.device.id, other.token, { clientId: 'board-1' });
    opened.push(theirs);
    await theirs.publishAsync(`moor/${other.device.id}/report/level`, '-1', { qos: 1 });
    expect(mine.connected).toBe(true);
  });
});

it('shows presence: connected, then quiet, and the same over HTTP', async () => {
  const device = () => client.call('readDevice', { params: { device: id } });
  const mqtt = await board();
  expect(await until(async () => (await device()).connected && device())).toMatchObject({
    presence: { state: 'online' },
  });
  await mqtt.endAsync();
  await until(async () => !(await device()).connected);
  await post(service, token, { level: -1 });
  expect((await device()).presence.state).toBe('online');
});

describe('a board that does not get in', () => {
  const trouble = async (device = id) =>
    (await client.call('readDevice', { params: { device } })).proof.trouble;
  const connect = (options: object) =>
    mqttAs(service, id, token, { reconnectPeriod: 0, ...options } as never).then(
      (one) => one.endAsync(true).then(() => 'connected'),
      (error: Error) => error.message,
    );
  const arrivals = async () =>
    (await client.call('listArrivals', { params: { device: id } })).filter(
      ({ refused }) => refused.length > 0,
    );

  it('finds on its page that its program speaks MQTT 5, whatever the library makes of the answer', async () => {
    expect(await connect({ protocolVersion: 5 })).toMatch(/version|refused|132|Unsupported/i);
    await until(async () => (await trouble())?.hint.includes('speaks MQTT 5'));
    expect((await arrivals())[0]).toMatchObject({ refused: [{ reason: 'unreadable' }] });
  });

  it('is named by its user name, where the token is nobody’s; seldom, and not in another workspace', async () => {
    const { client: other } = await newPerson(service);
    await newDevice(other, 'alone');
    const ofOther = () => other.call('listArrivals', { params: { device: 'alone' } });
    for (let i = 0; i < 5; i++) await connect({ username: 'alone', password: `PASTE-THE-TOKEN-${i}` });
    await until(async () => (await ofOther()).length > 0);
    expect(await ofOther()).toHaveLength(1);
    expect(JSON.stringify(await ofOther())).toMatch(/Somebody named .*alone/);
    // A name that two workspaces have is nobody's.
    const { client: third } = await newPerson(service);
    await newDevice(third, 'twice');
    await newDevice(other, 'twice');
    await connect({ username: 'twice', password: 'x' });
    await connect({ username: "' OR 1=1 --", password: 'x' });
    await new Promise((resolve) => setTimeout(resolve, 300));
    expect(await third.call('listArrivals', { params: { device: 'twice' } })).toEqual([]);
  });

  it('cut short or full of nonsense ends alone', async () => {
    const port = Number(new URL(service.mqttUrl).port);
    const start = Buffer.from([0x10, 0x14, 0, 4, 0x4d, 0x51, 0x54, 0x54, 5, 0xc2, 0, 0x3c]);
    for (const bytes of [start, Buffer.concat([start, Buffer.alloc(2000, 0xff)]), start.subarray(0, 9)]) {
      const socket = net.connect(port, '127.0.0.1');
      await once(socket, 'connect');
      socket.write(bytes);
      const [answer] = (await once(socket, 'data')) as [Buffer];
      expect([...answer]).toEqual([0x20, 3, 0, 0x84, 0]);
      await once(socket, 'close');
    }
    expect(await connect({})).toBe('connected');
  });
});

it('tells a program that subscribes later what was refused within the last minute, once', async () => {
  const fresh = await newDevice(client, 'late');
  const first = await mqttAs(service, 'late', fresh.token);
  opened.push(first);
  for (let i = 0; i < 12; i++)
    await first.publishAsync('moor/late/report', JSON.stringify({ [`levl${i}`]: 1 }), { qos: 1 });
  const heard: string[] = [];
  const later = await mqttAs(service, 'late', fresh.token, { clientId: 'later' });
  opened.push(later);
  later.on('message', (_topic, payload) =>
    heard.push((JSON.parse(payload.toString()) as { name: string }).name),
  );
  await later.subscribeAsync('moor/late/refused');
  await until(() => heard.length >= 10);
  expect(heard).toEqual(Array.from({ length: 10 }, (_, i) => `levl${i + 2}`));
  await later.subscribeAsync('moor/late/refused');
  await new Promise((resolve) => setTimeout(resolve, 200));
  expect(heard).toHaveLength(10);
});
