import { execFileSync } from 'node:child_process';
import type { Client } from '@peatmoor/contract';
import {
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

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
  ({ token } = await newDevice(client));
});
afterAll(() => service.stop());

describe('a report over HTTP', () => {
  it('is stored under key, virtual pin and lenient name, and there to be read at once', async () => {
    const at = Date.now() - 5000;
    expect(await post(service, token, { at, level: -121 })).toEqual({
      status: 200,
      answer: { accepted: 1, refused: [] },
    });
    expect(await post(service, token, { at: at + 1, 1: '-122' })).toMatchObject({ status: 200 });
    expect(await post(service, token, { at: at + 2, Level: -123 })).toMatchObject({ status: 200 });
    expect((await readingsOf(client, id, 'level')).slice(-3)).toEqual([
      [at, -121],
      [at + 1, -122],
      [at + 2, -123],
    ]);
  });

  it('may be a one-line GET, and sent again is stored once', async () => {
    const at = Date.now() - 60_000;
    for (let i = 0; i < 2; i++) {
      const response = await fetch(`${service.url}/device/report?access_token=${token}&level=-99&at=${at}`);
      expect(await response.json()).toEqual({ accepted: 1, refused: [] });
    }
    expect((await readingsOf(client, id, 'level')).filter(([one]) => one === at)).toEqual([[at, -99]]);
  });

  it('works with curl as Debian has it, which sends a form type unless told otherwise', () => {
    const answer = execFileSync(
      'curl',
      ['-s', '-H', `Authorization: Bearer ${token}`, '-d', '{"level": -130}', `${service.url}/device/report`],
      { encoding: 'utf8' },
    );
    expect(JSON.parse(answer)).toEqual({ accepted: 1, refused: [] });
  });

  it('keeps the good values beside bad ones and shows both in arrivals, with the number the board printed', async () => {
    const { status, answer } = await post(service, token, {
      n: 77,
      temperature: 7.5,
      levl: 3,
      level: 9000,
      pump: 1,
      mode: 'maybe',
    });
    expect(status).toBe(200);
    expect(answer.refused.map(({ name, reason }) => [name, reason])).toEqual([
      ['levl', 'unknown-name'],
      ['level', 'out-of-range'],
      ['pump', 'not-reportable'],
      ['mode', 'wrong-type'],
    ]);
    expect(answer.refused[0]!.hint).toContain('"level"');
    const arrival = (await client.call('listArrivals', { params: { device: id } }))[0]!;
    expect(arrival).toMatchObject({
      number: 77,
      way: 'HTTP',
      acceptedCount: 1,
      refusedCount: 4,
      accepted: [{ key: 'temperature', value: 7.5 }],
    });
    expect(arrival.refused[0]).toMatchObject({ name: 'levl', shown: '3' });
  });

  it.each([
    ['an empty body', '', 400, 'unreadable'],
    ['text that is not JSON', '{"level": -1', 400, 'unreadable'],
    ['NaN', '{"level": NaN}', 400, 'unreadable'],
    ['null for a value', '{"level": null}', 422, 'not-finite'],
    ['text for a number', '{"level": "wet"}', 422, 'wrong-type'],
    ['a value out of range', '{"level": -9999}', 422, 'out-of-range'],
    ['an unknown name', '{"nivel": 1}', 422, 'unknown-name'],
    ['a time ahead', `{"at": ${Date.now() + 3_600_000}, "level": 1}`, 422, 'in-the-future'],
    ['a body of a megabyte', `{"level": 1, "x": "${'x'.repeat(1_100_000)}"}`, 413, 'too-large'],
  ])('refuses %s with a reason and a hint', async (_what, body, status, reason) => {
    const outcome = await post(service, token, body);
    expect(outcome.status).toBe(status);
    expect(outcome.answer.accepted).toBe(0);
    expect(outcome.answer.refused[0]).toMatchObject({ reason });
    expect(outcome.answer.refused[0]!.hint.length).toBeGreaterThan(15);
  });

  it('takes ten thousand back-dated values in one message', async () => {
    const start = Date.now() - 3_000_000;
    const rows = Array.from({ length: 10_000 }, (_, i) => ({ at: start + i * 100, temperature: i / 10 }));
    expect(await post(service, token, rows)).toMatchObject({ status: 200, answer: { accepted: 10_000 } });
    const { lines } = await client.call('history', {
      params: { device: id },
      query: { streams: 'temperature', from: start, to: start + 1_000_000, buckets: 100 },
    });
    expect(lines[0]!.count.reduce((sum, one) => sum + one, 0)).toBe(10_000);
  });
});

