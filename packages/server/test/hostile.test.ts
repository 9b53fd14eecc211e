import fs from 'node:fs';
import net from 'node:net';
import type { Client } from '@peatmoor/contract';
import fc from 'fast-check';
import { generate } from 'mqtt-packet';
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
  service = await startService();
  ({ client } = await newPerson(service));
  ({ token } = await newDevice(client));
});
afterAll(() => service.stop());

const memoryMb = (): number => {
  const status = fs.readFileSync(`/proc/${service.program.child.pid}/status`, 'utf8');
  return Number(/VmRSS:\s+(\d+)/.exec(status)![1]) / 1024;
};
const isWell = async (): Promise<void> => {
  expect((await fetch(`${service.url}/health`)).status).toBe(200);
  expect((await post(service, token, { level: -1 })).status).toBe(200);
};

/** Writes bytes to a port, in pieces, and waits until the service hangs up or half a second has passed. */
function throwAt(port: number, pieces: readonly Uint8Array[]): Promise<void> {
  return new Promise((resolve) => {
    const socket = net.connect(port, '127.0.0.1');
    const end = (): void => {
      socket.destroy();
      resolve();
    };
    socket.on('error', end).on('close', end);
    socket.on('connect', () => {
      for (const piece of pieces) socket.write(piece);
      setTimeout(end, 60);
    });
  });
}
const bytes = fc.uint8Array({ minLength: 1, maxLength: 2000 });
const connectPacket = (): Buffer =>
  generate({
    cmd: 'connect',
    protocolId: 'MQTT',
    protocolVersion: 4,
    clientId: 'noise',
    clean: true,
    keepalive: 0,
    username: id,
    password: Buffer.from(token),
  });

describe('random bytes against the live ports', () => {
  it('on MQTT, before and after being admitted, neither stop nor swell the service', async () => {
    const port = Number(new URL(service.mqttUrl).port);
    const before = memoryMb();
    await fc.assert(
      fc.asyncProperty(
        fc.array(bytes, { minLength: 1, maxLength: 4 }),
        fc.boolean(),
        async (pieces, admitted) => {
          await throwAt(port, admitted ? [connectPacket(), ...pieces] : pieces);
        },
      ),
      { numRuns: 60 },
    );
    await isWell();
    expect(memoryMb() - before).toBeLessThan(150);
  });

  it('on MQTT, whole frames with random insides, are answered or refused, and others go on', async () => {
    const port = Number(new URL(service.mqttUrl).port);
    const other = await mqttAs(service, id, token);
    await fc.assert(
      fc.asyncProperty(fc.integer({ min: 0, max: 255 }), bytes, async (first, body) => {
        const length = body.length < 128 ? [body.length] : [(body.length % 128) | 128, body.length >> 7];
        await throwAt(port, [connectPacket(), Uint8Array.from([first, ...length, ...body])]);
      }),
      { numRuns: 60 },
    );
    await other.publishAsync(`moor/${id}/report`, '{"level":-2}', { qos: 1 });
    await other.endAsync(true);
    await isWell();
  });

  it('on HTTP, are answered with an error or hung up on', async () => {
    const port = Number(new URL(service.url).port);
    await fc.assert(
      fc.asyncProperty(fc.array(bytes, { minLength: 1, maxLength: 3 }), (pieces) => throwAt(port, pieces)),
      { numRuns: 40 },
    );
    await isWell();
  });
});

describe('messages that are made to hurt', () => {
  const send = async (body: string | Uint8Array, type: string): Promise<number> => {
    const response = await fetch(`${service.url}/device/report`, {
      method: 'POST',
      headers: { authorization: `Bearer ${token}`, 'content-type': type },
      body: body as BodyInit,
    });
    await response.arrayBuffer();
    return response.status;
  };

  it.each([
    ['JSON nested a hundred thousand deep', '['.repeat(100_000), 'application/json'],
    ['an object nested deep', '{"a":'.repeat(50_000) + '1' + '}'.repeat(50_000), 'application/json'],
    ['a name of half a megabyte', `{"${'x'.repeat(500_000)}":1}`, 'application/json'],
    [
      'names of the language itself',
      '{"__proto__":{"level":1},"constructor":1,"toString":2}',
      'application/json',
    ],
    [
      'a hundred thousand values',
      JSON.stringify(Object.fromEntries(Array.from({ length: 40_000 }, (_, i) => [`v${i}`, 1]))),
      'application/json',
    ],
    [
      'CBOR that promises a huge array',
      Uint8Array.from([0x9b, 0x7f, 255, 255, 255, 255, 255, 255, 255]),
      'application/senml+cbor',
    ],
    ['CBOR nested deep', new Uint8Array(5000).fill(0x81), 'application/senml+cbor'],
    ['a CSV of empty columns', `${','.repeat(10_000)}\n${','.repeat(10_000)}`, 'text/csv'],
    ['numbers beyond all numbers', '{"level":1e999}', 'application/json'],
    ['a form of a million equals signs', '='.repeat(400_000), 'application/x-www-form-urlencoded'],
  ])('%s is refused, and the service goes on', async (_what, body, type) => {
    const status = await send(body, type);
    expect([400, 413, 415, 422]).toContain(status);
    await isWell();
  });

  it('a body that never ends is cut off, and a slow one does not hold others up', async () => {
    const port = Number(new URL(service.url).port);
    const slow = net.connect(port, '127.0.0.1');
    slow.on('error', () => undefined);
    slow.write(
      `POST /device/report HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer ${token}\r\nContent-Length: 1000\r\n\r\n{`,
    );
    await isWell();
    slow.destroy();
    const endless = net.connect(port, '127.0.0.1');
    let closed = false;
    endless.on('error', () => undefined).on('close', () => (closed = true));
    endless.write(
      `POST /device/report HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer ${token}\r\nTransfer-Encoding: chunked\r\n\r\n`,
    );
    const chunk = Buffer.concat([Buffer.from('10000\r\n'), Buffer.alloc(65_536, 'x'), Buffer.from('\r\n')]);
    const timer = setInterval(() => closed || endless.write(chunk), 2);
    await until(() => closed, 'the end of the endless body', 20_000);
    clearInterval(timer);
    await isWell();
  });

  it('a publish that is cut off in the middle leaves nothing behind', async () => {
    const port = Number(new URL(service.mqttUrl).port);
    const whole = generate({
      cmd: 'publish',
      topic: `moor/${id}/report`,
      payload: '{"level":-555}',
      qos: 1,
      messageId: 3,
      dup: false,
      retain: false,
    });
    await throwAt(port, [connectPacket(), whole.subarray(0, whole.length - 3)]);
    await isWell();
    const device = await client.call('readDevice', { params: { device: id } });
    expect(device.newest.find(({ key }) => key === 'level')?.value).not.toBe(-555);
  });
});
