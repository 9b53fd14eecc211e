import net from 'node:net';
import { generate } from 'mqtt-packet';

/** Whom an attack is made by: one device, and what its maker may use. */
export interface Attacker {
  url: string;
  mqttPort: number;
  deviceId: string;
  token: string;
  /** An access key that may change things. */
  key: string;
  kindId: number;
  claimSecret: string;
  /** What people of other sorts come with: a link, a key that reads, one of role `none`. */
  link: string;
  readKey: string;
  noneKey: string;
  running(): boolean;
}

export interface Attack {
  name: string;
  run(attacker: Attacker): Promise<void>;
}

const object = (name: (i: number) => string, count = 10_000): string =>
  JSON.stringify(Object.fromEntries(Array.from({ length: count }, (_, i) => [name(i), i])));
const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** Sends one thing again and again over several connections, as fast as it is answered. */
function flood(
  what: string,
  path: string,
  body: () => string,
  type = 'application/json',
  connections = 4,
): Attack {
  return {
    name: what,
    run: async ({ url, token, running }) => {
      const one = async (): Promise<void> => {
        while (running()) {
          const response = await fetch(url + path, {
            method: 'POST',
            headers: { authorization: `Bearer ${token}`, 'content-type': type },
            body: body(),
          }).catch(() => null);
          await response?.arrayBuffer().catch(() => undefined);
        }
      };
      await Promise.all(Array.from({ length: connections }, one));
    },
  };
}

/** Very many calls at once of somebody who may only look, or not even that. */
function crowd(
  what: string,
  call: (attacker: Attacker) => { path: string; by?: string; body?: object; headers?: object },
  atOnce = 300,
): Attack {
  return {
    name: what,
    run: async (attacker) => {
      while (attacker.running())
        await Promise.all(
          Array.from({ length: atOnce }, async () => {
            const { path, by, body, headers } = call(attacker);
            const response = await fetch(attacker.url + path, {
              method: body === undefined ? 'GET' : 'POST',
              headers: {
                'content-type': 'application/json',
                ...(by !== undefined && { authorization: `Bearer ${by}` }),
                ...headers,
              },
              ...(body !== undefined && { body: JSON.stringify(body) }),
            }).catch(() => null);
            await response?.arrayBuffer().catch(() => undefined);
          }),
        );
    },
  };
}

/** Calls of the API that change things, several at a time. */
const calls = (
  what: string,
  path: (attacker: Attacker) => string,
  body: () => object,
  atOnce: number,
): Attack => crowd(what, (attacker) => ({ path: path(attacker), by: attacker.key, body: body() }), atOnce);

/** A connection over MQTT that writes ready-made bytes while it can. */
function mqtt(
  what: string,
  packets: (attacker: Attacker, i: number) => Buffer,
  { reads = true, connections = 2 }: { reads?: boolean; connections?: number } = {},
): Attack {
  return {
    name: what,
    run: async (attacker) => {
      const one = async (n: number): Promise<void> => {
        while (attacker.running()) {
          const socket = net.connect(attacker.mqttPort, '127.0.0.1');
          socket.on('error', () => undefined);
          socket.write(
            generate({
              cmd: 'connect',
              protocolId: 'MQTT',
              protocolVersion: 4,
              clientId: `abuse-${n}`,
              clean: true,
              keepalive: 0,
              username: attacker.deviceId,
              password: Buffer.from(attacker.token),
            }),
          );
          await new Promise((resolve) => socket.once('data', resolve).once('close', resolve));
          if (reads) socket.on('data', () => undefined);
          else socket.pause();
          for (let i = 1; attacker.running() && !socket.destroyed; i++) {
            if (!socket.write(packets(attacker, i)))
              await Promise.race([new Promise((resolve) => socket.once('drain', resolve)), pause(200)]);
            if (i % 50 === 0) await pause(0);
          }
          socket.destroy();
          await pause(20);
        }
      };
      await Promise.all(Array.from({ length: connections }, (_, n) => one(n)));
    },
  };
}

const publish = (topic: string, payload: string, qos: 0 | 1 | 2, i: number): Buffer =>
  generate({ cmd: 'publish', topic, payload, qos, messageId: (i % 65_000) + 1, dup: false, retain: false });
const DEEP = `{"t":${'['.repeat(5000)}${']'.repeat(5000)}}`;
const UNKNOWN = object((i) => `valeu_${i}`);
const TWO_THOUSAND = object((i) => `no_${i}`, 2000);
let counter = 0;

