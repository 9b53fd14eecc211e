import { once } from 'node:events';
import net from 'node:net';
import { createConnection } from 'mariadb';
import type { MqttClient } from 'mqtt';
import { generate, parser } from 'mqtt-packet';
import { WebSocket } from 'ws';
import { BEAT_MS, LIVE_PATH, problemCode, type ApiError, type LiveMessage } from '@peatmoor/contract';
import {
  databaseOf,
  mqttAs,
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let person: Person;
const device = 'dipwell-north';
let token: string;

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ token } = await newDevice(person.client));
});
afterAll(() => service.stop());

const want = (until?: number) =>
  person.client.call('createCommand', {
    params: { device },
    body: { stream: 'pump', value: true, ...(until !== undefined && { until }) },
  });
const commands = () => person.client.call('listCommands', { params: { device } });
const refusedAs = (call: Promise<unknown>): Promise<string | null> =>
  call.then(
    () => null,
    (error: ApiError) => problemCode(error.problem.type),
  );

describe('a press that comes late', () => {
  it('is refused, and nothing is sent', async () => {
    expect(await refusedAs(want(Date.now() - 1))).toBe('too-late');
    expect(await commands()).toEqual([]);
  });

  it('is refused too where it waited in the service until its time was over', async () => {
    const other = await createConnection(databaseOf(service));
    await other.beginTransaction();
    await other.query('UPDATE series SET version = version + 1');
    const pressed = refusedAs(want(Date.now() + 300));
    await new Promise((resolve) => setTimeout(resolve, 600));
    await other.rollback();
    await other.end();
    expect(await pressed).toBe('too-late');
    expect(await commands()).toEqual([]);
  });

  it('is taken in time, and whoever names no time means it whenever it comes', async () => {
    await want(Date.now() + 10_000);
    await want();
    expect((await commands()).map(({ state }) => state)).toEqual(['waiting', 'expired']);
    expect(await refusedAs(want(1.5))).toBe('not-accepted');
  });
});

describe('an open page', () => {
  const open = async (options: { autoPong?: boolean } = {}) => {
    const page = new WebSocket(service.url.replace('http', 'ws') + LIVE_PATH, {
      headers: { cookie: person.cookie() },
      ...options,
    });
    const heard: LiveMessage[] = [];
    page.on('message', (data: Buffer) => heard.push(JSON.parse(data.toString()) as LiveMessage));
    await once(page, 'open');
    return { page, heard };
  };

  it('hears every few seconds that the service is there, with its time; one that answers no ping is let go', async () => {
    const { page, heard } = await open();
    const dead = await open({ autoPong: false });
    const closed = once(dead.page, 'close');
    await until(() => heard.filter(({ type }) => type === 'beat').length >= 2);
    const beat = heard.findLast((one) => one.type === 'beat');
    expect(Math.abs((beat as { now: number }).now - Date.now())).toBeLessThan(BEAT_MS + 2000);
    await closed;
    expect(page.readyState).toBe(WebSocket.OPEN);
    page.close();
  });

  it('hears that what it shows of the past is no longer right: late, deleted, made right', async () => {
    const { page, heard } = await open();
    page.send(JSON.stringify({ type: 'watch', devices: [device], arrivals: [] }));
    await until(() => heard.some(({ type }) => type === 'watching'));
    const past = (): string[][] => heard.flatMap((one) => (one.type === 'past' ? [one.streams] : []));
    await post(service, token, { level: -100, temperature: 9 });
    await until(() => heard.some((one) => one.type === 'readings' && one.values.length === 2));
    expect(past()).toEqual([]);
    await post(service, token, { at: Date.now() - 3_600_000, level: -200 });
    await until(() => past().length === 1);
    expect(past()).toEqual([['level']]);
    await person.client.call('deleteReadings', {
      params: { device },
      body: { stream: 'level', to: Date.now() - 1_800_000 },
    });
    await until(() => past().length === 2);
    await person.client.call('createCalibration', {
      params: { device },
      body: { stream: 'level', calibration: { form: 'linear', scale: 1, offset: 5 } },
    });
    await until(() => past().length >= 3);
    page.close();
  });

  it('hears so of the first reading too that comes after it was opened', async () => {
    const { kindId } = await person.client.call('readDevice', { params: { device } });
    const other = await person.client.call('createDevice', { body: { name: 'Other', id: 'other', kindId } });
    await post(service, other.token, { level: -100 });
    const { page, heard } = await open();
    page.send(JSON.stringify({ type: 'watch', devices: ['other'], arrivals: [] }));
    await until(() => heard.some(({ type }) => type === 'watching'));
    await post(service, other.token, { at: Date.now() - 3_600_000, level: -300 });
    await until(() => heard.some(({ type }) => type === 'past'));
    page.close();
  });
});

