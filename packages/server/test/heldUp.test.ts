import fs from 'node:fs';
import http from 'node:http';
import { setTimeout as sleep } from 'node:timers/promises';
import { createConnection } from 'mariadb';
import { LIVE_PATH } from '@peatmoor/contract';
import { WebSocket } from 'ws';
import {
  databaseOf,
  newDevice,
  newPerson,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let person: Person;
let key: string;
const params = { device: 'dipwell-north' };

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  await newDevice(person.client);
  ({ secret: key } = await person.client.call('createKey', { body: { title: 'steers' } }));
});
afterAll(() => service.stop());

/** Sends a command as a program does; its status, 0 where the connection ended before an answer. */
function steer(body: object): { answered: Promise<[status: number, detail: string]>; giveUp(): void } {
  const request = http.request(`${service.url}/api/devices/dipwell-north/commands`, {
    method: 'POST',
    headers: { authorization: `Bearer ${key}`, 'content-type': 'application/json' },
    agent: false,
  });
  const answered = new Promise<[number, string]>((resolve) => {
    request.once('error', () => resolve([0, '']));
    request.once('response', (response) => {
      let text = '';
      response.on('data', (part: Buffer) => (text += part.toString()));
      response.once('end', () =>
        resolve([response.statusCode!, (JSON.parse(text) as { detail?: string }).detail ?? '']),
      );
    });
  });
  request.end(JSON.stringify(body));
  return { answered, giveUp: () => request.destroy() };
}

it('a call that waited in a service that stood still moves nothing', async () => {
  await person.client.call('createCommand', { params, body: { stream: 'pump', value: false } });
  const pid = service.program.child.pid!;
  const before = (await person.client.call('listCommands', { params })).length;
  const soon = Date.now() + 1500;
  process.kill(pid, 'SIGSTOP');
  const withoutEnd = steer({ stream: 'pump', value: true });
  const withEnd = steer({ stream: 'pump', value: true, until: soon });
  const gone = steer({ stream: 'pump', value: true, until: Date.now() + 60_000 });
  await sleep(500);
  gone.giveUp();
  await sleep(4000);
  process.kill(pid, 'SIGCONT');
  expect(await withoutEnd.answered).toEqual([503, expect.stringMatching(/stood still.*Nothing was sent/)]);
  expect((await withEnd.answered)[0]).toBe(503);
  await gone.answered;
  await sleep(1500);
  expect((await person.client.call('listCommands', { params })).length).toBe(before);
  // A moment later all is as always.
  expect((await steer({ stream: 'pump', value: true }).answered)[0]).toBe(201);
}, 60_000);

it('what was wanted earlier by the database’s time never takes the place of what was wanted later', async () => {
  const connection = await createConnection(databaseOf(service));
  await person.client.call('createCommand', { params, body: { stream: 'pump', value: false } });
  // As if another node had written one that was wanted a minute later, while this call was held up.
  await connection.query('UPDATE commands SET wantedAt = wantedAt + 60000 ORDER BY id DESC LIMIT 1');
  expect((await steer({ stream: 'pump', value: true }).answered)[0]).toBe(409);
  const [newest] = await person.client.call('listCommands', { params });
  expect(newest).toMatchObject({ stream: 'pump', value: 0 });
  await connection.query('UPDATE commands SET wantedAt = wantedAt - 60000 ORDER BY id DESC LIMIT 1');
  await connection.end();
});

it('a call that a network held up never takes the place of what was wanted since, though it is still in its time', async () => {
  await person.client.call('createCommand', { params, body: { stream: 'pump', value: false } });
  const wanted = Date.now();
  await sleep(600);
  await person.client.call('createCommand', { params, body: { stream: 'pump', value: true } });
  // As if its first packet had been lost three times: it comes now, and was wanted before.
  const late = { stream: 'pump', value: false, at: wanted, until: Date.now() + 60_000 };
  expect(await steer(late).answered).toEqual([409, expect.stringMatching(/wanted some time ago/)]);
  const [newest] = await person.client.call('listCommands', { params });
  expect(newest).toMatchObject({ stream: 'pump', value: 1 });
  // Where nothing was wanted since, it is still meant; and no clock that runs ahead makes it newer than it is.
  expect((await steer({ ...late, value: true, at: Date.now() - 100 }).answered)[0]).toBe(201);
  expect((await steer({ ...late, value: false, at: Date.now() + 3_600_000 }).answered)[0]).toBe(201);
  expect((await steer({ ...late, value: true, at: Date.now() }).answered)[0]).toBe(201);
});

it('the client says until when it means what it wants', async () => {
  const sent: string[] = [];
  const { createClient } = await import('@peatmoor/contract');
  const client = createClient({
    baseUrl: service.url,
    headers: { authorization: `Bearer ${key}` },
    fetch: (input, init) => {
      if (init?.method === 'POST') sent.push(String(init.body));
      return fetch(input, init);
    },
  });
  await client.call('createCommand', { params, body: { stream: 'pump', value: true } });
  const { until: end, at } = JSON.parse(sent[0]!) as { until: number; at: number };
  expect(Math.abs(at - Date.now())).toBeLessThan(3_000);
  expect(end - Date.now()).toBeGreaterThan(5_000);
  expect(end - Date.now()).toBeLessThanOrEqual(10_500);
  await until(async () => (await client.call('listCommands', { params }))[0]?.value === 1);
});

it('a page is closed once no database has said for ten seconds whether it may be open, and opens again', async () => {
  const open = async (): Promise<WebSocket> => {
    const page = new WebSocket(service.url.replace('http', 'ws') + LIVE_PATH, {
      headers: { authorization: `Bearer ${key}` },
    });
    page.on('error', () => undefined);
    await new Promise((resolve) => page.once('message', resolve));
    return page;
  };
  const page = await open();
  const closed = new Promise<number>((resolve) => page.once('close', (code) => resolve(code)));
  const pid = Number(fs.readFileSync(`${service.dataFolder}/mariadb/server.pid`, 'utf8'));
  process.kill(pid, 'SIGSTOP');
  const began = performance.now();
  const code = await closed;
  process.kill(pid, 'SIGCONT');
  expect(code).toBe(1013);
  expect(performance.now() - began).toBeGreaterThan(7_000);
  (await open()).terminate();
}, 60_000);
