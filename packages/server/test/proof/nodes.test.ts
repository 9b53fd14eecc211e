import { once } from 'node:events';
import net from 'node:net';
import { generate, parser, type Packet } from 'mqtt-packet';
import { WebSocket } from 'ws';
import type { MqttClient } from 'mqtt';
import { createClient, LIVE_PATH, type Client, type LiveMessage } from '@peatmoor/contract';
import { startBusStandIn, type BusStandIn } from '@peatmoor/standins';
import {
  startSharedDatabase,
  urlOf,
  type Node,
  type SharedDatabase,
} from '../../../../test/support/sharedDatabase';
import {
  mqttAs,
  newDevice,
  post,
  readingsOf,
  until,
  type TestService,
} from '../../../../test/support/service';

// Several nodes on one database: whatever is asked of one of them is right, whichever node it happened at.
jest.setTimeout(60_000);

let shared: SharedDatabase;
let bus: BusStandIn;
let first: Node;
let second: Node;
let here: Client;
let there: Client;
let key: string;
let token: string;
const id = 'dipwell-north';

const report = (node: Node, body: object, by = token) => post({ url: urlOf(node) } as TestService, by, body);
const within = async (ms: number, test: () => unknown, what: string): Promise<number> => {
  const since = Date.now();
  await until(test, what, ms + 5000);
  const took = Date.now() - since;
  expect({ what, late: took > ms ? took : 0 }).toEqual({ what, late: 0 });
  return took;
};
const newestOf = async (client: Client, stream: string): Promise<unknown> =>
  (await client.call('readDevice', { params: { device: id } })).newest.find((one) => one.key === stream)
    ?.value;

/** A page that is open at a node and shows the device. */
async function openPage(node: Node, arrivals = [id]): Promise<{ heard: LiveMessage[]; page: WebSocket }> {
  const page = new WebSocket(urlOf(node).replace('http', 'ws') + LIVE_PATH, {
    headers: { authorization: `Bearer ${key}` },
  });
  const heard: LiveMessage[] = [];
  page.on('message', (data) => heard.push(JSON.parse((data as Buffer).toString()) as LiveMessage));
  await new Promise((resolve, reject) => page.once('open', resolve).once('error', reject));
  page.send(JSON.stringify({ type: 'watch', devices: [id], arrivals }));
  await until(() => heard.some(({ type }) => type === 'watching'));
  return { heard, page };
}

/** A board at a node, and what it is told. */
async function board(
  node: Node,
  options: { password?: string; clientId?: string; clean?: boolean } = {},
): Promise<{ client: MqttClient; told: string[]; state: { closed: boolean } }> {
  const at = { mqttUrl: `mqtt://127.0.0.1:${node.ready.mqttPort}` } as TestService;
  const told: string[] = [];
  const state = { closed: false };
  const { password = token, ...rest } = options;
  const client = await mqttAs(at, id, password, rest);
  client.on('message', (topic, payload) => told.push(`${topic} ${payload.toString()}`));
  client.on('close', () => (state.closed = true));
  client.on('error', () => undefined);
  return { client, told, state };
}

const clientOf = (node: Node): Client =>
  createClient({ baseUrl: urlOf(node), headers: { authorization: `Bearer ${key}` } });

beforeAll(async () => {
  shared = await startSharedDatabase();
  bus = await startBusStandIn();
  const environment = { PEATMOOR_BUS_URL: bus.url, PEATMOOR_PUBLIC_MQTT_PORT: '2883' };
  first = await shared.startNode(environment);
  second = await shared.startNode(environment);
  ({ key } = await shared.newOwner(first));
  [here, there] = [clientOf(first), clientOf(second)];
  ({ token } = await newDevice(here));
}, 120_000);
afterAll(async () => {
  await shared.stop();
  await bus.stop();
}, 60_000);

it('lists all, each with its sign of life', async () => {
  const nodes = await until(async () => {
    const found = await there.call('listNodes');
    return found.length === 2 && found;
  });
  expect(nodes.map(({ alive, draining, version }) => ({ alive, draining, version }))).toEqual(
    Array.from({ length: 2 }, () => ({
      alive: true,
      draining: false,
      version: expect.stringMatching(/^\d/),
    })),
  );
  // Each by its own address, which it knows once it listens.
  const addresses = [first, second].map(urlOf).sort();
  await until(async () => {
    const listed = (await there.call('listNodes')).map(({ address }) => address).sort();
    return JSON.stringify(listed) === JSON.stringify(addresses);
  });
  // As each of them has said since.
  await until(async () => {
    const does = (await here.call('listNodes')).flatMap((one) => one.does);
    return does.sort().join(' ') === 'computing folding rules';
  });
});

