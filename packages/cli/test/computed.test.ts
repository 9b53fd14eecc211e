import fs from 'node:fs';
import path from 'node:path';
import type { Client } from '@peatmoor/contract';
import { cliIn } from '../../../test/support/cli';
import { newFolder, newPerson, post, startService, type TestService } from '../../../test/support/service';

let service: TestService;
let client: Client;
let token: string;
const folder = newFolder();

const run = cliIn(folder);

beforeAll(async () => {
  service = await startService();
  const person = await newPerson(service);
  ({ client } = person);
  ({ token } = await client.call('createDevice', {
    body: {
      name: 'Rain hut',
      newKind: { title: 'Rain meter', streams: [{ key: 'rain', title: 'Rain', type: 'number', unit: 'mm' }] },
    },
  }));
  const at = Date.now() - 3_600_000;
  await post(service, token, [
    { at, rain: 1 },
    { at: at + 1000, rain: 2 },
  ]);
  await run('sign-in', '--url', service.url, '--email', person.email, '--password', person.password);
});
afterAll(async () => {
  await service.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

it('makes computed datastreams, says where a formula is wrong, and works one out over history', async () => {
  const wrong = await run('stream', 'new', 'Rain meter', 'tenths:number', '--formula', 'rian * 10');
  expect(wrong).toMatchObject({ code: 1 });
  expect(wrong.err).toMatch(/character 1: No datastream is called "rian". The nearest is "rain"/);
  const both = await run('stream', 'new', 'Rain meter', 'x:number', '--formula', 'rain', '--compute', 'sum');
  expect(both).toMatchObject({ code: 1, err: expect.stringContaining('not both') });
  expect(await run('stream', 'new', 'Rain meter', 'x:number', '--compute', 'sum')).toMatchObject({ code: 1 });
  expect(
    await run('stream', 'new', 'Rain meter', 'x:number', '--compute', 'guess', '--of', 'rain'),
  ).toMatchObject({
    code: 1,
    err: expect.stringContaining('not a way to compute'),
  });
  expect(await run('stream', 'new', 'Rain meter', 'tenths:number', '--formula', 'rain * 10')).toMatchObject({
    code: 0,
  });
  const made = await run(
    'stream',
    'new',
    'Rain meter',
    'steps:number',
    '--compute',
    'change',
    '--of',
    'rain',
  );
  expect(made.code).toBe(0);
  const hourly = ['--compute', 'sum', '--of', 'rain', '--each', 'hour', '--zone', 'Europe/Dublin'];
  expect((await run('stream', 'new', 'Rain meter', 'rain_hour:number:mm', ...hourly)).code).toBe(0);
  expect((await run('stream', 'list', 'Rain meter')).out).toMatch(/rain_hour .* sum of rain, each hour/);
  const done = await run('stream', 'recompute', 'Rain meter', 'tenths');
  expect(done).toMatchObject({ code: 0, out: expect.stringMatching(/rain-hut\s+done/) });
  expect((await run('history', 'rain-hut', 'tenths', '--last', '2h', '--csv')).out).toMatch(/,10[\s\S]*,20/);
  expect((await run('stream', 'recompute', 'Rain meter', 'rain')).err).toMatch(/is not computed/);
});

it('shows what a kind costs, and keeps its board and drawing', async () => {
  const changed = await run('kind', 'change', 'Rain meter', '--board', 'micropython', '--drawing', 'rain');
  expect(changed.code).toBe(0);
  const shown = await run('kind', 'show', 'Rain meter');
  expect(shown.out).toMatch(/a message expected every 60 s, micropython/);
  expect(shown.out).toMatch(/MQTT, one JSON message\s+about \d+ kB a day/);
  expect(shown.out).toMatch(/In the database: .* a year for each device/);
  expect(await run('kind', 'change', 'Rain meter', '--board', 'abacus')).toMatchObject({ code: 1 });
});

it('makes a claim secret and its program, lists who claimed, and ends it', async () => {
  const made = await run('kind', 'claim', 'new', 'Rain meter', '--most', '2', '--for', '7d');
  const secret = /claim_\w+/.exec(made.out)![0];
  expect(made.out).toMatch(/For 2 boards, until/);
  const target = path.join(folder, 'many');
  const written = await run('kind', 'starter', 'Rain meter', 'python', '--claim', secret, '--out', target);
  expect(written.out).toMatch(/claim\.py/);
  expect(fs.readFileSync(path.join(target, 'settings.py'), 'utf8')).toContain(secret);
  expect(await run('kind', 'starter', 'Rain meter', 'cpp-cellular', '--claim', 'bad')).toMatchObject({
    code: 1,
    err: expect.stringContaining('not a whole claim secret'),
  });
  await fetch(`${service.url}/device/claim`, {
    method: 'POST',
    headers: { authorization: `Bearer ${secret}` },
    body: '{"serial": "B1"}',
  });
  const listed = await run('kind', 'claim', 'list', 'Rain meter');
  expect(listed.out).toMatch(/1 of 2/);
  expect(listed.out).toMatch(/rain-meter-b1\s+B1/);
  const number = /^\s*(\d+)/m.exec(listed.out.split('\n')[1]!)![1]!;
  expect((await run('kind', 'claim', 'reopen', 'Rain meter', number, 'rain-meter-b1')).code).toBe(0);
  expect((await run('kind', 'claim', 'end', 'Rain meter', number)).code).toBe(0);
  expect((await run('kind', 'claim', 'list', 'Rain meter')).out).toMatch(/ended/);
});

it('names a token, and tells when it was used', async () => {
  expect((await run('device', 'token', 'rain-hut', '--name', 'spare board')).code).toBe(0);
  expect((await run('device', 'show', 'rain-hut')).out).toMatch(/spare board\s+\d{4}-.*never/);
});
