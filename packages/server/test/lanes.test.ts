import http from 'node:http';
import net, { type AddressInfo } from 'node:net';
import type { Client, RuleIn } from '@peatmoor/contract';
import { startPushCatcher, type PushCatcher } from '@peatmoor/standins';
import { createConnection } from 'mariadb';
import {
  databaseOf,
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

/** A server that takes connections and says nothing on them, ever. */
async function silent(): Promise<{ port: number; open(): number; stop(): void }> {
  const sockets = new Set<net.Socket>();
  const server = net.createServer((socket) => {
    sockets.add(socket);
    socket.on('error', () => undefined).on('close', () => sockets.delete(socket));
    socket.resume();
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return {
    port: (server.address() as AddressInfo).port,
    open: () => sockets.size,
    stop() {
      for (const socket of sockets) socket.destroy();
      server.close();
    },
  };
}

let mail: Awaited<ReturnType<typeof silent>>;
let hook: Awaited<ReturnType<typeof silent>>;
let push: PushCatcher;
let service: TestService;
const id = 'dipwell-north';

beforeAll(async () => {
  [mail, hook, push] = await Promise.all([silent(), silent(), startPushCatcher()]);
  service = await startService({
    PEATMOOR_SMTP_URL: `smtp://127.0.0.1:${mail.port}`,
    PEATMOOR_PRIVATE_ADDRESSES: 'allow',
  });
});
afterAll(async () => {
  const since = performance.now();
  await service.stop();
  // What hangs does not hold up the end either.
  expect(performance.now() - since).toBeLessThan(10_000);
  mail.stop();
  hook.stop();
  await push.stop();
});

const highWater = (client: Client, change: Partial<RuleIn>): Promise<{ id: number }> =>
  client.call('createRule', {
    body: {
      title: 'High',
      deviceId: id,
      stream: 'level',
      comparison: 'above',
      limit: -100,
      ...change,
    } as never,
  });

it('a mail server and webhooks that hang hold up neither a control nor an urgent push, of whatever workspace', async () => {
  const slow = await newPerson(service, 'Slow');
  const { token: slowToken } = await newDevice(slow.client);
  const webhooks: number[] = [];
  for (let n = 0; n < 12; n++)
    webhooks.push(
      (
        await slow.client.call('createWebhook', {
          body: { title: `Hangs ${n}`, url: `http://127.0.0.1:${hook.port}/${n}` },
        })
      ).id,
    );
  const me = (await slow.client.call('me')).user.id;
  for (let n = 0; n < 4; n++)
    await highWater(slow.client, { title: `Slow ${n}`, people: [me], webhooks, severity: 'urgent' });
  const other = await newPerson(service, 'Other');
  const { token } = await newDevice(other.client);
  await other.client.call('addPushPlace', { body: { name: 'Phone', ...push.subscribe('phone') } });
  const answering = http.createServer((_, response) => response.end());
  await new Promise<void>((resolve) => answering.listen(0, '127.0.0.1', resolve));
  const { id: answers } = await other.client.call('createWebhook', {
    body: { title: 'Answers', url: `http://127.0.0.1:${(answering.address() as AddressInfo).port}` },
  });
  await highWater(other.client, {
    title: 'Pump off',
    severity: 'urgent',
    people: [(await other.client.call('me')).user.id],
    webhooks: [answers],
    actions: [{ on: 'opened', stream: 'pump', value: 'off' }] as never,
  });
  await post(service, slowToken, { level: -50 });
  await until(() => mail.open() > 0 && hook.open() > 0, 'they hang');
  const since = performance.now();
  await post(service, token, { level: -50 });
  await until(() => push.pushes().length > 0, 'the push', 5000);
  await until(
    async () => (await other.client.call('listCommands', { params: { device: id } })).length > 0,
    'the control',
    5000,
  );
  // A webhook that answers goes out beside those that hang.
  const sent = await until(
    async () =>
      (await other.client.call('listEvents'))[0]?.alerts.find(
        ({ channel, state }) => channel === 'webhook' && state === 'sent',
      ),
    'the webhook',
    5000,
  );
  expect(sent.error).toBe('');
  expect(performance.now() - since).toBeLessThan(5000);
  // Those that hang have some connections, not all that there are receivers.
  expect(hook.open()).toBeLessThanOrEqual(48);
  answering.close();
});

it('what somebody else had locked as it was due is sent as soon as it is free, not at the next look', async () => {
  const { client } = await newPerson(service, 'Locked');
  const { token } = await newDevice(client);
  await client.call('addPushPlace', { body: { name: 'Locked', ...push.subscribe('locked') } });
  const rule = await highWater(client, {
    title: 'Locked',
    severity: 'urgent',
    people: [(await client.call('me')).user.id],
    // What steers waits half a second for what becomes of it: time to lock it.
    actions: [{ on: 'opened', stream: 'pump', value: 'off' }] as never,
  });
  const connection = await createConnection(databaseOf(service));
  await post(service, token, { level: -50 });
  const [row] = await until(async () => {
    const rows = (await connection.query(
      "SELECT id FROM alerts WHERE ruleId = ? AND channel = 'push' AND state = 'waiting'",
      [rule.id],
    )) as { id: number }[];
    return rows.length > 0 && rows;
  }, 'the alert');
  await connection.beginTransaction();
  await connection.query('SELECT id FROM alerts WHERE id = ? FOR UPDATE', [row!.id]);
  await new Promise((resolve) => setTimeout(resolve, 800));
  expect(push.pushes().filter(({ phone }) => phone === 'locked')).toHaveLength(0);
  await connection.rollback();
  const since = Date.now();
  await connection.end();
  const caught = await until(() => push.pushes().find(({ phone }) => phone === 'locked'), 'the push', 10_000);
  expect(caught.at - since).toBeLessThan(1500);
});
