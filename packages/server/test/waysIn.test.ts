import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { encode } from 'cborg';
import type { Client } from '@peatmoor/contract';
import { REFUSAL_REASONS } from '@peatmoor/core';
import { connect, connectAsync, type MqttClient } from 'mqtt';
import {
  mqttAs,
  newFolder,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

const PNG = Buffer.from(
  'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
  'base64',
);
let service: TestService;
let client: Client;
let cookie: () => string;
let token: string;
const id = 'camera';
const boards: MqttClient[] = [];
/** Every reason that a real client was given in this file. */
const given = new Set<string>();

beforeAll(async () => {
  const folder = newFolder();
  execFileSync('openssl', [
    ...'req -x509 -newkey rsa:2048 -nodes -days 2 -subj /CN=localhost -keyout'.split(' '),
    path.join(folder, 'key.pem'),
    '-out',
    path.join(folder, 'cert.pem'),
  ]);
  certFolder = folder;
  service = await startService({ PEATMOOR_DEVICE_RATE: '60' });
  const person = await newPerson(service);
  ({ client, cookie } = person);
  const made = await client.call('createDevice', {
    body: {
      name: 'Trail camera',
      id,
      newKind: {
        title: 'Trail camera',
        streams: [
          { key: 'level', title: 'Level', type: 'number', unit: 'mm', min: -800, max: 200 },
          { key: 'temperature', title: 'Temperature', type: 'number', unit: 'Cel' },
          { key: 'state', title: 'State', type: 'text' },
          { key: 'gate', title: 'Gate', type: 'choice', choices: ['closed', 'open'], direction: 'both' },
          { key: 'lamp', title: 'Lamp', type: 'colour', direction: 'control' },
          { key: 'say', title: 'Say', type: 'text', direction: 'control' },
          { key: 'position', title: 'Position', type: 'location' },
          { key: 'picture', title: 'Picture', type: 'image' },
        ],
      },
    },
  });
  token = made.token;
});
let certFolder: string;
afterAll(async () => {
  for (const one of boards) await one.endAsync(true).catch(() => undefined);
  await service.stop();
  fs.rmSync(certFolder, { recursive: true, force: true });
});

async function board(options: Parameters<typeof mqttAs>[3] = {}): Promise<MqttClient> {
  const one = await mqttAs(service, id, token, options);
  one.on('error', () => undefined);
  boards.push(one);
  return one;
}
const newest = async (key: string, device = id) =>
  (await client.call('readDevice', { params: { device } })).newest.find((one) => one.key === key)?.value;
const send = async (body: string | object, type = 'application/json', query = '', key = token) => {
  const response = await fetch(`${service.url}/device/report${query}`, {
    method: 'POST',
    headers: { authorization: `Bearer ${key}`, 'content-type': type },
    body: typeof body === 'string' || Buffer.isBuffer(body) ? (body as string) : JSON.stringify(body),
  });
  const answer = (await response.json()) as Awaited<ReturnType<typeof post>>['answer'];
  for (const { reason, hint } of answer.refused) {
    given.add(reason);
    expect(hint.length).toBeGreaterThan(10);
  }
  return { status: response.status, accepted: answer.accepted, refused: answer.refused };
};
const reasons = ({ refused }: { refused: { name: string; reason: string }[] }) =>
  refused.map(({ name, reason }) => [name, reason]);

describe('every value type', () => {
  it('is taken as JSON, kept, and shown as the newest', async () => {
    const answer = await send({
      level: -121,
      state: 'dry',
      gate: 'Open',
      position: { lat: 53.4, lon: -1.9, alt: 340 },
      picture: PNG.toString('base64'),
    });
    expect(answer).toEqual({ status: 200, accepted: 5, refused: [] });
    expect(await newest('state')).toBe('dry');
    expect(await newest('gate')).toBe(1);
    expect(await newest('position')).toEqual({ lat: 53.4, lon: -1.9, alt: 340 });
    expect(await newest('picture')).toEqual({ type: 'image/png', size: PNG.length });
  });

  it('is still the newest after a kill and a new start', async () => {
    await service.restart();
    expect(await newest('state')).toBe('dry');
    expect(await newest('position')).toMatchObject({ lat: 53.4 });
    expect(await newest('level')).toBe(-121);
  });

  it('a picture comes as its own type, and only to those of the workspace', async () => {
    expect(await send(PNG, 'image/png', '?name=picture')).toMatchObject({ status: 200, accepted: 1 });
    const get = (headers: Record<string, string>) =>
      fetch(`${service.url}/api/devices/${id}/images/picture`, { headers });
    const response = await get({ cookie: cookie() });
    expect(response.headers.get('content-type')).toBe('image/png');
    expect(Buffer.from(await response.arrayBuffer()).equals(PNG)).toBe(true);
    expect((await get({})).status).toBe(401);
    const stranger = await newPerson(service, 'Stranger');
    expect((await get({ cookie: stranger.cookie() })).status).toBe(404);
    expect(reasons(await send(Buffer.from('GIF89a'), 'image/png', '?name=picture'))).toEqual([
      ['picture', 'wrong-type'],
    ]);
    expect((await send(PNG, 'image/png')).status).toBe(400);
  });

  it('a choice, a colour and a text can be wanted, and go over the wire as text', async () => {
    const mqtt = await board();
    const told: Record<string, string> = {};
    mqtt.on('message', (topic, payload) => (told[topic.split('/').at(-1)!] = payload.toString()));
    await mqtt.subscribeAsync(`moor/${id}/wanted/#`, { qos: 1 });
    for (const [stream, value] of [
      ['gate', 'closed'],
      ['lamp', '#74487a'],
      ['say', 'mind the gap'],
    ])
      await client.call('createCommand', {
        params: { device: id },
        body: { stream: stream!, value: value! },
      });
    await until(() => told.gate === 'closed' && told.lamp === '#74487a' && told.say === 'mind the gap');
    await mqtt.publishAsync(`moor/${id}/applied/say`, 'mind the gap', { qos: 1 });
    await mqtt.publishAsync(`moor/${id}/report`, '{"gate":"closed"}', { qos: 1 });
    await until(async () => {
      const commands = await client.call('listCommands', { params: { device: id } });
      return commands.filter(({ state }) => state === 'applied').length === 2;
    });
    const wanted = await fetch(`${service.url}/device/wanted`, {
      headers: { authorization: `Bearer ${token}` },
    });
    expect(await wanted.json()).toMatchObject({ gate: 'closed', lamp: '#74487a', say: 'mind the gap' });
    await expect(
      client.call('createCommand', { params: { device: id }, body: { stream: 'gate', value: 'ajar' } }),
    ).rejects.toThrow(/"closed", "open"/);
  });
});

describe('every written form', () => {
  it('SenML in JSON and CBOR, over HTTP and MQTT, told apart by content', async () => {
    const pack = [
      { bn: `${id}/`, n: 'temperature', u: 'K', v: 294.65 },
      { n: 'level', u: 'm', v: -0.2 },
    ];
    expect(await send(pack, 'application/senml+json')).toMatchObject({ status: 200, accepted: 2 });
    expect(await newest('temperature')).toBe(21.5);
    expect(await newest('level')).toBe(-200);
    const cbor = Buffer.from(
      encode([
        new Map<number, unknown>([
          [-2, `${id}:`],
          [0, 'temperature'],
          [2, 7.5],
        ]),
      ]),
    );
    expect(await send(cbor, 'application/senml+cbor')).toMatchObject({ status: 200, accepted: 1 });
    expect(await newest('temperature')).toBe(7.5);
    const mqtt = await board();
    await mqtt.publishAsync(`moor/${id}/report`, JSON.stringify([{ n: 'temperature', v: 8 }]), { qos: 1 });
    expect(await newest('temperature')).toBe(8);
    await mqtt.publishAsync(`moor/${id}/report`, cbor, { qos: 1 });
    expect(await newest('temperature')).toBe(7.5);
  });

  it('CSV with times, a form, and rows that are taken though others are not', async () => {
    const now = Date.now();
    const csv = `at,level,nonsense\n${now - 3000},-1,2\n${now - 2000},-2,\n${now - 1000},-900,\n`;
    const answer = await send(csv, 'text/csv');
    expect(answer).toMatchObject({ status: 200, accepted: 2 });
    expect(reasons(answer)).toEqual([
      ['nonsense', 'unknown-name'],
      ['level', 'out-of-range'],
    ]);
    expect(await send('level=-5&state=wet', 'application/x-www-form-urlencoded')).toMatchObject({
      accepted: 2,
    });
    expect(await newest('state')).toBe('wet');
  });

  it('MQTT QoS 0, 1 and 2, one plain value, over WebSocket, and a last will', async () => {
    const mqtt = await board();
    await mqtt.publishAsync(`moor/${id}/report`, '{"level":-10}', { qos: 0 });
    await until(async () => (await newest('level')) === -10);
    await mqtt.publishAsync(`moor/${id}/report/level`, '-11', { qos: 2 });
    expect(await newest('level')).toBe(-11);
    const web = await connectAsync(
      `${service.url.replace('http', 'ws')}/mqtt`,
      { username: id, password: token, reconnectPeriod: 0 },
      false,
    );
    boards.push(web);
    await web.publishAsync(`moor/${id}/report/level`, '-12', { qos: 1 });
    expect(await newest('level')).toBe(-12);
    const dying = await board({
      will: { topic: `moor/${id}/report`, payload: Buffer.from('{"state":"gone"}'), qos: 1, retain: false },
    });
    dying.stream.destroy();
    await until(async () => (await newest('state')) === 'gone');
  });

  it('the library’s way and the quick way acknowledge in the order of publishing', async () => {
    const mqtt = await board();
    const order: number[] = [];
    const acked = Array.from({ length: 60 }, (_, i) => {
      // Every third goes the library's way: another verb, or another QoS.
      const topic = i % 3 === 0 ? `moor/${id}/applied/lamp` : `moor/${id}/report`;
      const payload = i % 3 === 0 ? '' : `{"at":${Date.now() - 60_000 + i},"level":${-100 - i}}`;
      return mqtt.publishAsync(topic, payload, { qos: 1 }).then(() => order.push(i));
    });
    await Promise.all(acked);
    expect(order).toEqual(Array.from({ length: 60 }, (_, i) => i));
  });

  it('a session that goes on hears what was wanted while it was away', async () => {
    const first = await board({ clientId: 'lasting', clean: false });
    await first.subscribeAsync(`moor/${id}/wanted/#`, { qos: 1 });
    await first.endAsync();
    await client.call('createCommand', {
      params: { device: id },
      body: { stream: 'say', value: 'welcome back' },
    });
    // Heard from the first byte on: what waited comes together with the answer to connecting.
    const again = connect(service.mqttUrl, {
      username: id,
      password: token,
      clientId: 'lasting',
      clean: false,
      reconnectPeriod: 0,
    });
    boards.push(again);
    const told: string[] = [];
    again.on('message', (topic, payload) => told.push(`${topic} ${payload.toString()}`));
    await until(
      () => told.includes(`moor/${id}/wanted/say welcome back`),
      `the wanted text among ${told.join()}`,
    );
  });

  it('over TLS, for MQTT and HTTP, where a certificate is set', async () => {
    const secure = await startService({
      PEATMOOR_TLS_CERT: path.join(certFolder, 'cert.pem'),
      PEATMOOR_TLS_KEY: path.join(certFolder, 'key.pem'),
      PEATMOOR_MQTTS_PORT: '0',
    });
    try {
      const { httpPort, mqttsPort } = secure.program.ready as unknown as {
        httpPort: number;
        mqttsPort: number;
      };
      const status = execFileSync(
        'curl',
        ['-sS', '--cacert', path.join(certFolder, 'cert.pem'), `https://localhost:${httpPort}/api/status`],
        { encoding: 'utf8' },
      );
      expect(JSON.parse(status)).toMatchObject({ empty: true });
      // On the same port, a board that was flashed before goes on in plain; pages are sent to TLS.
      const plain = `http://127.0.0.1:${httpPort}`;
      const report = await fetch(`${plain}/device/report`, { method: 'POST', body: '{"level":1}' });
      expect(report.status).toBe(401);
      expect(await (await fetch(`${plain}/device/time`)).json()).toEqual({ now: expect.any(Number) });
      const page = await fetch(`${plain}/devices?x=1`, { redirect: 'manual' });
      expect([page.status, page.headers.get('location')]).toEqual([
        308,
        `https://127.0.0.1:${httpPort}/devices?x=1`,
      ]);
      const headers = execFileSync(
        'curl',
        ['-sSI', '--cacert', path.join(certFolder, 'cert.pem'), `https://localhost:${httpPort}/`],
        { encoding: 'utf8' },
      );
      // A certificate of one's own is no reason to bind browsers to TLS for a year.
      expect(headers).not.toMatch(/strict-transport-security/i);
      expect(headers).toMatch(/cross-origin-opener-policy: same-origin/i);
      await expect(
        connectAsync(
          `mqtts://localhost:${mqttsPort}`,
          {
            ca: fs.readFileSync(path.join(certFolder, 'cert.pem')),
            username: 'x',
            password: 'y',
            reconnectPeriod: 0,
          },
          false,
        ),
      ).rejects.toThrow(/Bad username or password|Not authorized/i);
    } finally {
      await secure.stop();
    }
  });
});

describe('a gateway', () => {
  let gateway: { token: string; id: string };
  beforeAll(async () => {
    const kind = { title: 'Well', streams: [{ key: 'level', title: 'Level', type: 'number' as const }] };
    const made = await client.call('createDevice', {
      body: { name: 'Hut gateway', id: 'hut', newKind: { title: 'Gateway' } },
    });
    gateway = { token: made.token, id: 'hut' };
    const sub = { gateway: 'hut', serial: 'mac:0A/7' };
    await client.call('createDevice', { body: { name: 'Well 7', id: 'well-7', newKind: kind, ...sub } });
  });

  it('reports for what is behind it, by ID or serial text, over HTTP, SenML and MQTT', async () => {
    expect(await send({ level: 1 }, 'application/json', '?for=well-7', gateway.token)).toMatchObject({
      accepted: 1,
    });
    expect(await newest('level', 'well-7')).toBe(1);
    const pack = [{ n: 'mac:0A/7:level', v: 2 }];
    expect(await send(pack, 'application/senml+json', '', gateway.token)).toMatchObject({ accepted: 1 });
    expect(await newest('level', 'well-7')).toBe(2);
    const mqtt = await mqttAs(service, 'hut', gateway.token);
    boards.push(mqtt);
    await mqtt.publishAsync('moor/hut/for/well-7/report', '{"level":3}', { qos: 1 });
    expect(await newest('level', 'well-7')).toBe(3);
    await mqtt.publishAsync('moor/hut/for/well-7/report/level', '4', { qos: 1 });
    expect(await newest('level', 'well-7')).toBe(4);
    expect(await client.call('readDevice', { params: { device: 'well-7' } })).toMatchObject({
      gateway: 'hut',
      serial: 'mac:0A/7',
      presence: { state: 'online' },
    });
  });

  it('cannot speak for any other device', async () => {
    for (const other of [id, 'nobody', '../hut'])
      expect(
        reasons(
          await send({ level: 9 }, 'application/json', `?for=${encodeURIComponent(other)}`, gateway.token),
        ),
      ).toEqual([[other, 'unknown-sub-device']]);
    const stranger = await send([{ n: `${id}:level`, v: 9 }], 'application/senml+json', '', gateway.token);
    expect(reasons(stranger)).toEqual([[id, 'unknown-sub-device']]);
    expect(await newest('level')).not.toBe(9);
  });

  it('is a device of the workspace, not itself behind one, and kept while something is behind it', async () => {
    const make = (body: object) =>
      client.call('createDevice', { body: { name: 'X', newKind: { title: 'X' }, ...body } });
    await expect(make({ gateway: 'nowhere' })).rejects.toThrow(/not a device of this workspace/);
    await expect(make({ gateway: 'well-7' })).rejects.toThrow(/behind a gateway/);
    await expect(make({ serial: 'a' })).rejects.toThrow(/sub-device/);
    await expect(make({ gateway: 'hut', serial: 'mac:0A/7' })).rejects.toThrow(/already/);
    await expect(client.call('deleteDevice', { params: { device: 'hut' } })).rejects.toThrow(
      /1 sub-device is behind/,
    );
  });
});

describe('an event of the device’s own', () => {
  it('is raised and cleared over HTTP and MQTT, opens once, and emails once', async () => {
    const rule = await client.call('createRule', {
      body: { title: 'Battery is low', deviceId: id, stream: 'low_battery', comparison: 'raised' },
    });
    expect(rule.sentence).toBe('When Trail camera raises "low_battery"; closes when it clears it.');
    const say = (verb: string, key = 'low_battery', body = '') =>
      fetch(`${service.url}/device/${verb}/${key}`, {
        method: 'POST',
        headers: { authorization: `Bearer ${token}` },
        body,
      });
    expect((await say('raise', 'low_battery', '3.1 V')).status).toBe(200);
    expect((await say('raise')).status).toBe(200);
    const listed = () => client.call('listEvents', { query: {} });
    const open = await until(async () => (await listed()).length > 0 && listed());
    expect(open).toMatchObject([{ title: 'Battery is low', closedAt: null, stream: 'low_battery' }]);
    expect(open[0]!.sentence).toContain('3.1 V');
    const mqtt = await board();
    await mqtt.publishAsync(`moor/${id}/clear/low_battery`, '', { qos: 1 });
    await until(async () => (await listed())[0]!.closedAt !== null);
    await mqtt.publishAsync(`moor/${id}/raise/low_battery`, 'again', { qos: 1 });
    await until(async () => (await listed()).length === 2);
    const unknown = await say('raise', 'low_batery');
    expect(unknown.status).toBe(422);
    const { refused } = (await unknown.json()) as { refused: { reason: string; hint: string }[] };
    expect(refused[0]!.hint).toContain('"low_battery"');
    given.add(refused[0]!.reason);
  });
});

describe('what a board says of itself', () => {
  it('is kept beside what it said before, and refused field by field', async () => {
    const mqtt = await board();
    await mqtt.publishAsync(`moor/${id}/about`, '{"firmware":"1.2","signal":-67}', { qos: 1 });
    const response = await fetch(`${service.url}/device/about`, {
      method: 'POST',
      headers: { authorization: `Bearer ${token}` },
      body: '{"battery":81,"signal":"weak","mood":"good"}',
    });
    expect(await response.json()).toMatchObject({
      accepted: 1,
      refused: [
        { name: 'signal', reason: 'wrong-type' },
        { name: 'mood', reason: 'no-meaning' },
      ],
    });
    const { about } = await client.call('readDevice', { params: { device: id } });
    expect(about).toMatchObject({ firmware: '1.2', signal: -67, battery: 81 });
  });
});

describe('a kind that accepts new names', () => {
  it('makes datastreams of what arrives, marked to be confirmed; a kind that does not, refuses them', async () => {
    const { device, token: key } = await client.call('createDevice', {
      body: { name: 'Fresh', id: 'fresh', newKind: { title: 'Fresh', acceptNew: true } },
    });
    expect(
      await send({ Depth: 3, wet: true, 'gps pos': { lat: 1, lon: 2 }, '7': 1 }, 'application/json', '', key),
    ).toEqual({
      status: 200,
      accepted: 4,
      refused: [],
    });
    const kind = await client.call('readKind', { params: { kind: device.kindId } });
    expect(kind.streams.map(({ key: name, type, unconfirmed }) => [name, type, unconfirmed])).toEqual([
      ['virtual_pin_7', 'number', true],
      ['depth', 'number', true],
      ['wet', 'boolean', true],
      ['gps_pos', 'location', true],
    ]);
    expect(await newest('depth', 'fresh')).toBe(3);
    const { id: _id, unconfirmed: _new, ...depth } = kind.streams[1]!;
    await client.call('changeStream', {
      params: { kind: kind.id, stream: 'depth' },
      body: { ...depth, unit: 'm' },
    });
    await client.call('changeKind', { params: { kind: kind.id }, body: { acceptNew: false } });
    expect(reasons(await send({ deep: 3 }, 'application/json', '', key))).toEqual([['deep', 'unknown-name']]);
    const after = await client.call('readKind', { params: { kind: kind.id } });
    expect(after.streams.find(({ key: name }) => name === 'depth')).toMatchObject({
      unit: 'm',
      unconfirmed: false,
    });
  });
});

describe('refused messages', () => {
  it('are shown whole, and taken again with their own times once the cause is mended', async () => {
    const { device, token: key } = await client.call('createDevice', {
      body: { name: 'Retaken', id: 'retaken', newKind: { title: 'Retaken' } },
    });
    await send({ n: 1, depth: 1 }, 'application/json', '', key);
    const mqtt = await mqttAs(service, 'retaken', key);
    boards.push(mqtt);
    await mqtt.publishAsync('moor/retaken/report/depth', '2', { qos: 1 });
    const before = await until(async () => {
      const list = await client.call('listArrivals', { params: { device: 'retaken' } });
      return list.length === 2 && list;
    });
    expect(before.map(({ payload, form, way }) => [payload, form, way])).toEqual([
      ['2', 'mqtt report/depth', 'MQTT'],
      ['{"n":1,"depth":1}', 'application/json', 'HTTP'],
    ]);
    expect(await client.call('retake', { params: { device: 'retaken' } })).toEqual({
      messages: 2,
      accepted: 0,
      stillRefused: 2,
    });
    await client.call('createStream', {
      params: { kind: device.kindId },
      body: { key: 'depth', title: 'Depth', type: 'number' },
    });
    expect(await client.call('retake', { params: { device: 'retaken' } })).toEqual({
      messages: 2,
      accepted: 2,
      stillRefused: 0,
    });
    expect((await client.call('retake', { params: { device: 'retaken' } })).messages).toBe(0);
    const { lines } = await client.call('history', {
      params: { device: 'retaken' },
      query: { streams: 'depth', from: Date.now() - 600_000, to: Date.now() + 1000 },
    });
    expect(lines[0]!.times).toEqual([before[1]!.receivedAt, before[0]!.receivedAt]);
    const all = await client.call('listAllArrivals');
    expect(new Set(all.map(({ deviceId }) => deviceId)).has('retaken')).toBe(true);
    expect(all.length).toBeGreaterThan(before.length);
  });
});

describe('every reason for which something is refused', () => {
  it('is given to a real client, with a hint', async () => {
    await send({ nonsense: 1 });
    await send('[{"at":1000000000000,"level":1},{"at":1000000000000,"level":2}]');
    const at = Date.now() - 5000;
    await send(
      JSON.stringify([
        { at, level: -1 },
        { at, level: -2 },
      ]),
    );
    await send({ level: 'low' });
    await send([{ n: 'level', u: 'V', v: 1 }], 'application/senml+json');
    await send({ level: null });
    await send({ level: 9999 });
    await send({ state: 'x'.repeat(5000) });
    await send({ lamp: '#ffffff' });
    await send('{level:1');
    await send('x'.repeat(1100 * 1024));
    await send({ at: 1000, level: 1 });
    await send({ at: Date.now() + 3_600_000, level: 1 });
    await send({ level: 1 }, 'application/json', '', token.slice(0, -1) + (token.endsWith('x') ? 'y' : 'x'));
    await send({ level: 1 }, 'application/json', '?for=nobody');
    await send('<level/>', 'application/xml');
    const mqtt = await board();
    mqtt.on('message', (_topic, payload) => {
      const { reason, hint } = JSON.parse(payload.toString()) as { reason: string; hint: string };
      given.add(reason);
      expect(hint.length).toBeGreaterThan(10);
    });
    await mqtt.subscribeAsync(`moor/${id}/refused`, { qos: 1 });
    await mqtt.publishAsync(`moor/${id}/nonsense`, '1', { qos: 1 });
    await mqtt.publishAsync(`moor/${id}/report`, '{"level":1}', { qos: 1, retain: true });
    await until(() => given.has('retained') && given.has('wrong-topic'));
    await Promise.all(Array.from({ length: 80 }, () => send({ level: -1 })));
    expect([...REFUSAL_REASONS].filter((reason) => !given.has(reason))).toEqual([]);
  });
});
