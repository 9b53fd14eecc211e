import type { Client } from '@peatmoor/contract';
import fc from 'fast-check';
import {
  mqttAs,
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let client: Client;
let token: string;
const id = 'dipwell-north';

beforeAll(async () => {
  service = await startService({ PEATMOOR_DEVICE_RATE: '200' });
  ({ client } = await newPerson(service));
  ({ token } = await newDevice(client));
});
afterAll(() => service.stop());

const history = async (from: number, to: number) =>
  (await client.call('history', { params: { device: id }, query: { streams: 'level', from, to } })).lines[0]!;

describe('the quick way and the long way over HTTP', () => {
  it('give the same answer to every report', async () => {
    const send = async (body: string, long: boolean) => {
      // An address with a query goes the long way.
      const response = await fetch(`${service.url}/device/report${long ? '?x' : ''}`, {
        method: 'POST',
        headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
        body,
      });
      return { status: response.status, answer: await response.json() };
    };
    await send('{"level":-1}', false);
    const value = fc.oneof(
      fc.integer({ min: -900, max: 300 }),
      fc.constantFrom('dry', true, null, '-5', [], 'NaN'),
    );
    const name = fc.constantFrom('level', 'Level', '1', 'temperature', 'levle', 'pump', 'n', 'nothing');
    await fc.assert(
      fc.asyncProperty(fc.dictionary(name, value, { maxKeys: 4 }), async (row) => {
        const body = JSON.stringify({ at: 1_760_000_000_000, ...row });
        expect(await send(body, true)).toEqual(await send(body, false));
      }),
      { numRuns: 40 },
    );
    for (const body of ['', '{', '[]', '"x"', '[{"level":1},{"level":2}]'])
      expect(await send(body, true)).toEqual(await send(body, false));
  });

  it('refuse a token at once when it is withdrawn, and a deleted device', async () => {
    const extra = await client.call('createToken', { params: { device: id }, body: { title: 'extra' } });
    expect((await post(service, extra.secret, { level: -2 })).status).toBe(200);
    expect((await post(service, extra.secret, { level: -2 })).status).toBe(200);
    await client.call('withdrawToken', { params: { device: id, token: extra.id } });
    expect((await post(service, extra.secret, { level: -3 })).status).toBe(401);
    const gone = await client.call('createDevice', {
      body: { name: 'Gone', newKind: { title: 'Gone', acceptNew: true } },
    });
    expect((await post(service, gone.token, { depth: 1 })).status).toBe(200);
    await client.call('deleteDevice', { params: { device: gone.device.id } });
    expect((await post(service, gone.token, { depth: 1 })).status).toBe(401);
  });
});

describe('messages without a time of their own', () => {
  it('that come in one millisecond stay apart, in the order they came', async () => {
    const mqtt = await mqttAs(service, id, token);
    const start = Date.now();
    const values = Array.from({ length: 60 }, (_, i) => -100 - i);
    await Promise.all(
      values.map((level) => mqtt.publishAsync(`moor/${id}/report`, JSON.stringify({ level }), { qos: 1 })),
    );
    const line = await history(start - 5, start + 60_000);
    expect(line.values.filter((value) => value <= -100)).toEqual(values);
    await mqtt.endAsync(true);
  });

  it('carry all their values at one moment', async () => {
    await post(service, token, { level: -300, temperature: 3 });
    const { newest } = await client.call('readDevice', { params: { device: id } });
    const at = (key: string) => newest.find((one) => one.key === key)!.at;
    expect(at('level')).toBe(at('temperature'));
  });
});

describe('a device that sends faster than it may', () => {
  it('over MQTT QoS 1 is slowed down, and everything is stored', async () => {
    const mqtt = await mqttAs(service, id, token);
    const start = 1_750_000_000_000;
    const began = Date.now();
    await Promise.all(
      Array.from({ length: 500 }, (_, i) =>
        mqtt.publishAsync(`moor/${id}/report`, JSON.stringify({ at: start + i, level: -(i % 100) }), {
          qos: 1,
        }),
      ),
    );
    expect(Date.now() - began).toBeGreaterThan(900);
    expect((await history(start, start + 500)).times).toHaveLength(500);
    await mqtt.endAsync(true);
  });

  it('over HTTP is told when to come back', async () => {
    const answers: Response[] = [];
    // What is counted are the values: of many in one message however slow the machine is.
    const body = JSON.stringify(Array.from({ length: 50 }, (_, i) => ({ at: Date.now() - i, level: -1 })));
    // On a slow machine one wave may not be faster than the device may send, and a connection that rests too long is closed.
    for (let wave = 0; wave < 6 && !answers.some(({ status }) => status === 429); wave++)
      answers.push(
        ...(await Promise.all(
          Array.from({ length: 300 }, () =>
            fetch(`${service.url}/device/report`, {
              method: 'POST',
              headers: {
                authorization: `Bearer ${token}`,
                'content-type': 'application/json',
                connection: 'close',
              },
              body,
            }),
          ),
        )),
      );
    const late = answers.filter(({ status }) => status === 429);
    expect(late.length).toBeGreaterThan(0);
    expect(late[0]!.headers.get('retry-after')).toBe('1');
    expect(answers.every(({ status }) => status === 200 || status === 429)).toBe(true);
  });
});

describe('a kind that accepts new names', () => {
  it('makes one datastream of a name that comes in many messages at once', async () => {
    const made = await client.call('createDevice', {
      body: { name: 'Open', id: 'open', newKind: { title: 'Open', acceptNew: true } },
    });
    const twin = await client.call('createDevice', {
      body: { name: 'Twin', id: 'twin', kindId: made.device.kindId },
    });
    const answers = await Promise.all(
      Array.from({ length: 20 }, (_, i) =>
        post(service, i % 2 ? made.token : twin.token, { depth: i, tide: i }),
      ),
    );
    expect(answers.every(({ status, answer }) => status === 200 && answer.accepted === 2)).toBe(true);
    const kind = await client.call('readKind', { params: { kind: made.device.kindId } });
    expect(kind.streams.map(({ key }) => key).sort()).toEqual(['depth', 'tide']);
  });

  it('makes no more than two hundred, and nothing of names that steer a message', async () => {
    const made = await client.call('createDevice', {
      body: { name: 'Many names', id: 'many-names', newKind: { title: 'Many names', acceptNew: true } },
    });
    const many = Object.fromEntries(Array.from({ length: 260 }, (_, i) => [`name_${i}`, i]));
    const { answer } = await post(service, made.token, { ...many, wait: 3, for: 'x' });
    expect(answer.accepted).toBe(200);
    const kind = await client.call('readKind', { params: { kind: made.device.kindId } });
    expect(kind.streams).toHaveLength(200);
    expect(kind.streams.some(({ key }) => key === 'wait' || key === 'for')).toBe(false);
  });

  it('notes everything that was refused for the device it came from', async () => {
    const arrivals = await until(async () => {
      const list = await client.call('listArrivals', { params: { device: 'many-names' } });
      return list.length > 0 && list;
    });
    expect(arrivals[0]).toMatchObject({ acceptedCount: 200, refusedCount: 62 });
  });
});
