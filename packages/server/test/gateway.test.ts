import type { Client } from '@peatmoor/contract';
import type { MqttClient } from 'mqtt';
import { startProgram, built, type Program } from '../../../test/support/program';
import { mqttAs, newPerson, startService, until, type TestService } from '../../../test/support/service';

let catcher: Program<{ smtpUrl: string; pageUrl: string }>;
let service: TestService;
let client: Client;
let hut: string;
let well: string;
const open: MqttClient[] = [];

beforeAll(async () => {
  catcher = await startProgram(built('standins', 'mailProgram.js'), {});
  service = await startService({ PEATMOOR_SMTP_URL: catcher.ready.smtpUrl });
  ({ client } = await newPerson(service));
  hut = (
    await client.call('createDevice', {
      body: { name: 'Hut', id: 'hut', newKind: { title: 'Gateway', intervalS: 30 } },
    })
  ).token;
  well = (
    await client.call('createDevice', {
      body: {
        name: 'Well 7',
        id: 'well-7',
        gateway: 'hut',
        serial: 'radio-7',
        newKind: {
          title: 'Well',
          intervalS: 90,
          streams: [
            { key: 'level', title: 'Level', type: 'number' },
            { key: 'valve', title: 'Valve', type: 'boolean', direction: 'both' },
          ],
        },
      },
    })
  ).token;
});
afterAll(async () => {
  for (const one of open) await one.endAsync(true).catch(() => undefined);
  await service.stop();
  catcher.child.kill('SIGTERM');
});

async function board(
  id: string,
  token: string,
  ...filters: string[]
): Promise<{ mqtt: MqttClient; told: string[] }> {
  const mqtt = await mqttAs(service, id, token);
  open.push(mqtt);
  const told: string[] = [];
  mqtt.on('message', (topic, payload) => told.push(`${topic} ${payload.toString()}`));
  for (const filter of filters) await mqtt.subscribeAsync(filter, { qos: 1 });
  return { mqtt, told };
}
const want = (value: boolean) =>
  client.call('createCommand', { params: { device: 'well-7' }, body: { stream: 'valve', value } });
const stateOf = async (command: number) => (await client.call('readCommand', { params: { command } })).state;

describe('what is wanted of a sub-device', () => {
  it('reaches it through its gateway, by the serial text, and the gateway answers for it', async () => {
    const { mqtt, told } = await board('hut', hut, 'moor/hut/for/+/wanted/#');
    await until(() => told.includes('moor/hut/for/radio-7/wanted/interval 90'), 'its interval');
    const { id } = await want(true);
    await until(() => told.includes('moor/hut/for/radio-7/wanted/valve 1'), 'the wanted value');
    await until(async () => (await stateOf(id)) === 'sent');
    await mqtt.publishAsync('moor/hut/for/radio-7/applied/valve', '1', { qos: 1 });
    expect(await stateOf(id)).toBe('applied');
    await mqtt.endAsync(true);
  });

  it('waits while nobody is there, and is told when the gateway comes back', async () => {
    const { id } = await want(false);
    await new Promise((resolve) => setTimeout(resolve, 200));
    expect(await stateOf(id)).toBe('waiting');
    const { mqtt, told } = await board('hut', hut, 'moor/hut/for/radio-7/wanted/valve');
    await until(() => told.includes('moor/hut/for/radio-7/wanted/valve 0'));
    await mqtt.publishAsync('moor/hut/for/well-7/report', '{"valve":false}', { qos: 1 });
    await until(async () => (await stateOf(id)) === 'applied', 'confirmed by its own report');
    await mqtt.endAsync(true);
  });

  it('can be asked for over HTTP by the gateway, and answered', async () => {
    const { id } = await want(true);
    const headers = { authorization: `Bearer ${hut}` };
    const wanted = await fetch(`${service.url}/device/wanted?for=well-7`, { headers });
    expect(await wanted.json()).toEqual({ valve: 1, interval: 90 });
    const applied = await fetch(`${service.url}/device/applied?for=radio-7`, {
      method: 'POST',
      headers,
      body: '{"valve":null}',
    });
    expect(await applied.json()).toEqual({ accepted: 1, refused: [] });
    expect(await stateOf(id)).toBe('applied');
    const strange = await fetch(`${service.url}/device/wanted?for=hut-2`, { headers });
    expect([
      strange.status,
      ((await strange.json()) as { refused: { reason: string }[] }).refused[0]!.reason,
    ]).toEqual([422, 'unknown-sub-device']);
  });

  it('reaches it directly where it speaks for itself with its own token', async () => {
    const { mqtt, told } = await board('well-7', well, 'moor/well-7/wanted/#');
    await want(false);
    await until(() => told.includes('moor/well-7/wanted/valve 0'));
    expect(told.some((one) => one.includes('/for/'))).toBe(false);
    await mqtt.endAsync(true);
  });
});

