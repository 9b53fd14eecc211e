import http from 'node:http';
import https from 'node:https';
import net from 'node:net';
import tls from 'node:tls';
import { WebSocket } from 'ws';
import { LIVE_PATH } from '@peatmoor/contract';
import {
  mqttAs,
  newDevice,
  newPerson,
  post,
  readingsOf,
  startService,
  type Person,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let person: Person;
let token: string;

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ token } = await newDevice(person.client));
  await person.client.call('makeCertificate', { body: { names: ['127.0.0.1'] } });
  await service.restart(false);
});
afterAll(() => service.stop());

/** A board that waits for what is wanted; the status of its answer, 0 where the connection was cut off. */
function held(secure: boolean): Promise<number> {
  const port = new URL(service.url).port;
  return new Promise((resolve) => {
    const request = (secure ? https : http).get(
      {
        host: '127.0.0.1',
        port,
        path: '/device/wanted?wait=60&n=999999',
        headers: { authorization: `Bearer ${token}` },
        rejectUnauthorized: false,
        agent: false,
      },
      (response) => {
        response.resume();
        response.once('end', () => resolve(response.statusCode!));
      },
    );
    request.once('error', () => resolve(0));
  });
}

it('answers what is held and is gone in seconds, over TLS and plain, with boards, pages and silent ones connected', async () => {
  const port = Number(new URL(service.url).port);
  const held2 = [held(true), held(false), held(true)];
  const board = await mqttAs(service, 'dipwell-north', token);
  board.on('error', () => undefined);
  const page = new WebSocket(`wss://127.0.0.1:${port}${LIVE_PATH}`, {
    headers: { cookie: person.cookie() },
    rejectUnauthorized: false,
  });
  page.on('error', () => undefined);
  await new Promise((resolve) => page.once('message', resolve));
  // Two that say nothing: one before its handshake, one after.
  const silent = net.connect(port, '127.0.0.1').on('error', () => undefined);
  const secure = tls
    .connect({ port, host: '127.0.0.1', rejectUnauthorized: false })
    .on('error', () => undefined);
  await new Promise((resolve) => secure.once('secureConnect', resolve));
  const answers: number[] = [];
  const sending = (async () => {
    for (let level = -300; ; level++) {
      const answer = await post(service, token, { level }).catch(() => null);
      if (answer?.status !== 200) return;
      answers.push(level);
    }
  })();
  await new Promise((resolve) => setTimeout(resolve, 500));
  const began = performance.now();
  await service.program.stop();
  expect(performance.now() - began).toBeLessThan(10_000);
  expect(await Promise.all(held2)).toEqual([200, 200, 200]);
  await sending;
  silent.destroy();
  secure.destroy();
  await board.endAsync(true);
  await service.restart(false);
  const there = new Set(
    (await readingsOf(person.client, 'dipwell-north', 'level')).map(([, value]) => value),
  );
  expect(answers.length).toBeGreaterThan(5);
  expect(answers.filter((value) => !there.has(value))).toEqual([]);
}, 60_000);