/** A board that hears what is wanted, by name, and acknowledges nothing of it but its interval. */
async function deafBoard(of: { id: string; token: string }, heard: string[]): Promise<net.Socket> {
  const socket = net.connect(Number(new URL(service.mqttUrl).port), '127.0.0.1');
  const bytes = (packet: Parameters<typeof generate>[0]): void => void socket.write(generate(packet));
  const packets = parser();
  const told = new Promise<void>((resolve) =>
    packets.on('packet', (packet) => {
      if (packet.cmd === 'connack')
        bytes({
          cmd: 'subscribe',
          messageId: 1,
          subscriptions: [{ topic: `moor/${of.id}/wanted/#`, qos: 1 }],
        });
      if (packet.cmd !== 'publish') return;
      const name = packet.topic.split('/').pop()!;
      heard.push(name);
      if (name !== 'interval') return;
      bytes({ cmd: 'puback', messageId: packet.messageId! });
      resolve();
    }),
  );
  socket.on('data', (part: Buffer) => void packets.parse(part));
  socket.on('error', () => undefined);
  bytes({
    cmd: 'connect',
    protocolId: 'MQTT',
    protocolVersion: 4,
    clientId: 'deaf',
    clean: true,
    keepalive: 0,
    username: of.id,
    password: Buffer.from(of.token),
  });
  await told;
  return socket;
}