it('tells boards the port of the balancer', async () => {
  expect((await there.call('me')).address.mqttPort).toBe(2883);
});

it('what is reported to one is shown at the other: readings, texts, pictures, arrivals, within moments', async () => {
  const { heard, page } = await openPage(first);
  // Read into memory at the other node before.
  await newestOf(here, 'level');
  expect((await report(second, { level: -12.5 })).status).toBe(200);
  const shows = (stream: string, value: unknown) => () =>
    heard.some(
      (one) =>
        one.type === 'readings' &&
        one.values.some(
          ([name, , shown]) => name === stream && JSON.stringify(shown) === JSON.stringify(value),
        ),
    );
  await within(1000, shows('level', -12.5), 'a reading of the other node');
  expect(await newestOf(here, 'level')).toBe(-12.5);
  const { kindId } = await here.call('readDevice', { params: { device: id } });
  for (const [stream, type] of [
    ['note', 'text'],
    ['camera', 'image'],
  ] as const)
    await here.call('createStream', {
      params: { kind: String(kindId) },
      body: { key: stream, title: stream, type },
    });
  await until(async () => (await report(second, { note: 'sphagnum' })).status === 200);
  await within(1000, shows('note', 'sphagnum'), 'a text of the other node');
  const picture = Buffer.from(
    'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
    'base64',
  );
  const sent = await fetch(`${urlOf(second)}/device/report?name=camera`, {
    method: 'POST',
    headers: { authorization: `Bearer ${token}`, 'content-type': 'image/png' },
    body: picture,
  });
  expect(sent.status).toBe(200);
  await within(
    1000,
    async () => JSON.stringify(await newestOf(here, 'camera'))?.includes('image/png'),
    'a picture of the other node',
  );
  await until(() => heard.some(({ type }) => type === 'arrival'));
  page.terminate();
});

it('messages of a device are listed at any node, and told to a page from when it shows them', async () => {
  const { token: quiet, device } = await newDevice(here, 'Quiet post');
  const deviceId = device.id;
  const numbers = async (client: Client): Promise<number> =>
    (await client.call('listArrivals', { params: { device: deviceId } })).length;
  expect((await report(second, { level: 1 }, quiet)).status).toBe(200);
  await within(3000, async () => (await numbers(here)) === 1, 'a message that nobody was shown');
  const { heard, page } = await openPage(first, [deviceId]);
  await within(
    3000,
    () => heard.some((one) => one.type === 'changed' && one.what === 'arrivals'),
    'what came before is read again',
  );
  expect((await report(second, { level: 2 }, quiet)).status).toBe(200);
  await within(500, () => heard.some(({ type }) => type === 'arrival'), 'the next one, live');
  page.terminate();
});

it('what comes without a time of its own at several at once is kept, all of it', async () => {
  const { token: fast } = await newDevice(here, 'Hasty');
  const values = Array.from({ length: 400 }, (_, i) => -1 - i);
  const answers = await Promise.all(
    values.map((level) => report(level % 2 === 0 ? first : second, { level }, fast)),
  );
  expect(answers.filter(({ answer }) => answer.accepted !== 1)).toEqual([]);
  const kept = async (client: Client): Promise<number[]> =>
    (await readingsOf(client, 'hasty', 'level')).map(([, value]) => value).sort((a, b) => b - a);
  for (const client of [here, there])
    await until(async () => (await kept(client)).length === values.length, 'all are kept', 10_000);
  expect(await kept(there)).toEqual(values);
});

/** A board that speaks in packets, and goes on with one session. */
async function packetBoard(node: Node, name: string, secret: string) {
  const socket = net.connect(node.ready.mqttPort, '127.0.0.1');
  socket.on('error', () => undefined);
  const packets = parser();
  socket.on('data', (part) => void packets.parse(part));
  const say = async (packet: Packet, answer: Packet['cmd']): Promise<Packet> => {
    socket.write(generate(packet));
    for (;;) {
      const [heard] = (await once(packets, 'packet')) as [Packet];
      if (heard.cmd === answer) return heard;
    }
  };
  await say(
    {
      cmd: 'connect',
      protocolId: 'MQTT',
      protocolVersion: 4,
      clientId: 'goes-on',
      clean: false,
      keepalive: 60,
      username: name,
      password: Buffer.from(secret),
    },
    'connack',
  );
  const publish = (level: number, messageId: number, dup = false): Promise<Packet> =>
    say(
      {
        cmd: 'publish',
        topic: `moor/${name}/report`,
        payload: `{"level":${level}}`,
        qos: 2,
        messageId,
        dup,
        retain: false,
      },
      'pubrec',
    );
  const release = (messageId: number): Promise<Packet> => say({ cmd: 'pubrel', messageId }, 'pubcomp');
  const send = (level: number, messageId: number): void =>
    void socket.write(
      generate({
        cmd: 'publish',
        topic: `moor/${name}/report`,
        payload: `{"level":${level}}`,
        qos: 2,
        messageId,
        dup: false,
        retain: false,
      }),
    );
  return { socket, publish, release, send };
}

