import { createHash, createPublicKey, randomBytes, verify } from 'node:crypto';
import type { Client } from '@peatmoor/contract';
import { pino } from 'pino';
import {
  databaseOf,
  newPerson,
  startService,
  type Person,
  type TestService,
} from '../../../test/support/service';
import { createBus } from '../src/bus';
import { createFirmwareBook } from '../src/definitions/firmware';
import { openStore } from '../src/store/store';

let service: TestService;
let person: Person;
let client: Client;
let kind: number;
const tokens = new Map<string, string>();
const body = (version: string, size = 150_000): Buffer =>
  Buffer.concat([randomBytes(size), Buffer.from(`moor-firmware:${version}:`), randomBytes(100)]);

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ client } = person);
  const first = await client.call('createDevice', {
    body: {
      name: 'Well 1',
      newKind: { title: 'Well', streams: [{ key: 'level', title: 'Level', type: 'number' }] },
    },
  });
  kind = first.device.kindId;
  tokens.set('well-1', first.token);
  for (let i = 2; i <= 4; i++)
    tokens.set(
      `well-${i}`,
      (await client.call('createDevice', { body: { name: `Well ${i}`, kindId: kind } })).token,
    );
});
afterAll(() => service.stop());

const upload = (version: string, file: Buffer, cookie = person.cookie(), of = kind) =>
  fetch(`${service.url}/api/kinds/${of}/firmware/${version}?notes=drier`, {
    method: 'PUT',
    headers: { cookie, origin: service.url, 'content-type': 'application/octet-stream' },
    body: new Uint8Array(file),
  });
const asked = async (device: string, path: string, more: RequestInit = {}) =>
  fetch(`${service.url}/device/firmware${path}`, {
    ...more,
    headers: { authorization: `Bearer ${tokens.get(device)}`, ...(more.headers as object) },
  });
const ask = async (device: string, has: string, slots = 2) =>
  (await (await asked(device, `?has=${has}&slots=${slots}`)).json()) as {
    version: string | null;
    size: number;
    sha256: string;
    signature: string;
    state?: string;
  };
const say = (device: string, version: string, state: string, reason = '') =>
  asked(device, '', { method: 'POST', body: JSON.stringify({ version, state, reason }) });
/** A board fetches all of a program in ranges, and checks it. */
async function fetchAll(device: string, told: Awaited<ReturnType<typeof ask>>): Promise<Buffer> {
  const parts: Buffer[] = [];
  for (let at = 0; at < told.size;) {
    const response = await asked(device, `/${told.version}`, {
      headers: { range: `bytes=${at}-${at + 16_383}` },
    });
    expect(response.status).toBe(206);
    const part = Buffer.from(await response.arrayBuffer());
    expect(response.headers.get('content-range')).toBe(`bytes ${at}-${at + part.length - 1}/${told.size}`);
    parts.push(part);
    at += part.length;
  }
  const whole = Buffer.concat(parts);
  expect(createHash('sha256').update(whole).digest('hex')).toBe(told.sha256);
  const { publicKey } = await client.call('readFirmwareKey', { params: { kind } });
  expect(verify('sha256', whole, createPublicKey(publicKey), Buffer.from(told.signature, 'hex'))).toBe(true);
  return whole;
}
const round = async () => (await client.call('listRounds', { params: { kind } }))[0]!;
const stateOf = async (device: string) => (await round()).devices.find(({ id }) => id === device);
const give = (more: object) => client.call('createRound', { params: { kind }, body: more as never });
const problem = (promise: Promise<unknown>) =>
  promise.then(
    () => ({ status: 200, errors: [] as { field: string }[] }),
    (error: { problem: { status: number; errors?: { field: string }[] } }) => ({
      errors: [],
      ...error.problem,
    }),
  );

