import net from 'node:net';
import type { Client } from '@peatmoor/contract';
import { newDevice, post, readingsOf, until, type TestService } from '../../../../test/support/service';
import {
  startSharedDatabase,
  urlOf,
  type Node,
  type SharedDatabase,
} from '../../../../test/support/sharedDatabase';

// A database that says nothing any more, as behind a network that drops every packet: it is left within seconds.
jest.setTimeout(90_000);

/** A way to a database that can fall silent: connections stay open, and nothing goes through. */
interface Way {
  port: number;
  silence(): void;
  goOn(): void;
  stop(): void;
}

async function wayTo(port: number): Promise<Way> {
  let silent = false;
  const sockets = new Set<net.Socket>();
  const server = net.createServer((inside) => {
    const outside = net.connect(port, '127.0.0.1');
    for (const [one, other] of [
      [inside, outside],
      [outside, inside],
    ] as const) {
      sockets.add(one);
      one.on('error', () => other.destroy());
      one.on('close', () => (sockets.delete(one), other.destroy()));
      one.on('data', (bytes) => other.write(bytes));
      if (silent) one.pause();
    }
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return {
    port: (server.address() as net.AddressInfo).port,
    silence() {
      silent = true;
      for (const one of sockets) one.pause();
    },
    goOn() {
      silent = false;
      for (const one of sockets) one.resume();
    },
    stop() {
      server.close();
      for (const one of sockets) one.destroy();
    },
  };
}

let shared: SharedDatabase;
let ways: Way[];
let node: Node;
let client: Client;
let token: string;
beforeAll(async () => {
  shared = await startSharedDatabase();
  const port = Number(new URL(shared.url).port);
  ways = await Promise.all([wayTo(port), wayTo(port)]);
  const [one, other] = ways.map((way) => `127.0.0.1:${way.port}`);
  node = await shared.startNode({
    PEATMOOR_DATABASE_URL: shared.url.replace(`127.0.0.1:${port}`, `${one},${other}`),
  });
  ({ client } = await shared.newOwner(node));
  ({ token } = await newDevice(client));
});
afterAll(async () => {
  for (const way of ways) way.goOn();
  await shared.stop();
  for (const way of ways) way.stop();
});

/** Boards that report ten times a second until it ends; what each call came to, and how long it took. */
function reporting(from: number): { end(): Promise<{ level: number; status: number; tookMs: number }[]> } {
  const calls: Promise<{ level: number; status: number; tookMs: number }>[] = [];
  const timer = setInterval(() => {
    const level = from - calls.length;
    const since = performance.now();
    const done = (status: number) => ({ level, status, tookMs: performance.now() - since });
    calls.push(
      post({ url: urlOf(node) } as TestService, token, { level }).then(
        ({ status }) => done(status),
        () => done(0),
      ),
    );
  }, 100);
  return {
    end() {
      clearInterval(timer);
      return Promise.all(calls);
    },
  };
}
const values = async (): Promise<number[]> =>
  (await readingsOf(client, 'dipwell-north', 'level')).map(([, value]) => value);

it('where there is another, it is taken within five seconds, and nothing that was acknowledged is lost', async () => {
  const boards = reporting(-1);
  await new Promise((resolve) => setTimeout(resolve, 1000));
  ways[0]!.silence();
  const since = performance.now();
  await new Promise((resolve) => setTimeout(resolve, 300));
  await until(
    async () => (await post({ url: urlOf(node) } as TestService, token, { temperature: 1 })).status === 200,
  );
  const tookMs = performance.now() - since;
  expect(tookMs).toBeLessThan(6000);
  await new Promise((resolve) => setTimeout(resolve, 1000));
  const calls = await boards.end();
  expect(Math.max(...calls.map((one) => one.tookMs))).toBeLessThan(7000);
  expect(calls.filter(({ status }) => ![200, 503].includes(status))).toEqual([]);
  const there = await values();
  for (const { level, status } of calls) {
    if (status === 200) expect(there.filter((value) => value === level)).toEqual([level]);
    // Said not to be there, it is not.
    else expect(there).not.toContain(level);
  }
  // It comes back, and is one of two again.
  ways[0]!.goOn();
});

it('where there is no other, boards are told 503 within seconds, and all goes on when it speaks again', async () => {
  for (const way of ways) way.silence();
  const boards = reporting(-500);
  await new Promise((resolve) => setTimeout(resolve, 12_000));
  for (const way of ways) way.goOn();
  await until(
    async () => (await post({ url: urlOf(node) } as TestService, token, { temperature: 2 })).status === 200,
  );
  const calls = await boards.end();
  // After the first seconds nobody waits: it is said at once.
  const late = calls.slice(80, 110);
  expect(late.filter(({ status, tookMs }) => status !== 503 || tookMs > 1000)).toEqual([]);
  const there = await values();
  for (const { level, status } of calls)
    if (status === 200) expect(there.filter((value) => value === level)).toEqual([level]);
});