it('a datastream that was made at one node a moment ago is known at the other', async () => {
  const { kindId } = await here.call('readDevice', { params: { device: id } });
  for (let i = 0; i < 10; i++) {
    await here.call('createStream', {
      params: { kind: String(kindId) },
      body: { key: `fresh_${i}`, title: `Fresh ${i}`, type: 'number' },
    });
    const { answer } = await report(second, { [`fresh_${i}`]: i });
    expect(answer).toMatchObject({ accepted: 1, refused: [] });
  }
  // What nobody knows is refused as always.
  expect((await report(second, { nobody_knows: 1 })).answer.refused).toMatchObject([
    { reason: 'unknown-name' },
  ]);
});

it('a bus that says nothing any more is noticed, and pages go on by the database', async () => {
  const { heard, page } = await openPage(second);
  bus.silence(true);
  const { kindId } = await here.call('readDevice', { params: { device: id } });
  await new Promise((resolve) => setTimeout(resolve, 4500));
  heard.length = 0;
  await here.call('changeKind', { params: { kind: String(kindId) }, body: { notes: 'by the database' } });
  await report(first, { level: -77 });
  await within(2500, () => heard.some(({ type }) => type === 'changed'), 'the change');
  await within(2500, () => heard.some((one) => JSON.stringify(one).includes('-77')), 'the reading');
  bus.silence(false);
  page.terminate();
});

it('a message of QoS 2 is taken once, wherever it is sent again, and its number means a new one afterwards', async () => {
  const { token: secret } = await newDevice(here, 'Twice');
  const connect = (node: Node) => packetBoard(node, 'twice', secret);
  let board = await connect(first);
  await board.publish(-1, 5);
  await board.publish(-2, 6);
  board.socket.destroy();
  board = await connect(second);
  // It did not hear that they were taken.
  await board.publish(-1, 5, true);
  await board.publish(-2, 6, true);
  await board.release(5);
  await board.publish(-3, 5);
  await board.release(6);
  board.socket.destroy();
  board = await connect(first);
  await board.publish(-3, 5, true);
  await board.release(5);
  await board.publish(-4, 5);
  await board.publish(-5, 6);
  await board.release(5);
  await board.release(6);
  const kept = async (): Promise<number[]> =>
    (await readingsOf(there, 'twice', 'level')).map(([, value]) => value);
  await until(async () => (await kept()).includes(-5));
  expect((await kept()).sort((a, b) => b - a)).toEqual([-1, -2, -3, -4, -5]);
  expect(await shared.rows('SELECT 1 FROM openNumbers')).toEqual([]);
  board.socket.destroy();
});

it('a message of QoS 2 that a node held when it was paused is not taken there once its board has gone on elsewhere', async () => {
  const { token: secret } = await newDevice(here, 'Moves on');
  const pid = first.child.pid!;
  for (let round = 1; round <= 3; round++) {
    const before = await packetBoard(first, 'moves-on', secret);
    // The database stands still for the node that has it, and then the node itself.
    const lock = await shared.connect();
    await lock.query('LOCK TABLES journal WRITE');
    before.send(-round, 5);
    await new Promise((resolve) => setTimeout(resolve, 200));
    process.kill(pid, 'SIGSTOP');
    await lock.query('UNLOCK TABLES');
    await lock.end();
    const after = await packetBoard(second, 'moves-on', secret);
    await after.publish(-round, 5, true);
    await after.release(5);
    process.kill(pid, 'SIGCONT');
    await until(async () => (await report(first, { level: 1 })).status === 200);
    // The number is free: what comes under it is new.
    await after.publish(-10 - round, 5);
    await after.release(5);
    before.socket.destroy();
    after.socket.destroy();
  }
  await new Promise((resolve) => setTimeout(resolve, 500));
  const kept = (await readingsOf(there, 'moves-on', 'level')).map(([, value]) => value);
  expect(kept.sort((a, b) => b - a)).toEqual([-1, -2, -3, -11, -12, -13]);
  expect(await shared.rows('SELECT 1 FROM openNumbers')).toEqual([]);
});

