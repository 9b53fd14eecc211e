import fs from 'node:fs';
import path from 'node:path';
import { createClient, type Client } from '@peatmoor/contract';
import {
  newDevice,
  newFolder,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../../test/support/service';

// A board computer without a battery clock wakes up in 1970, then in the future, then is set back: nothing is lost.
const HOUR = 3_600_000;
const DAY = 86_400_000;
const shiftFile = path.join(newFolder(), 'shift');
const shift = (ms: number): void => fs.writeFileSync(shiftFile, String(ms));
let service: TestService;
let client: Client;
let token: string;
const id = 'dipwell-north';

const values = async (): Promise<number[]> => {
  const query = { streams: 'level', from: Date.now() - 2 * DAY, to: Date.now() + 2 * HOUR };
  const { lines } = await client.call('history', { params: { device: id }, query });
  return lines[0]!.values;
};

beforeAll(async () => {
  shift(0);
  service = await startService({
    NODE_OPTIONS: `--import=${path.resolve(__dirname, '../../../../test/support/shiftedClock.mjs')}`,
    SHIFT_FILE: shiftFile,
  });
  const person = await newPerson(service);
  // An access key without an end: sessions end by the clock.
  const { secret } = await person.client.call('createKey', { body: { title: 'clocks' } });
  client = createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${secret}` } });
  ({ token } = await newDevice(client));
});
afterAll(() => service.stop());

const newest = async (): Promise<number | undefined> =>
  (await client.call('readDevice', { params: { device: id } })).newest.find(({ key }) => key === 'level')
    ?.value as number;
let number = 0;
/** Reports numbers of their own, without a time; gives those that were acknowledged. */
async function report(count: number): Promise<number[]> {
  const acknowledged: number[] = [];
  for (let i = 0; i < count; i++) {
    const level = -++number;
    if ((await post(service, token, { level })).status === 200) acknowledged.push(level);
  }
  return acknowledged;
}

it('a clock that is set back by an hour makes no reading replace another, and refuses none', async () => {
  const before = await report(50);
  shift(-HOUR);
  await new Promise((resolve) => setTimeout(resolve, 50));
  const after = await report(200);
  expect([before.length, after.length]).toEqual([50, 200]);
  expect((await values()).sort((a, b) => a - b)).toEqual([...before, ...after].sort((a, b) => a - b));
  expect(await newest()).toBe(-250);
  const { clock } = await client.call('status');
  expect(clock).toMatch(/set back by (59|60) min/);
  const health = (await (await fetch(`${service.url}/health`)).json()) as { ok: boolean; clock: string };
  expect(health).toMatchObject({ ok: true, clock });
  // Folding goes on.
  const kind = (await client.call('listKinds'))[0]!;
  await client.call('changeKind', { params: { kind: kind.id }, body: { notes: 'set back' } });
  await client.call('deleteReadings', { params: { device: id }, body: { stream: 'level', from: 0, to: 1 } });
});

it('an event rule sees what comes after a time in the future, and the newest value is the newest', async () => {
  await client.call('createRule', {
    body: { title: 'High', deviceId: id, stream: 'temperature', comparison: 'above', limit: 50 },
  });
  shift(40 * DAY);
  await new Promise((resolve) => setTimeout(resolve, 50));
  await report(3);
  await post(service, token, { temperature: 5 });
  expect((await client.call('status')).clock).toContain('jumped ahead by 40 days');
  shift(0);
  await new Promise((resolve) => setTimeout(resolve, 50));
  expect((await post(service, token, { level: -400, temperature: 60 })).answer.refused).toEqual([]);
  expect(await newest()).toBe(-400);
  await until(
    async () => (await client.call('listEvents')).some(({ title }) => title === 'High'),
    'the event',
  );
});

it('a start in the future tidies nothing away', async () => {
  const kind = (await client.call('listKinds'))[0]!;
  const { id: _id, unconfirmed: _new, ...level } = kind.streams.find(({ key }) => key === 'level')!;
  await client.call('changeStream', {
    params: { kind: kind.id, stream: 'level' },
    body: { ...level, keepDays: 10 },
  });
  const before = await values();
  shift(60 * DAY);
  await service.restart(false);
  expect((await client.call('status')).clock).toContain('jumped ahead');
  // The first look at what is too old comes twenty seconds after the start.
  await new Promise((resolve) => setTimeout(resolve, 22_000));
  expect((await values()).length).toBe(before.length);
});

it('in 1970 boards with a right clock are believed', async () => {
  shift(-Date.now() + 10_000);
  await service.restart(false);
  const at = Date.now();
  const answer = await post(service, token, { at, level: 77 });
  expect(answer.status).toBe(200);
  expect((await client.call('status')).clock).toContain('cannot be');
  shift(0);
  await until(async () => (await values()).includes(77));
});
