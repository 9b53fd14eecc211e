import net, { type AddressInfo } from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Client, RuleIn } from '@peatmoor/contract';
import { createConnection } from 'mariadb';
import type { MqttClient } from 'mqtt';
import {
  databaseOf,
  mqttAs,
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../../test/support/service';

// A day of a sluice basin whose water sloshes: at no moment is the pump wanted otherwise than the open event says. BASIN_CROSSINGS=200 for
// a whole day, BASIN_SEED for another order.
const CROSSINGS = Number(process.env.BASIN_CROSSINGS ?? 25);
const SEED = Number(process.env.BASIN_SEED ?? 27);
const id = 'dipwell-north';

/** Numbers from 0 to 1 in an order that the seed determines (mulberry32). */
function seeded(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296;
  };
}

/** A server that hangs, or cuts off whoever comes. */
async function receiver(): Promise<{ port: number; hangs: boolean; stop(): void }> {
  const sockets = new Set<net.Socket>();
  const self = { port: 0, hangs: true, stop: () => undefined as void };
  const server = net.createServer((socket) => {
    socket.on('error', () => undefined);
    if (!self.hangs) return void socket.destroy();
    sockets.add(socket);
    socket.on('close', () => sockets.delete(socket)).resume();
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  self.port = (server.address() as AddressInfo).port;
  self.stop = () => {
    for (const socket of sockets) socket.destroy();
    server.close();
  };
  return self;
}

let mail: Awaited<ReturnType<typeof receiver>>;
let hook: Awaited<ReturnType<typeof receiver>>;
let service: TestService;
let client: Client;
let token: string;
beforeAll(async () => {
  [mail, hook] = await Promise.all([receiver(), receiver()]);
  service = await startService({
    PEATMOOR_SMTP_URL: `smtp://127.0.0.1:${mail.port}`,
    PEATMOOR_PRIVATE_ADDRESSES: 'allow',
  });
  ({ client } = await newPerson(service));
  ({ token } = await newDevice(client));
});
afterAll(async () => {
  await service.stop();
  mail.stop();
  hook.stop();
});

it(`the pump is wanted as the open event says, through ${CROSSINGS} crossings`, async () => {
  const random = seeded(SEED);
  const me = (await client.call('me')).user.id;
  const webhooks = await Promise.all(
    [1, 2].map(
      async (n) =>
        (
          await client.call('createWebhook', {
            body: { title: `Hangs ${n}`, url: `http://127.0.0.1:${hook.port}/${n}` },
          })
        ).id,
    ),
  );
  const rule = (title: string, change: Partial<RuleIn>): Promise<{ id: number }> =>
    client.call('createRule', {
      body: {
        title,
        deviceId: id,
        stream: 'level',
        comparison: 'above',
        people: [me],
        webhooks,
        ...change,
      } as RuleIn,
    });
  const full = await rule('Basin is full', {
    limit: -100,
    closeLimit: -120,
    actions: [
      { on: 'while', stream: 'pump', value: 'off' },
      { on: 'closed', stream: 'pump', value: 'on' },
    ],
  } as Partial<RuleIn>);
  // Another rule wants the pump on as the water rises, again and again.
  await rule('Water rises', {
    limit: -200,
    actions: [{ on: 'opened', stream: 'pump', value: 'on' }],
  } as Partial<RuleIn>);

  let board: MqttClient | null = null;
  const link = async (): Promise<void> => {
    if (board !== null) return void (board.end(true), (board = null));
    board = await mqttAs(service, id, token).catch(() => null);
    board?.on('message', (topic, value) =>
      board?.publish(`moor/${id}/applied/${topic.split('/').at(-1)!}`, value),
    );
    board?.subscribe(`moor/${id}/wanted/#`, { qos: 1 });
  };
  const want = (value: string): Promise<number> =>
    client.call('createCommand', { params: { device: id }, body: { stream: 'pump', value } }).then(
      () => 200,
      (error: { problem?: { status: number } }) => error.problem?.status ?? 0,
    );
  /** People who press what they like, all the time. */
  let people = true;
  const pressing = (async () => {
    const own = seeded(SEED + 1);
    while (people) {
      await want(own() < 0.7 ? 'on' : 'off');
      await sleep(20 + own() * 200);
    }
  })();
  const isOpen = async (): Promise<boolean> =>
    (await client.call('listEvents', { query: { rule: full.id, state: 'open' } })).length === 1;
  const newest = async (): Promise<unknown> =>
    (await client.call('listCommands', { params: { device: id }, query: { stream: 'pump' } }))[0]?.value;
  const level = (value: number): Promise<boolean> =>
    until(
      async () => (await post(service, token, { level: value }).catch(() => null))?.status === 200,
      'a report',
    );

  /** Times of this machine's clock in which the event was seen open, and the water had not fallen again. */
  const held: [number, number][] = [];
  let restarts = 0;
  await link();
  for (let crossing = 0; crossing < CROSSINGS; crossing++) {
    mail.hangs = random() < 0.5;
    if (random() < 0.2) await link();
    // It sloshes below the limit first.
    if (random() < 0.5) await level(-190 + random() * 60);
    await level(-90 + random() * 60);
    if (crossing === 7 || random() < 0.05) {
      restarts++;
      await service.restart(random() < 0.7);
    }
    await until(() => isOpen().catch(() => false), 'the event opens', 30_000);
    const from = Date.now();
    // Whatever was wanted a moment before: the pump goes off, and nobody switches it on.
    await until(async () => (await newest()) === 0, `the pump is off in crossing ${crossing}`, 5000);
    const off = Date.now();
    expect(await want('on')).toBe(409);
    if (random() < 0.3) await sleep(random() * 800);
    expect(await newest()).toBe(0);
    held.push([Math.max(from, off), Date.now()]);
    await level(-250);
    await until(async () => !(await isOpen()), 'the event closes');
  }
  people = false;
  await pressing;
  // Nothing that was taken meanwhile says otherwise, by whomever.
  const records = await createConnection(databaseOf(service));
  const commands = (await records.query(
    "SELECT c.createdAt, c.value, c.userName FROM commands c JOIN streams s ON s.id = c.streamId AND s.`key` = 'pump' ORDER BY c.id",
  )) as { createdAt: number; value: number; userName: string }[];
  await records.end();
  const wrong = commands.filter(
    ({ createdAt, value }) => value !== 0 && held.some(([a, b]) => createdAt > a && createdAt < b),
  );
  expect(wrong).toEqual([]);
  const events = await client.call('listEvents', { query: { rule: full.id, limit: 200 } });
  expect(events).toHaveLength(Math.min(200, CROSSINGS));
  // And others were free to steer, while nothing held it.
  expect(
    commands.filter(({ value, userName }) => value !== 0 && userName === 'Warden').length,
  ).toBeGreaterThan(3);
  process.stdout.write(
    `${CROSSINGS} crossings of a basin, ${restarts} restarts, ${commands.length} values wanted of the pump: never on while it was held off (seed ${SEED})\n`,
  );
  (board as MqttClient | null)?.end(true);
}, 600_000);