describe('what a gateway may hear', () => {
  it.each([
    'moor/hut/for/+/wanted/#',
    'moor/hut/for/radio-7/wanted/valve',
    'moor/hut/for/radio-7/refused',
    'moor/hut/wanted/interval',
    'moor/hut/#',
  ])('is %s', async (filter) => {
    const { mqtt } = await board('hut', hut, filter);
    expect(mqtt.connected).toBe(true);
    await mqtt.endAsync(true);
  });

  it.each([
    'moor/+/wanted/#',
    'moor/well-7/wanted/#',
    '#',
    'moor/hut/report',
    'moor/hut/for/radio-7/report',
    '$SYS/#',
  ])('is not %s', async (filter) => {
    const mqtt = await mqttAs(service, 'hut', hut);
    open.push(mqtt);
    await expect(mqtt.subscribeAsync(filter, { qos: 1 })).rejects.toThrow();
    await mqtt.endAsync(true);
  });
});

describe('what is refused of a sub-device', () => {
  it('is said where the gateway listens for it, apart or with its own', async () => {
    const apart = await board('hut', hut, 'moor/hut/for/+/refused');
    await apart.mqtt.publishAsync('moor/hut/for/radio-7/report', '{"levle":1}', { qos: 1 });
    await until(() =>
      apart.told.some((one) => one.startsWith('moor/hut/for/radio-7/refused {"name":"levle"')),
    );
    await apart.mqtt.endAsync(true);
    const own = await board('hut', hut, 'moor/hut/refused');
    await own.mqtt.publishAsync('moor/hut/for/radio-7/report', '{"levle":1}', { qos: 1 });
    await until(() => own.told.some((one) => one.startsWith('moor/hut/refused {"name":"levle"')));
    await own.mqtt.endAsync(true);
  });
});

