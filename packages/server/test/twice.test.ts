import net from 'node:net';
import { createConnection, type Connection } from 'mariadb';
import { generate, parser as createParser, type Packet } from 'mqtt-packet';
import { createOpenMessages } from '../src/listeners/mqtt/openMessages';
import {
  databaseOf,
  newDevice,
  newPerson,
  readingsOf,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let person: Person;
let token: string;
let connection: Connection;
const id = 'dipwell-north';

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ token } = await newDevice(person.client));
  connection = await createConnection(databaseOf(service));
  // The service, and with it the database, is killed in between.
  connection.on('error', () => undefined);
});
afterAll(async () => {
  await connection.end().catch(() => undefined);
  await service.stop();
});

/** A board whose session outlasts its connection, in ready-made packets. */
async function board(): Promise<{ socket: net.Socket; heard: Packet[]; next(cmd: string): Promise<Packet> }> {
  const socket = net.connect(Number(new URL(service.mqttUrl).port), '127.0.0.1');
  socket.on('error', () => undefined);
  const heard: Packet[] = [];
  const parser = createParser();
  parser.on('packet', (packet: Packet) => heard.push(packet));
  socket.on('data', (bytes) => parser.parse(bytes));
  socket.write(
    generate({
      cmd: 'connect',
      protocolId: 'MQTT',
      protocolVersion: 4,
      clientId: 'lasting',
      clean: false,
      keepalive: 0,
      username: id,
      password: Buffer.from(token),
    }),
  );
  const next = (cmd: string): Promise<Packet> =>
    until(() => {
      const at = heard.findIndex((packet) => packet.cmd === cmd);
      return at < 0 ? false : heard.splice(at, 1)[0]!;
    }, cmd);
  await next('connack');
  return { socket, heard, next };
}
const publish = (level: number, messageId: number, dup = false): Buffer =>
  generate({
    cmd: 'publish',
    topic: `moor/${id}/report`,
    payload: JSON.stringify({ level }),
    qos: 2,
    messageId,
    dup,
    retain: false,
  });
const levels = async (): Promise<number[]> =>
  (await readingsOf(person.client, id, 'level')).map(([, value]) => value);

it('a message of QoS 2 is stored once though the database stalls and its connection is lost, and its number is free afterwards', async () => {
  for (let round = 1; round <= 5; round++) {
    const first = await board();
    await connection.query('LOCK TABLES journal WRITE');
    first.socket.write(publish(-round, 7));
    await new Promise((resolve) => setTimeout(resolve, 150));
    first.socket.destroy();
    const second = await board();
    second.socket.write(publish(-round, 7, true));
    await new Promise((resolve) => setTimeout(resolve, 150));
    expect(second.heard).toEqual([]);
    await connection.query('UNLOCK TABLES');
    await second.next('pubrec');
    // Sent once more before it is released, it is still the same.
    second.socket.write(publish(-round, 7, true));
    await second.next('pubrec');
    second.socket.write(generate({ cmd: 'pubrel', messageId: 7 }));
    await second.next('pubcomp');
    second.socket.write(publish(-100 - round, 7));
    await second.next('pubrec');
    second.socket.write(generate({ cmd: 'pubrel', messageId: 7 }));
    await second.next('pubcomp');
    second.socket.destroy();
  }
  expect((await levels()).sort((a, b) => b - a)).toEqual([-1, -2, -3, -4, -5, -101, -102, -103, -104, -105]);
});

it('a release by a connection that is no more the newest frees nothing, and does not say so', async () => {
  const first = await board();
  first.socket.write(publish(-180, 11));
  await first.next('pubrec');
  // As when a CONNECT of before is taken late, at another node: the session has gone on there.
  await connection.query("UPDATE lastingSessions SET epoch = epoch + 1 WHERE client LIKE '%lasting%'");
  let closed = false;
  first.socket.once('close', () => (closed = true));
  first.socket.write(generate({ cmd: 'pubrel', messageId: 11 }));
  await until(() => closed, 'the connection ends', 10_000);
  expect(first.heard.filter(({ cmd }) => cmd === 'pubcomp')).toEqual([]);
  // Released by the newest one the number is free: what comes under it is a new message.
  const second = await board();
  second.socket.write(generate({ cmd: 'pubrel', messageId: 11 }));
  await second.next('pubcomp');
  second.socket.write(publish(-181, 11));
  await second.next('pubrec');
  second.socket.write(generate({ cmd: 'pubrel', messageId: 11 }));
  await second.next('pubcomp');
  await until(async () => (await levels()).includes(-181));
  expect((await levels()).filter((level) => level === -180)).toHaveLength(1);
  second.socket.destroy();
});

it('a message of QoS 2 that was stored is known by its number after the service was killed, and no number is taken for an old one', async () => {
  const first = await board();
  first.socket.write(publish(-201, 7));
  await first.next('pubrec');
  await service.restart(true);
  const second = await board();
  second.socket.write(publish(-201, 7, true));
  await second.next('pubrec');
  second.socket.write(generate({ cmd: 'pubrel', messageId: 7 }));
  await second.next('pubcomp');
  second.socket.write(publish(-202, 7));
  await second.next('pubrec');
  second.socket.destroy();
  expect((await levels()).filter((level) => level < -200).sort((a, b) => b - a)).toEqual([-201, -202]);
});

it('whoever waits for the same message takes it where the first one failed', async () => {
  const open = createOpenMessages<string>();
  let fail: (error: Error) => void = () => undefined;
  const first = open.once('a', 1, 7, () => new Promise((_, reject) => (fail = reject)));
  const second = open.once('a', 1, 7, () => Promise.resolve('taken'));
  const other = open.once('b', 1, 7, () => Promise.resolve('other'));
  fail(new Error('gone'));
  await expect(first).rejects.toThrow('gone');
  expect([await second, await other]).toEqual(['taken', 'other']);
  expect(await open.once('a', 1, 7, () => Promise.resolve('again'))).toBeNull();
  open.forgetSettled('a');
  expect(await open.once('a', 1, 7, () => Promise.resolve('anew'))).toBe('anew');
});

it('a number that an earlier connection still waits with is asked for in the records, not taken for the same message', async () => {
  const open = createOpenMessages<string>();
  let stored: (outcome: string) => void = () => undefined;
  // Its answer is long in coming; meanwhile the board has been elsewhere, released the number there, and come back.
  const first = open.once('a', 1, 7, () => new Promise((resolve) => (stored = resolve)));
  const isTaken = jest.fn(() => Promise.resolve('a new message'));
  const second = open.once('a', 1, 9, isTaken);
  stored('the old message');
  expect(await first).toBe('the old message');
  expect(await second).toBe('a new message');
  expect(isTaken).toHaveBeenCalledTimes(1);
  expect(await open.once('a', 1, 9, isTaken)).toBeNull();
});