describe('a firmware of a kind', () => {
  it('is uploaded once, by whoever may change, as what it says it is', async () => {
    expect((await upload('1.1.0', body('1.1.0'))).status).toBe(201);
    expect((await upload('1.1.0', body('1.1.0'))).status).toBe(409);
    expect(await (await upload('1.2.0', body('1.1.9'))).text()).toMatch(/the file says that it is 1\.1\.9/);
    expect((await upload('..%2F1', body('x'))).status).toBe(422);
    expect((await upload('1.3.0', Buffer.alloc(0))).status).toBe(422);
    expect((await upload('1.3.0', Buffer.alloc(8 * 2 ** 20 + 1))).status).toBe(413);
    const stranger = await newPerson(service);
    expect((await upload('1.3.0', body('1.3.0'), stranger.cookie())).status).toBe(404);
    expect((await upload('1.3.0', body('1.3.0'), '')).status).toBe(401);
    const [one] = await client.call('listFirmware', { params: { kind } });
    expect(one).toMatchObject({ version: '1.1.0', notes: 'drier', by: expect.any(String) });
    expect(await problem(stranger.client.call('listRounds', { params: { kind } }))).toMatchObject({
      status: 404,
    });
  });

  it('goes to one board first, which fetches it in ranges, interrupted, checks it, and confirms it', async () => {
    expect(await ask('well-1', '1.0.0')).toEqual({ version: null });
    // Nobody fetches what was not meant for them.
    expect((await asked('well-1', '/1.1.0')).status).toBe(404);
    await give({ version: '1.1.0', target: 'device', name: 'well-1' });
    expect(await ask('well-2', '1.0.0')).toEqual({ version: null });
    const told = await ask('well-1', '1.0.0');
    expect(told).toMatchObject({ version: '1.1.0', size: expect.any(Number) });
    // Interrupted after a part: what came is shown, and it is told again.
    await asked('well-1', '/1.1.0', { headers: { range: 'bytes=0-16383' } });
    expect(await stateOf('well-1')).toMatchObject({ state: 'offered', bytes: 16_384 });
    expect(await ask('well-1', '1.0.0')).toMatchObject({ version: '1.1.0' });
    await fetchAll('well-1', told);
    expect((await asked('well-1', '/1.1.0', { headers: { range: 'bytes=99999999-' } })).status).toBe(416);
    expect((await asked('well-1', '/1.1.0', { headers: { range: 'bytes=5-2' } })).status).toBe(416);
    expect((await asked('well-1', '/1.1.0', { headers: { range: 'lines=1' } })).status).toBe(416);
    expect((await (await asked('well-1', '/1.1.0')).arrayBuffer()).byteLength).toBe(65_536);
    expect((await say('well-1', '1.1.0', 'fetched')).status).toBe(200);
    expect(await stateOf('well-1')).toMatchObject({ state: 'fetched' });
    expect(await ask('well-1', '1.1.0')).toEqual({ version: null, state: 'confirmed' });
    expect(await stateOf('well-1')).toMatchObject({ state: 'confirmed', note: '' });
  });

  it('stops by itself where boards fail or go back; boards with one slot are told that they cannot', async () => {
    await upload('1.2.0', body('1.2.0'));
    await give({ version: '1.2.0', mostFailures: 2 });
    const wrong = await ask('well-1', '1.1.0');
    await fetchAll('well-1', wrong);
    await say('well-1', '1.2.0', 'failed', 'the sum is wrong');
    expect(await stateOf('well-1')).toMatchObject({ state: 'failed', note: 'the sum is wrong' });
    // It is not asked to try again in this round.
    expect(await ask('well-1', '1.1.0')).toEqual({ version: null, state: 'failed' });
    expect(await ask('well-2', '1.0.0', 1)).toEqual({ version: null, state: 'cannot' });
    expect((await round()).state).toBe('going');
    // Another fetches it, does not start, and runs the one before again.
    await ask('well-3', '1.0.0');
    await say('well-3', '1.2.0', 'fetched');
    await ask('well-3', '1.0.0');
    expect(await stateOf('well-3')).toMatchObject({ state: 'went-back', note: 'It runs 1.0.0 again.' });
    expect(await round()).toMatchObject({
      state: 'stopped',
      reason: expect.stringMatching(/failed on 2 of at most 2/),
    });
    expect(await ask('well-4', '1.0.0')).toEqual({ version: null });
    // In another round it may try again.
    await give({ version: '1.2.0', target: 'device', name: 'well-1' });
    expect(await ask('well-1', '1.1.0')).toMatchObject({ version: '1.2.0' });
  });

  it('is taken and given whole up to its bound, wherever a range begins', async () => {
    const file = body('8.0.0', 8 * 2 ** 20 - 200);
    expect((await upload('8.0.0', file)).status).toBe(201);
    const round = await give({ version: '8.0.0', target: 'device', name: 'well-2' });
    const told = await ask('well-2', '1.0.0');
    expect(told.size).toBe(file.length);
    // Wherever a range begins and ends, it is that of the file.
    for (const [start, end] of [
      [0, 10],
      [65_530, 65_545],
      [65_536, 131_071],
      [file.length - 5, file.length + 50],
    ] as const) {
      const response = await asked('well-2', '/8.0.0', { headers: { range: `bytes=${start}-${end - 1}` } });
      const bytes = Buffer.from(await response.arrayBuffer());
      expect(bytes.equals(file.subarray(start, Math.min(end, file.length)))).toBe(true);
    }
    expect(round.version).toBe('8.0.0');
    await client.call('deleteFirmware', { params: { kind, version: '8.0.0' } });
    expect((await asked('well-2', '/8.0.0')).status).toBe(404);
  });

  it('has no key for a kind that is gone', async () => {
    const store = await openStore(databaseOf(service) as never, pino({ level: 'silent' }));
    const sealer = { seal: (text: string) => text, open: (text: string) => text };
    await expect(createFirmwareBook(store, sealer, createBus()).publicKey(1, 987_654)).rejects.toThrow(
      /kind/,
    );
    await store.close();
  });

  it('goes to a share, then to more; stopped and going on by hand, on record', async () => {
    const made = await give({ version: '1.2.0', percent: 1 });
    const change = (more: object) =>
      client.call('changeRound', { params: { kind, round: made.id }, body: more });
    const offered = async () =>
      (await Promise.all(['well-2', 'well-3', 'well-4'].map((one) => ask(one, '1.0.0')))).filter(
        ({ version }) => version !== null,
      ).length;
    expect(await offered()).toBeLessThan(3);
    await change({ percent: 100 });
    expect(await offered()).toBe(3);
    expect(await problem(change({ percent: 50 }))).toMatchObject({
      status: 422,
      errors: [{ field: 'percent' }],
    });
    await change({ state: 'stopped' });
    expect(await offered()).toBe(0);
    await change({ state: 'going' });
    expect(await offered()).toBe(3);
    const changes = await client.call('listChanges', {});
    expect(JSON.stringify(changes)).toMatch(/"firmware"/);
    expect(await problem(give({ version: '9' }))).toMatchObject({
      status: 422,
      errors: [{ field: 'version' }],
    });
    expect(await problem(give({ version: '1.2.0', target: 'device', name: 'other' }))).toMatchObject({
      errors: [{ field: 'name' }],
    });
    expect(await problem(give({ version: '1.2.0', target: 'label', name: 'bog' }))).toMatchObject({
      errors: [{ field: 'name' }],
    });
  });

  it('refuses what a board says that makes no sense, and goes with its kind and device', async () => {
    const statuses = async (...calls: Promise<Response>[]) =>
      (await Promise.all(calls)).map(({ status }) => status);
    expect(
      await statuses(
        asked('well-4', '?has='),
        asked('well-4', '?has=1.0.0&slots=x'),
        asked('well-4', '', { method: 'POST', body: 'no JSON' }),
        asked('well-4', '', { method: 'POST', body: 'null' }),
        say('well-4', '1.2.0', 'confirmed'),
        say('well-4', '7.7.7', 'fetched'),
        asked('well-4', '', { method: 'DELETE' }),
        fetch(`${service.url}/device/firmware?has=1`),
      ),
    ).toEqual([422, 422, 400, 400, 400, 422, 405, 401]);
    await client.call('deleteDevice', { params: { device: 'well-4' } });
    await client.call('deleteFirmware', { params: { kind, version: '1.2.0' } });
    expect(
      (await client.call('listRounds', { params: { kind } })).every(({ version }) => version === '1.1.0'),
    ).toBe(true);
  });
});