describe('events that devices raise', () => {
  const events = () => client.call('listEvents', { query: {} });
  const say = (path: string, body = '') =>
    fetch(`${service.url}/device/${path}`, {
      method: 'POST',
      headers: { authorization: `Bearer ${hut}` },
      body,
    });

  it('of a whole kind open for each device apart, through the gateway too, and email both ways', async () => {
    const { kindId } = await client.call('readDevice', { params: { device: 'well-7' } });
    await client.call('createDevice', { body: { name: 'Well 8', id: 'well-8', kindId, gateway: 'hut' } });
    await client.call('createRule', {
      body: {
        title: 'Lid is open',
        kindId,
        stream: 'lid_open',
        comparison: 'raised',
        severity: 'urgent',
        people: [(await client.call('me')).user.id],
      },
    });
    expect((await say('raise/lid_open?for=well-7', 'wind')).status).toBe(200);
    const { mqtt } = await board('hut', hut);
    await mqtt.publishAsync('moor/hut/for/well-8/raise/lid_open', '', { qos: 1 });
    const both = await until(async () => (await events()).length === 2 && events());
    expect(both.map(({ deviceId, closedAt }) => [deviceId, closedAt])).toEqual([
      ['well-8', null],
      ['well-7', null],
    ]);
    // What is over before it was told is told once, that it is over.
    await until(
      async () =>
        (await events())
          .find(({ deviceId }) => deviceId === 'well-7')!
          .alerts.some(({ state, channel }) => state === 'sent' && channel === 'email'),
      'the first alert is sent',
    );
    expect((await say('clear/lid_open?for=radio-7')).status).toBe(200);
    const open = async () =>
      (await events()).filter(({ closedAt }) => closedAt === null).map(({ deviceId }) => deviceId);
    await until(async () => (await open()).length === 1);
    expect(await open()).toEqual(['well-8']);
    // What comes close together is one mail: every alert went out, and is in one of them.
    await until(
      async () =>
        (await events())
          .flatMap(({ alerts }) => alerts)
          .filter(({ state, channel }) => state === 'sent' && channel === 'email').length === 3,
      'three alerts sent',
    );
    const mails = (await (await fetch(`${catcher.ready.pageUrl}/messages.json`)).json()) as {
      subject: string;
      text: string;
    }[];
    const all = mails.map(({ subject, text }) => `${subject}\n${text}`).join('\n');
    for (const subject of [
      'closed: Lid is open (Well 7)',
      'urgent: Lid is open (Well 7)',
      'urgent: Lid is open (Well 8)',
    ])
      expect(all).toContain(subject);
    expect(all).toContain('wind');
    await mqtt.endAsync(true);
  });

  it('raised by many messages at once is one event', async () => {
    await client.call('createRule', {
      body: { title: 'Flood', deviceId: 'hut', stream: 'flood', comparison: 'raised' },
    });
    await Promise.all(Array.from({ length: 12 }, () => say('raise/flood')));
    const flood = async () => (await events()).filter(({ title }) => title === 'Flood');
    await until(async () => (await flood()).length > 0);
    await new Promise((resolve) => setTimeout(resolve, 300));
    expect(await flood()).toHaveLength(1);
  });

  it('of a rule that is switched off, or of another device, is unknown', async () => {
    const rule = (await client.call('listRules')).find(({ title }) => title === 'Flood')!;
    const { id: _id, sentence: _sentence, openEvents: _open, version: _v, ...body } = rule;
    await client.call('changeRule', { params: { rule: rule.id }, body: { ...body, active: false } });
    expect((await events()).find(({ title }) => title === 'Flood')!.closedAt).not.toBeNull();
    expect((await say('raise/flood')).status).toBe(422);
    expect((await say('raise/lid_open')).status).toBe(422);
    await expect(
      client.call('createRule', {
        body: { title: 'Bad', deviceId: 'hut', stream: 'Not A Key', comparison: 'raised' },
      }),
    ).rejects.toThrow(/cannot be the key of an event/);
    await expect(
      client.call('createRule', {
        body: { title: 'Bad', deviceId: 'well-7', stream: 'level', comparison: 'above' },
      }),
    ).rejects.toThrow(/limit/);
  });
});

it('puts a place that a gateway sends for a device behind it into that device’s own location', async () => {
  await client.call('createStream', {
    params: { kind: (await client.call('readDevice', { params: { device: 'well-7' } })).kindId },
    body: { key: 'spot', title: 'Spot', type: 'location' },
  });
  await client.call('createStream', {
    params: { kind: (await client.call('readDevice', { params: { device: 'hut' } })).kindId },
    body: { key: 'place', title: 'Place', type: 'location' },
  });
  const pack = JSON.stringify([
    { bn: 'radio-7/', n: 'lat', u: 'lat', v: 53.4 },
    { n: 'lon', u: 'lon', v: -1.9 },
    { bn: 'hut/', n: 'lat', u: 'lat', v: 53.5 },
    { n: 'lon', u: 'lon', v: -1.8 },
  ]);
  const answer = await fetch(`${service.url}/device/report`, {
    method: 'POST',
    headers: { authorization: `Bearer ${hut}`, 'content-type': 'application/senml+json' },
    body: pack,
  });
  expect(await answer.json()).toEqual({ accepted: 2, refused: [] });
  const { mqtt, told } = await board('hut', hut, 'moor/hut/refused');
  await mqtt.publishAsync('moor/hut/report', pack.replaceAll('53.', '54.'), { qos: 1 });
  const placeOf = async (device: string) =>
    (await client.call('readDevice', { params: { device } })).newest.find(
      ({ value }) => typeof value === 'object',
    );
  // What was refused within the last minute is told to who subscribes; of these two nothing was.
  expect(told.filter((one) => !one.includes('levle'))).toEqual([]);
  expect(await placeOf('well-7')).toMatchObject({ key: 'spot', value: { lat: 54.4, lon: -1.9 } });
  expect(await placeOf('hut')).toMatchObject({ key: 'place', value: { lat: 54.5, lon: -1.8 } });
});