it('a node that stands still in the midst of a change holds nobody up for long', async () => {
  const make = (client: Client) =>
    client.call('createKind', {
      body: { title: 'Held', streams: [{ key: 'level', title: 'Level', type: 'number' }] } as never,
    });
  // Just started: its connections are those that it began with.
  const third = await shared.startNode({ PEATMOOR_BUS_URL: bus.url });
  const lock = await shared.connect();
  await lock.query('LOCK TABLES streams WRITE');
  const held = make(clientOf(third)).catch((error: Error) => error);
  await new Promise((resolve) => setTimeout(resolve, 500));
  third.child.kill('SIGSTOP');
  await lock.query('UNLOCK TABLES');
  await lock.end();
  const since = performance.now();
  await make(there);
  expect(performance.now() - since).toBeLessThan(12_000);
  third.child.kill('SIGCONT');
  // Its change is undone, and whoever asked for it is told to ask again.
  expect(await held).toMatchObject({ problem: { status: 503 } });
  await third.stop();
  shared.nodes.pop();
});

it('a device has one rate, at however many nodes', async () => {
  const { token: fast } = await newDevice(here, 'Flood');
  const slow = await Promise.all(
    [1, 2].map(() => shared.startNode({ PEATMOOR_BUS_URL: bus.url, PEATMOOR_DEVICE_RATE: '40' })),
  );
  const since = performance.now();
  let taken = 0;
  const flood = async (node: Node): Promise<void> => {
    while (performance.now() - since < 3000) {
      const { status } = await report(node, { level: 1 }, fast);
      if (status === 200) taken++;
      else await new Promise((resolve) => setTimeout(resolve, 10));
    }
  };
  await Promise.all([...slow, ...slow].map(flood));
  const seconds = (performance.now() - since) / 1000;
  // Forty at once to begin with, and what both let through before they heard of each other; without a word it would be twice as many.
  expect(taken).toBeLessThan(40 * (seconds + 1) + 60);
  expect(taken).toBeGreaterThan(40 * (seconds - 1));
  for (const node of slow) await node.stop();
  shared.nodes.splice(-2);
});

it('a definition that changed at one is right at the other at once, with the bus and without', async () => {
  for (const isUp of [true, false]) {
    if (!isUp) await bus.stop();
    const { kindId } = await there.call('readDevice', { params: { device: id } });
    const stream = isUp ? 'depth' : 'slope';
    await here.call('createStream', {
      params: { kind: String(kindId) },
      body: { key: stream, title: stream, type: 'number' },
    });
    await within(
      2000,
      async () => (await report(second, { [stream]: 4 })).status === 200,
      `${stream} is known`,
    );
    // A token that is withdrawn at one ends its session at the other.
    const made = await here.call('createToken', { params: { device: id }, body: {} });
    const { state, client } = await board(second, { password: made.secret });
    await here.call('withdrawToken', { params: { device: id, token: String(made.id) } });
    await within(2000, () => state.closed, `the session ends, bus ${isUp ? 'up' : 'down'}`);
    expect((await report(second, { level: 1 }, made.secret)).status).toBe(401);
    client.end(true);
  }
  // Pages hear by the database meanwhile, and readings come.
  const { heard, page } = await openPage(first);
  await report(second, { level: 77 });
  await within(
    1500,
    () => heard.some((one) => one.type === 'readings' && one.values.some(([, , value]) => value === 77)),
    'a reading without the bus',
  );
  bus = await startBusStandIn(bus.port);
  await within(4000, () => heard.some(({ type }) => type === 'again'), 'pages read again once it is back');
  page.terminate();
});