describe('a momentary control', () => {
  let horn: { id: string; token: string };
  const press = () =>
    person.client.call('createCommand', {
      params: { device: horn.id },
      body: { stream: 'horn', value: true },
    });
  const newest = async () =>
    (await person.client.call('listCommands', { params: { device: horn.id } })).find(
      ({ stream }) => stream === 'horn',
    )!;
  const wanted = (query = '') =>
    fetch(`${service.url}/device/wanted${query}`, {
      headers: { authorization: `Bearer ${horn.token}` },
    }).then((response) => response.json() as Promise<Record<string, unknown>>);
  beforeEach(async () => {
    const { device: made, token: secret } = await person.client.call('createDevice', {
      body: {
        name: 'Sluice',
        newKind: {
          title: 'Sluice',
          intervalS: 60,
          streams: [
            {
              key: 'horn',
              title: 'Horn',
              type: 'boolean',
              direction: 'control',
              holds: 'momentary',
              timeLimitS: 2,
            },
            { key: 'gate', title: 'Gate', type: 'boolean', direction: 'control' },
          ],
        },
      },
    });
    horn = { id: made.id, token: secret };
  });
  const connect = async (): Promise<{ heard: string[]; board: MqttClient }> => {
    const board = await mqttAs(service, horn.id, horn.token);
    const heard: string[] = [];
    board.on('message', (topic, payload) => {
      if (topic.endsWith('/horn')) heard.push(payload.toString());
    });
    await board.subscribeAsync(`moor/${horn.id}/wanted/#`, { qos: 1 });
    return { heard, board };
  };

  it('is told once, in its time, and never again', async () => {
    const { heard, board } = await connect();
    await press();
    await until(async () => (await newest()).state === 'sent');
    expect(heard).toEqual(['1']);
    await board.endAsync();
    const again = await connect();
    expect(await wanted()).not.toHaveProperty('horn');
    await new Promise((resolve) => setTimeout(resolve, 2500));
    // The board has it; what came of it is not said, and not made up.
    expect((await newest()).state).toBe('sent');
    expect(again.heard).toEqual([]);
    await again.board.endAsync();
  });

  it('waits for a board that comes within its time, and expires without one', async () => {
    await press();
    const { heard, board } = await connect();
    await until(() => heard.length === 1);
    await board.endAsync();
    await press();
    await until(async () => (await newest()).state === 'expired');
    expect((await newest()).note).toBe('the device was not reached in time');
    const late = await connect();
    expect(await wanted()).not.toHaveProperty('horn');
    expect(late.heard).toEqual([]);
    await late.board.endAsync();
  });

  it('is told to one of several who ask at once over HTTP, with its time; what came of it is not known until the board says', async () => {
    const { n } = await wanted('?n=0');
    const asking = Promise.all([1, 2, 3].map(() => wanted(`?wait=5&n=${n as number}`)));
    await until(async () => {
      await new Promise((resolve) => setTimeout(resolve, 200));
      return true;
    });
    const { until: end } = await press();
    const answers = await asking;
    expect(answers.filter((one) => 'horn' in one)).toHaveLength(1);
    expect(answers.find((one) => 'horn' in one)).toMatchObject({ horn: 1, _until: { horn: end } });
    await until(async () => (await newest()).state === 'not-known');
    await fetch(`${service.url}/device/applied`, {
      method: 'POST',
      headers: { authorization: `Bearer ${horn.token}`, 'content-type': 'application/json' },
      body: '{"horn":1}',
    });
    await until(async () => (await newest()).state === 'applied');
  });

  it('is cut off with the connection of a board that does not acknowledge it, and does not reach it later', async () => {
    const heard: string[] = [];
    const board = await deafBoard(horn, heard);
    const closed = once(board, 'close');
    await press();
    await closed;
    expect(heard.filter((name) => name === 'horn')).toHaveLength(1);
    await until(async () => (await newest()).state === 'not-known');
  });

  it('expires where it waited behind a value that the board does not acknowledge: it was not told', async () => {
    const heard: string[] = [];
    const board = await deafBoard(horn, heard);
    await person.client.call('createCommand', {
      params: { device: horn.id },
      body: { stream: 'gate', value: true },
    });
    await until(() => heard.includes('gate'));
    await press();
    await until(async () => (await newest()).state === 'expired');
    expect((await newest()).note).toBe('the device was not reached in time');
    expect(heard).not.toContain('horn');
    board.destroy();
  });

  it('replaces a press that waits, and takes back none that was told', async () => {
    const first = await press();
    const second = await press();
    const { heard, board } = await connect();
    await until(() => heard.length === 1);
    const list = await person.client.call('listCommands', { params: { device: horn.id } });
    expect(list.find(({ id }) => id === first.id)).toMatchObject({ state: 'expired' });
    await until(async () => (await newest()).state === 'sent');
    await press();
    await until(() => heard.length === 2);
    const after = await person.client.call('listCommands', { params: { device: horn.id } });
    expect(after.find(({ id }) => id === second.id)!.state).toBe('sent');
    await board.endAsync();
  });

  it('a lasting one with a time limit is not told any more after it', async () => {
    const kinds = await person.client.call('listKinds');
    const kind = kinds.find(({ streams }) => streams.some(({ key }) => key === 'horn'))!;
    const { id: _id, ...gate } = kind.streams.find(({ key }) => key === 'gate')!;
    await person.client.call('changeStream', {
      params: { kind: kind.id, stream: 'gate' },
      body: { ...gate, timeLimitS: 1 },
    });
    const of = (await person.client.call('listDevices')).find(({ kindId }) => kindId === kind.id)!;
    const made = await person.client.call('createCommand', {
      params: { device: of.id },
      body: { stream: 'gate', value: true },
    });
    const ended = await until(async () => {
      const one = await person.client.call('readCommand', { params: { command: made.id } });
      return one.state === 'expired' && one;
    });
    expect(ended.note).toBe('the device was not reached in time');
  });

  it('takes no value from the start, and says so', async () => {
    const outcome = await person.client
      .call('createKind', {
        body: {
          title: 'Wrong',
          streams: [
            {
              key: 'horn',
              title: 'Horn',
              type: 'boolean',
              direction: 'control',
              holds: 'momentary',
              defaultValue: 'on',
            },
          ],
        },
      })
      .catch((error: ApiError) => error.problem.detail);
    expect(outcome).toMatch(/holds must be lasting where there is a value from the start/);
  });
});