describe('a token', () => {
  const reason = async (text: string) => (await post(service, text, { level: 1 })).answer.refused[0]!;

  it('that is half-copied, mistyped or unknown is told apart', async () => {
    expect(await reason(token.slice(0, 20))).toMatchObject({
      reason: 'bad-token',
      hint: expect.stringContaining('cut short'),
    });
    const wrong = token.slice(0, 12) + (token[12] === 'x' ? 'y' : 'x') + token.slice(13);
    expect(await reason(wrong)).toMatchObject({ hint: expect.stringContaining('wrong letter') });
    expect(await reason('secret')).toMatchObject({ hint: expect.stringContaining('not a device token') });
    expect((await post(service, token.slice(0, 20), { level: 1 })).status).toBe(401);
  });

  it('that is half-copied shows on its device as trouble, since its fingerprint is there', async () => {
    const made = await newDevice(client, 'Dipwell East');
    await post(service, made.token.slice(0, 18), { level: 1 });
    const device = await until(async () => {
      const one = await client.call('readDevice', { params: { device: made.device.id } });
      return one.proof.trouble !== null && one;
    });
    expect(device.proof).toMatchObject({
      seenAt: expect.any(Number),
      tokenRightAt: null,
      trouble: { reason: 'bad-token' },
    });
    await post(service, made.token, { level: 1 });
    const after = await until(async () => {
      const one = await client.call('readDevice', { params: { device: made.device.id } });
      return one.proof.firstReadingAt !== null && one;
    });
    expect(after.proof.trouble).toBeNull();
    expect(after.presence.state).toBe('online');
  });

  it('that was withdrawn is refused from then on, and "whose is it" still tells', async () => {
    const made = await client.call('createToken', { params: { device: id }, body: { title: 'spare' } });
    expect((await post(service, made.secret, { level: 2 })).status).toBe(200);
    await client.call('withdrawToken', { params: { device: id, token: made.id } });
    expect(await post(service, made.secret, { level: 2 })).toMatchObject({
      status: 401,
      answer: { refused: [{ hint: expect.stringContaining('withdrawn') }] },
    });
    expect(await client.call('whoseToken', { body: { text: made.secret } })).toMatchObject({
      state: 'withdrawn',
      deviceId: id,
    });
    expect(await client.call('whoseToken', { body: { text: token } })).toMatchObject({
      state: 'in-use',
      deviceId: id,
    });
    expect(await client.call('whoseToken', { body: { text: token.slice(0, 15) } })).toMatchObject({
      state: 'half-copied',
      deviceId: id,
    });
  });

  it('is nowhere in the records or the log, but its fingerprint is', async () => {
    const tokens = await client.call('listTokens', { params: { device: id } });
    expect(tokens[0]!.fingerprint).toBe(token.slice(4, 10));
    expect(JSON.stringify(tokens)).not.toContain(token.slice(10, 30));
    expect(service.program.output()).not.toContain(token.slice(10, 30));
  });
});

describe('what is wanted', () => {
  const wanted = async (query = '') =>
    (
      await fetch(`${service.url}/device/wanted${query}`, { headers: { authorization: `Bearer ${token}` } })
    ).json();

  it('is given with the interval, and held until something changes', async () => {
    expect(await wanted()).toEqual({ interval: 10 });
    const held = wanted('?wait=20');
    await new Promise((resolve) => setTimeout(resolve, 150));
    const command = await client.call('createCommand', {
      params: { device: id },
      body: { stream: 'pump', value: true },
    });
    expect(await held).toEqual({ interval: 10, pump: 1 });
    // It is written down as sent once the answer is on its way.
    await until(
      async () => (await client.call('readCommand', { params: { command: command.id } })).state === 'sent',
    );
    const applied = await fetch(`${service.url}/device/applied`, {
      method: 'POST',
      headers: { authorization: `Bearer ${token}` },
      body: '{"pump": 1}',
    });
    expect(await applied.json()).toEqual({ accepted: 1, refused: [] });
    expect(await client.call('readCommand', { params: { command: command.id } })).toMatchObject({
      state: 'applied',
    });
  });

  it('is bounded: another path, another verb, a wrong wait', async () => {
    const call = (path: string, method = 'GET') =>
      fetch(`${service.url}${path}`, { method, headers: { authorization: `Bearer ${token}` } });
    expect((await call('/device/everything')).status).toBe(404);
    const deleted = await call('/device/report', 'DELETE');
    expect([deleted.status, deleted.headers.get('allow')]).toEqual([405, 'GET, POST']);
    expect((await call('/device/wanted?wait=long')).status).toBe(400);
  });
});

it('answers 429 when a device sends faster than it may, and stores nothing of it', async () => {
  const slow = await startService({ PEATMOOR_DEVICE_RATE: '5' });
  try {
    const person = await newPerson(slow);
    const made = await newDevice(person.client);
    const start = Date.now();
    const outcomes = await Promise.all(
      Array.from({ length: 12 }, (_, i) => post(slow, made.token, { at: start - i, level: i })),
    );
    const accepted = outcomes.filter(({ status }) => status === 200).length;
    expect(outcomes.filter(({ status }) => status === 429).length).toBe(12 - accepted);
    expect(accepted).toBeLessThanOrEqual(10);
    expect(await readingsOf(person.client, id, 'level')).toHaveLength(accepted);
    // What takes the longer way, since it names its device, counts once as well.
    await new Promise((resolve) => setTimeout(resolve, 1000));
    const named = await Promise.all(
      Array.from({ length: 5 }, (_, i) =>
        post(slow, made.token, [{ n: `${id}:level`, t: (start - 1000 - i) / 1000, v: i }], {
          'content-type': 'application/senml+json',
        }),
      ),
    );
    expect(named.map(({ status }) => status)).toEqual([200, 200, 200, 200, 200]);
  } finally {
    await slow.stop();
  }
});