/** One of each sort that was found to hurt, and their brothers. */
export const ATTACKS: Attack[] = [
  flood('messages nested 5,000 deep', '/device/report', () => DEEP),
  flood('10,000 unknown names a message', '/device/report', () => UNKNOWN),
  flood('10,000 good values a message', '/device/report', () =>
    JSON.stringify(
      Array.from({ length: 10_000 }, (_, i) => ({ at: Date.now() - 3_000_000 + i, value_0: counter++ })),
    ),
  ),
  flood(
    'forms of half a megabyte',
    '/device/report',
    () => 'a=1&'.repeat(120_000),
    'application/x-www-form-urlencoded',
  ),
  flood('10,000 names in applied', '/device/applied', () => UNKNOWN),
  flood(
    '5,000 unknown sub-devices a message',
    '/device/report',
    () => JSON.stringify(Array.from({ length: 5000 }, (_, i) => ({ bn: `w${i}:`, n: 'a', v: 1 }))),
    'application/senml+json',
  ),
  flood('raising and clearing events', '/device/raise/lid', () => '', 'text/plain', 8),
  mqtt(
    'a subscriber of refusals that does not read',
    ({ deviceId }, i) =>
      i === 1
        ? generate({
            cmd: 'subscribe',
            messageId: 1,
            subscriptions: [{ topic: `moor/${deviceId}/refused`, qos: 0 }],
          })
        : publish(`moor/${deviceId}/report`, TWO_THOUSAND, 1, i),
    { reads: false },
  ),
  mqtt('5,000 subscriptions', ({ deviceId }, i) =>
    generate({
      cmd: 'subscribe',
      messageId: (i % 65_000) + 1,
      subscriptions: Array.from({ length: 200 }, (_, n) => ({
        topic: `moor/${deviceId}/wanted/x${i % 25}_${n}`,
        qos: 0 as const,
      })),
    }),
  ),
  mqtt('a flood of QoS 0', ({ deviceId }, i) => publish(`moor/${deviceId}/report`, '{"value_0":1}', 0, i)),
  mqtt('a flood of QoS 1 beyond the rate', ({ deviceId }, i) =>
    publish(`moor/${deviceId}/report`, '{"value_0":1}', 1, i),
  ),
  mqtt('QoS 2 that is never released', ({ deviceId }, i) =>
    publish(`moor/${deviceId}/report`, '{"value_0":1}', 2, i),
  ),
  {
    name: 'CONNECT that declares 256 MB',
    run: async ({ mqttPort, running }) => {
      while (running()) {
        const socket = net.connect(mqttPort, '127.0.0.1');
        socket.on('error', () => undefined);
        socket.write(Buffer.concat([Buffer.from([0x10, 0xff, 0xff, 0xff, 0x7f]), Buffer.alloc(60_000)]));
        await Promise.race([new Promise((resolve) => socket.once('close', resolve)), pause(100)]);
        socket.destroy();
      }
    },
  },
  {
    name: '60 boards that claim at once',
    run: async ({ url, claimSecret, running }) => {
      while (running())
        await Promise.all(
          Array.from({ length: 60 }, async () => {
            const response = await fetch(`${url}/device/claim`, {
              method: 'POST',
              headers: { authorization: `Bearer ${claimSecret}` },
              body: JSON.stringify({ serial: `board-${counter++}` }),
            }).catch(() => null);
            await response?.arrayBuffer().catch(() => undefined);
          }),
        );
    },
  },
  calls(
    '40 lists of devices at once',
    () => '/api/devices/many',
    () => ({ csv: `name,kind\nListed ${counter++},Abused\n` }),
    40,
  ),
  calls(
    'formulas that would take long',
    ({ kindId }) => `/api/kinds/${kindId}/compute`,
    () => ({
      stream: {
        key: 'long',
        title: 'Long',
        type: 'number',
        computation: { form: 'formula', formula: `"${'a'.repeat(40)}!".matches("^(a+)+$") && value_0 > 1` },
      },
    }),
    4,
  ),
  crowd('a visitor by a link: 300 looks at once', ({ link, deviceId }) => ({
    path: `/api/devices/${deviceId}`,
    by: link,
  })),
  crowd('a key that reads: 300 lists at once', ({ readKey }) => ({ path: '/api/devices', by: readKey })),
  crowd('a person of role none: 300 calls at once', ({ noneKey }) => ({ path: '/api/me', by: noneKey })),
  crowd('a key that keeps answers of repeated calls', ({ readKey, token }) => ({
    path: '/api/tokens/whose',
    by: readKey,
    body: { text: token },
    headers: { 'idempotency-key': `abuse-${counter++}-${'x'.repeat(20)}` },
  })),
  crowd(
    'a stranger who guesses passwords',
    () => ({
      path: '/api/session',
      body: { email: `guess-${counter++ % 50}@quillmere.example`, password: 'not this one' },
    }),
    60,
  ),
  crowd('nobody: 300 calls at once', () => ({ path: '/api/devices' })),
];
