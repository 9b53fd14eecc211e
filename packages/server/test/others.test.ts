import type { Client } from '@peatmoor/contract';
import { createClient } from '@peatmoor/contract';
import { WebSocket } from 'ws';
import {
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

const PNG = Uint8Array.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 1, 2, 3]);
const id = 'pony-bracken';
let service: TestService;
let person: Person;
let client: Client;
let token: string;

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  client = person.client;
  ({ token } = await client.call('createDevice', {
    body: {
      name: 'Pony Bracken',
      newKind: {
        title: 'Collar',
        streams: [
          { key: 'place', title: 'Where', type: 'location' },
          { key: 'says', title: 'Says', type: 'text' },
          { key: 'picture', title: 'Picture', type: 'image' },
          { key: 'battery', title: 'Battery', type: 'number', unit: 'V' },
        ],
      },
    },
  }));
});
afterAll(() => service.stop());

const problem = (promise: Promise<unknown>) =>
  promise.then(
    () => ({ status: 200, detail: '' }),
    (error: { problem: { status: number; detail: string } }) => error.problem,
  );
const others = async (stream: string, query: object = {}) =>
  client.call('listOthers', { params: { device: id }, query: { stream, ...query } });

it('tells a live page of a device that is online for the first time, once', async () => {
  const told: string[] = [];
  const socket = new WebSocket(`${service.url.replace('http', 'ws')}/api/live`, {
    headers: { cookie: person.cookie() },
  });
  socket.on('message', (data: Buffer) => told.push(data.toString()));
  await new Promise((resolve) => socket.once('open', resolve));
  await post(service, token, { battery: 3.9 });
  await post(service, token, { battery: 3.8 });
  const first = () => told.filter((text) => text.includes('"firstOnline"'));
  await until(() => first().length > 0, 'the notice');
  expect(JSON.parse(first()[0]!)).toMatchObject({ type: 'firstOnline', device: id, name: 'Pony Bracken' });
  expect(first()).toHaveLength(1);
  socket.close();
});

it('gives texts, locations and images of a period, the newest first, and says where there is more', async () => {
  const start = Date.now() - 60_000;
  for (let i = 0; i < 5; i++)
    await post(service, token, {
      at: start + i * 1000,
      place: { lat: 53.4, lon: -1.8 - i / 100 },
      says: `here ${i}`,
    });
  await post(service, token, { at: start, picture: Buffer.from(PNG).toString('base64') });
  const places = await others('place', { limit: 3 });
  expect(places.cut).toBe(true);
  expect(places.readings.map(({ at }) => at - start)).toEqual([4000, 3000, 2000]);
  expect(places.readings[0]!.value).toEqual({ lat: 53.4, lon: -1.84, alt: null });
  const said = await others('says', { from: start + 1000, to: start + 3000 });
  expect(said).toMatchObject({ cut: false, readings: [{ value: 'here 2' }, { value: 'here 1' }] });
  expect((await others('picture')).readings[0]!.value).toEqual({ type: 'image/png', size: PNG.length });
  expect((await problem(others('battery'))).detail).toMatch(/kept as numbers/);
  const history = client.call('history', {
    params: { device: id },
    query: { streams: 'battery,place', from: start, to: start + 5000, buckets: 0 },
  });
  expect(await problem(history)).toMatchObject({
    status: 422,
    detail: expect.stringMatching(/"place" holds locations, not numbers/),
  });
  expect((await problem(others('plaice'))).detail).toMatch(/nearest is "place"/);
});

it('shows the reading before when the newest text was deleted', async () => {
  const newest = async () =>
    (await client.call('readDevice', { params: { device: id } })).newest.find(({ key }) => key === 'says')
      ?.value;
  expect(await newest()).toBe('here 4');
  const { readings } = await others('says', { limit: 1 });
  const { at } = readings[0]!;
  await client.call('deleteReadings', {
    params: { device: id },
    body: { stream: 'says', from: at, to: at + 1 },
  });
  expect(await newest()).toBe('here 3');
  await client.call('deleteReadings', { params: { device: id }, body: { stream: 'says' } });
  expect(await newest()).toBeUndefined();
});

describe('the picture of a device', () => {
  const call = (method: string, body?: Uint8Array, cookie = person.cookie()) =>
    fetch(`${service.url}/api/devices/${id}/picture`, {
      method,
      headers: { cookie, origin: service.url, 'content-type': 'image/png' },
      ...(body !== undefined && { body: body as Uint8Array<ArrayBuffer> }),
    });

  it('is put, shown, replaced and taken away', async () => {
    expect((await call('GET')).status).toBe(404);
    expect((await call('PUT', PNG)).status).toBe(204);
    const shown = await call('GET');
    expect(shown.headers.get('content-type')).toBe('image/png');
    expect(new Uint8Array(await shown.arrayBuffer())).toEqual(PNG);
    expect((await client.call('readDevice', { params: { device: id } })).pictureAt).toBeGreaterThan(0);
    expect((await call('PUT', Uint8Array.from([...PNG, 9]))).status).toBe(204);
    expect((await call('DELETE')).status).toBe(204);
    expect((await call('GET')).status).toBe(404);
  });

  it('is refused when it is none, too large, or another workspace’s', async () => {
    expect((await call('PUT', Uint8Array.from([1, 2, 3]))).status).toBe(422);
    expect((await call('PUT', new Uint8Array(600_000))).status).toBe(413);
    const stranger = await newPerson(service, 'Stranger');
    expect((await call('GET', undefined, stranger.cookie())).status).toBe(404);
    expect((await call('PUT', PNG, stranger.cookie())).status).toBe(404);
    expect((await call('PUT', PNG, '')).status).toBe(401);
  });
});

describe('an account', () => {
  it('keeps in which units values are shown, and a name', async () => {
    expect((await client.call('me')).user.units).toBe('metric');
    await client.call('changeMe', { body: { units: 'imperial', name: 'The warden' } });
    expect((await client.call('me')).user).toMatchObject({ units: 'imperial', name: 'The warden' });
    expect((await problem(client.call('changeMe', { body: { units: 'furlongs' as never } }))).status).toBe(
      422,
    );
  });

  it('is not changed, and gets no wider key, by a key that may only look', async () => {
    const { secret } = await client.call('createKey', { body: { title: 'looks', scope: 'read' } });
    const looking = createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${secret}` } });
    expect((await looking.call('me')).role).toBe('viewer');
    const calls = [
      looking.call('createKey', { body: { title: 'wider', scope: 'everything' } }),
      looking.call('changeMe', { body: { units: 'metric' } }),
      looking.call('deleteKey', { params: { key: 1 } }),
    ];
    for (const one of await Promise.all(calls.map(problem))) expect(one).toMatchObject({ status: 403 });
  });
});