it('a board that comes to another node leaves the one before, and is there all the while', async () => {
  const before = await board(first, { clientId: 'north', clean: false });
  await new Promise((resolve) => before.client.subscribe(`moor/${id}/wanted/#`, { qos: 1 }, resolve));
  const isThere = async (client: Client) =>
    (await client.call('readDevice', { params: { device: id } })).connected;
  await within(2000, () => isThere(there), 'the other node knows of it');
  await until(
    async () => (await shared.rows("SELECT 1 FROM lastingSessions WHERE client LIKE '%north'")).length === 1,
  );
  const facts = async () => (await here.call('listEvents', { query: { limit: 100 } })).length;
  const rule = await here.call('createRule', {
    body: { title: 'Gone', deviceId: id, comparison: 'offline' },
  });
  const count = await facts();
  const after = await board(second, { clientId: 'north', clean: false });
  await within(2000, () => before.state.closed, 'the session before ends');
  expect([await isThere(here), await isThere(there)]).toEqual([true, true]);
  // What it had subscribed to goes on, and what is wanted at one node reaches it at the other.
  const { id: command } = await here.call('createCommand', {
    params: { device: id },
    body: { stream: 'pump', value: true },
  });
  await within(2000, () => after.told.some((one) => one === `moor/${id}/wanted/pump 1`), 'what is wanted');
  after.client.publish(`moor/${id}/applied/pump`, '', { qos: 1 });
  const stateOf = async () =>
    (await here.call('readCommand', { params: { command: String(command) } })).state;
  await within(2000, async () => (await stateOf()) === 'applied', 'it is applied');
  await new Promise((resolve) => setTimeout(resolve, 1000));
  expect(await facts()).toBe(count);
  after.client.end(true);
  await within(3000, async () => (await facts()) === count + 1, 'it is gone');
  await within(2000, async () => !(await isThere(here)), 'nobody thinks that it is there');
  await here.call('deleteRule', { params: { rule: String(rule.id) } });
});

it('a node that is killed is noticed: what it held is gone, and others go on with its work', async () => {
  const third = await shared.startNode({ PEATMOOR_BUS_URL: bus.url });
  await here.call('createRule', { body: { title: 'Gone', deviceId: id, comparison: 'offline' } });
  const at = await board(third);
  await until(async () => (await here.call('readDevice', { params: { device: id } })).connected);
  await until(async () => (await shared.rows('SELECT 1 FROM connections')).length === 1);
  await third.kill();
  await within(
    14_000,
    async () => !(await here.call('readDevice', { params: { device: id } })).connected,
    'nobody is there any more',
  );
  await until(
    async () => (await there.call('listEvents', { query: { state: 'open' } })).length === 1,
    'told once',
  );
  expect(await shared.rows('SELECT 1 FROM connections')).toEqual([]);
  expect((await here.call('listNodes')).filter(({ alive }) => alive)).toHaveLength(2);
  at.client.end(true);
});

it('a node that slept says of its boards that they are there after all', async () => {
  const rule = await here.call('createRule', {
    body: { title: 'Away', deviceId: id, comparison: 'offline' },
  });
  const { client, state } = await board(second, { clientId: 'sleeps' });
  const isOpen = async (): Promise<boolean> =>
    (await here.call('listEvents', { query: { rule: rule.id, state: 'open' } })).length === 1;
  await until(async () => (await here.call('readDevice', { params: { device: id } })).connected);
  second.child.kill('SIGSTOP');
  await until(isOpen, 'the others take it for dead', 25_000);
  second.child.kill('SIGCONT');
  await until(async () => !(await isOpen()), 'it is awake, and so is its board', 15_000);
  expect(state.closed).toBe(false);
  // The end of the event may be known here before the news of the other node.
  await within(
    2000,
    async () => (await here.call('readDevice', { params: { device: id } })).connected,
    'it is there',
  );
  await until(async () => (await shared.rows('SELECT 1 FROM connections')).length === 1);
  await here.call('deleteRule', { params: { rule: String(rule.id) } });
  client.end(true);
});

it('a node that leaves says so first, lets its boards go, and nothing of it stays', async () => {
  const third = await shared.startNode({ PEATMOOR_BUS_URL: bus.url, PEATMOOR_LEAVE_SECONDS: '2' });
  const { state, client } = await board(third, { clientId: 'leaves' });
  await until(async () => (await here.call('listNodes')).filter(({ alive }) => alive).length === 3);
  const health = async () => {
    const answer = await fetch(`${urlOf(third)}/health`).catch(() => null);
    return answer === null ? 0 : answer.status;
  };
  const gone = third.stop();
  await until(async () => (await health()) === 503, 'the balancer is told');
  // It goes on for whoever comes all the same.
  expect((await report(third, { level: 3 })).status).toBe(200);
  expect(await gone).toBe(0);
  expect(state.closed).toBe(true);
  expect((await here.call('listNodes')).filter(({ alive }) => alive)).toHaveLength(2);
  await until(async () => (await newestOf(there, 'level')) === 3);
  client.end(true);
});
