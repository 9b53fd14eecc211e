import type { Client } from '@peatmoor/contract';
import {
  DIPWELL,
  mqttAs,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let person: Person;
let client: Client;
let kind: string;

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  client = person.client;
  kind = String((await client.call('createKind', { body: DIPWELL })).id);
});
afterAll(() => service.stop());

interface Claimed {
  device: string;
  token: string;
  name: string;
  interval: number;
  mqtt: { host: string; port: number };
  refused: { name: string; reason: string; hint: string }[];
}
const claim = async (secret: string, body: unknown): Promise<{ status: number; answer: Claimed }> => {
  const response = await fetch(`${service.url}/device/claim`, {
    method: 'POST',
    headers: { authorization: `Bearer ${secret}` },
    body: typeof body === 'string' ? body : JSON.stringify(body),
  });
  return { status: response.status, answer: (await response.json()) as Claimed };
};
const newClaim = (body: object = {}) => client.call('createClaim', { params: { kind }, body });
const problem = (promise: Promise<unknown>) =>
  promise.then(
    () => ({ status: 200 }),
    (error: { problem: { status: number; detail: string } }) => error.problem,
  );

it('lets each board fetch a device and token of its own, with which it reports over HTTP and MQTT', async () => {
  const { secret } = await newClaim({ most: 3 });
  const first = await claim(secret, { serial: 'A0-01' });
  const second = await claim(secret, { serial: 'A0-02', name: 'Well by the gate' });
  expect(first).toMatchObject({
    status: 201,
    answer: { device: 'dipwell-a0-01', name: 'Dipwell A0-01', interval: 10 },
  });
  expect(second.answer).toMatchObject({ device: 'well-by-the-gate', name: 'Well by the gate' });
  expect((await post(service, first.answer.token, { level: -120 })).status).toBe(200);
  const board = await mqttAs(service, second.answer.device, second.answer.token);
  await board.publishAsync(`moor/${second.answer.device}/report`, '{"level":-99}', { qos: 1 });
  await board.endAsync();
  expect(second.answer.mqtt.port).toBe(Number(new URL(service.mqttUrl).port));
  const [listed] = await client.call('listClaims', { params: { kind } });
  expect(listed).toMatchObject({ used: 2, most: 3 });
  expect(listed!.devices.map(({ serial }) => serial)).toEqual(['A0-01', 'A0-02']);
  expect(JSON.stringify(listed)).not.toContain(secret.slice(-20));
});

it('answers a board again that never used its token, and refuses one that did until it is opened again', async () => {
  const { secret, id } = await newClaim();
  const first = await claim(secret, { serial: 'lost' });
  const again = await claim(secret, { serial: 'lost' });
  expect(again).toMatchObject({ status: 200, answer: { device: first.answer.device } });
  expect((await post(service, first.answer.token, { level: 1 })).status).toBe(401);
  expect((await post(service, again.answer.token, { level: 1 })).status).toBe(200);
  const taken = await claim(secret, { serial: 'lost' });
  expect(taken.status).toBe(409);
  expect(taken.answer.refused[0]!.hint).toMatch(/has claimed already, as dipwell-lost/);
  await client.call('reopenClaim', { params: { kind, claim: id }, body: { device: 'dipwell-lost' } });
  const opened = await claim(secret, { serial: 'lost' });
  expect(opened.status).toBe(200);
  expect((await post(service, again.answer.token, { level: 1 })).status).toBe(401);
  expect((await post(service, opened.answer.token, { level: 1 })).status).toBe(200);
  const strange = client.call('reopenClaim', {
    params: { kind, claim: id },
    body: { device: 'well-by-the-gate' },
  });
  expect(await problem(strange)).toMatchObject({ status: 422 });
});

it('is bounded in number and time, also when many ask at once, and can be ended', async () => {
  const { secret, id } = await newClaim({ most: 3 });
  const outcomes = await Promise.all(
    Array.from({ length: 8 }, (_, i) => claim(secret, { serial: `many-${i}` })),
  );
  expect(outcomes.filter(({ status }) => status === 201)).toHaveLength(3);
  expect(outcomes.find(({ status }) => status === 403)!.answer.refused[0]!.hint).toMatch(/All 3 boards/);
  const same = await newClaim();
  const twice = await Promise.all([1, 2, 3].map(() => claim(same.secret, { serial: 'one' })));
  expect(new Set(twice.map(({ answer }) => answer.device)).size).toBe(1);
  await client.call('endClaim', { params: { kind, claim: id } });
  const ended = await claim(secret, { serial: 'late' });
  expect(ended).toMatchObject({ status: 403 });
  expect(ended.answer.refused[0]!.hint).toMatch(/was ended/);
  const short = await newClaim({ days: 0.01 });
  await service.program.stop();
  await service.restart(false).catch(() => undefined);
  expect((await claim(short.secret, { serial: 'in time' })).status).toBe(201);
  expect(await problem(newClaim({ days: 0 }))).toMatchObject({ status: 422 });
  expect(await problem(newClaim({ most: 0 }))).toMatchObject({ status: 422 });
});

it('refuses what is wrong with the reason, and too many wrong secrets from one address', async () => {
  const { secret } = await newClaim();
  const hints: [string, unknown, number, RegExp][] = [
    [secret, {}, 422, /serial/],
    [secret, { serial: '' }, 422, /what tells this board/],
    [secret, { serial: 'ü'.repeat(90) }, 422, /plain letters/],
    [secret, { serial: 'x', name: 7 }, 422, /A name is a text/],
    [secret, 'serial=1', 400, /not JSON/],
    [secret.slice(0, -2), { serial: 'x' }, 401, /cut short or mistyped/],
    ['moorabc', { serial: 'x' }, 401, /No claim secret came/],
    [`${secret.slice(0, 12)}`, { serial: 'x' }, 401, /cut short/],
  ];
  for (const [text, body, status, hint] of hints) {
    const outcome = await claim(text, body);
    expect([text.length, outcome.status]).toEqual([text.length, status]);
    expect(outcome.answer.refused[0]!.hint + outcome.answer.refused[0]!.name).toMatch(hint);
  }
  let last = 0;
  for (let i = 0; i < 40 && last !== 429; i++) last = (await claim('claim_wrong', { serial: 'x' })).status;
  expect(last).toBe(429);
});

it('is nothing to another workspace, to a helper who may only look, and to a token of a device', async () => {
  const { id } = await newClaim();
  const { client: stranger } = await newPerson(service, 'Stranger');
  const calls = [
    stranger.call('listClaims', { params: { kind } }),
    stranger.call('createClaim', { params: { kind }, body: {} }),
    stranger.call('endClaim', { params: { kind, claim: id } }),
    stranger.call('reopenClaim', { params: { kind, claim: id }, body: { device: 'dipwell-lost' } }),
  ];
  for (const one of await Promise.all(calls.map(problem))) expect(one).toMatchObject({ status: 404 });
});

it('notes when each token was used last', async () => {
  const { token } = await client.call('createDevice', { body: { name: 'Used well', kindId: Number(kind) } });
  const newest = async () =>
    (await client.call('listTokens', { params: { device: 'used-well' } }))[0]!.usedAt;
  expect(await newest()).toBeNull();
  await post(service, token, { level: 1 });
  const at = await until(async () => (await newest()) ?? undefined, 'the use');
  expect(Math.abs(at - Date.now())).toBeLessThan(15_000);
});
