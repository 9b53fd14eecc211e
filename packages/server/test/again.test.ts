import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import { encode } from 'cborg';
import { sendAgainLine, TOKEN_PLACEHOLDER } from '@peatmoor/core';
import type { Arrival, Client } from '@peatmoor/contract';
import { mqttAs, newPerson, startService, until, type TestService } from '../../../test/support/service';

const run = promisify(execFile);
const id = 'dipwell';
let service: TestService;
let client: Client;
let token: string;

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
  ({ token } = await client.call('createDevice', {
    body: {
      name: 'Dipwell',
      newKind: {
        title: 'Dipwell',
        streams: [
          { key: 'level', title: 'Level', type: 'number' },
          { key: 'note', title: 'Note', type: 'text' },
          { key: 'picture', title: 'Picture', type: 'image' },
        ],
      },
    },
  }));
});
afterAll(() => service.stop());

const arrivals = () => client.call('listArrivals', { params: { device: id } });
const address = () => ({
  httpUrl: service.url,
  host: '127.0.0.1',
  mqttPort: Number(new URL(service.mqttUrl).port),
});
const send = (type: string, body: string | Uint8Array, query = ''): Promise<Response> =>
  fetch(`${service.url}/device/report${query}`, {
    method: 'POST',
    headers: { authorization: `Bearer ${token}`, 'content-type': type },
    body: body as never,
  });
const overMqtt = async (topic: string, payload: string | Buffer): Promise<void> => {
  const board = await mqttAs(service, id, token);
  await board.publishAsync(`moor/${id}/${topic}`, payload, { qos: 1 });
  await board.endAsync();
};
/** What came last, once it is another than before. */
const newest = async (before: string | undefined): Promise<Arrival> =>
  until(async () => {
    const [arrival] = await arrivals();
    return arrival !== undefined && arrival.id !== before && arrival;
  }, 'a message');

const PNG = Uint8Array.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 0, 255, 39, 92, 37]);

it.each([
  [
    'JSON',
    () => send('application/json', '{"level":-121,"note":"it\'s dry; 50 % of it"}'),
    ['level', 'note'],
  ],
  ['CSV', () => send('text/csv', 'level,note\n-3,wet\n'), ['level', 'note']],
  ['a form', () => send('application/x-www-form-urlencoded', 'level=4&note=a%20b'), ['level', 'note']],
  ['SenML', () => send('application/senml+json', '[{"n":"level","v":7}]'), ['level']],
  ['SenML in CBOR', () => send('application/senml+cbor', encode([{ 0: 'level', 2: 8 }])), ['level']],
  ['a picture', () => send('image/png', PNG, '?name=picture'), ['picture']],
  ['MQTT', () => overMqtt('report', '{"level":9}'), ['level']],
  ['a plain value on MQTT', () => overMqtt('report/note', "a 'quoted' $word"), ['note']],
  ['CBOR on MQTT', () => overMqtt('report', Buffer.from(encode([{ 0: 'level', 2: 10 }]))), ['level']],
] as const)('the line that sends %s again does so', async (_what, first, keys) => {
  const last = (await arrivals())[0]?.id;
  await first();
  const came = await newest(last);
  const line = sendAgainLine(came, address());
  expect(line).toMatch(/^(printf '[\\0-7]+' \| )?(curl|mosquitto_pub) /);
  await run('/bin/sh', ['-c', line!.replace(TOKEN_PLACEHOLDER, token)]);
  const again = await newest(came.id);
  expect(again.refused).toEqual([]);
  expect(again.accepted.map(({ key }) => key)).toEqual(keys);
  expect(again.accepted.map(({ value }) => value)).toEqual(came.accepted.map(({ value }) => value));
});

it('has no line for what is known only in part, or had no body', async () => {
  const message = { deviceId: id, way: 'HTTP', form: 'application/json', payload: '', size: 0 };
  expect(sendAgainLine(message, address())).toBeNull();
  expect(sendAgainLine({ ...message, payload: '{"level": 1, …', size: 9000 }, address())).toBeNull();
});
