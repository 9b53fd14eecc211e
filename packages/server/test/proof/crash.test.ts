import { once } from 'node:events';
import fs from 'node:fs';
import path from 'node:path';
import { connectAsync } from 'mqtt';
import { WebSocket } from 'ws';
import { QUIET, step, type Condition, type RuleState } from '@peatmoor/core';
import { createClient, type Client } from '@peatmoor/contract';
import { built, startProgram } from '../../../../test/support/program';
import {
  mqttAs,
  newDevice,
  newFolder,
  newPerson,
  post,
  readingsOf,
  startService,
  until,
  type TestService,
} from '../../../../test/support/service';

/** `npm run proof` asks for more. */
const ROUNDS = Number(process.env.PROOF_SERVICE_KILLS ?? 8);
const DATABASE_ROUNDS = Number(process.env.PROOF_DATABASE_KILLS ?? 2);
jest.setTimeout(180_000 + (ROUNDS + DATABASE_ROUNDS) * 15_000);
const id = 'dipwell-north';
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** A client that goes on working when the service comes back: an access key outlives its process. */
async function lastingClient(service: TestService, client: Client): Promise<Client> {
  const { secret } = await client.call('createKey', { body: { title: 'crash test' } });
  return createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${secret}` } });
}

/**
 * Reports over HTTP and MQTT QoS 1 while something is done to the service, and gives the numbers that were
 * acknowledged. Each reading has a value of its own, told by which way it went: even over HTTP, odd over MQTT.
 */
async function underLoad(
  service: TestService,
  token: string,
  /** Boards without a clock: what they send names no time. */
  clockless: readonly Clockless[],
  /** Given a wait for some more acknowledgements, so that each disturbance meets a load, however slow the disk is. */
  disturb: (someMore: () => Promise<unknown>) => Promise<void>,
): Promise<{ acknowledged: Set<number> }> {
  const acknowledged = new Set<number>();
  let mark = 0;
  let running = true;
  const next = (odd: number) => {
    const number = (mark += 2) + odd;
    return {
      number,
      text: JSON.stringify({ at: LOAD_START + number, mark: number, wave: (number * 7) % 101 }),
    };
  };
  const http = async () => {
    while (running) {
      const { number, text } = next(0);
      await post(service, token, text).then(
        ({ status }) => (status === 200 ? acknowledged.add(number) : pause(20)),
        () => pause(20),
      );
    }
  };
  const mqtt = async (name: string) => {
    while (running) {
      const board = await mqttAs(service, id, token, { clientId: name }).catch(() => null);
      if (board === null) {
        await pause(20);
        continue;
      }
      board.on('error', () => undefined);
      while (running && board.connected) {
        const { number, text } = next(1);
        const acked = await Promise.race([
          board.publishAsync(`moor/${id}/report`, text, { qos: 1 }).then(
            () => true,
            () => false,
          ),
          pause(5000).then(() => false),
        ]);
        if (acked) acknowledged.add(number);
        else break;
      }
      await board.endAsync(true).catch(() => undefined);
    }
  };
  const free = async ({ token: own, acknowledged: kept }: Clockless) => {
    while (running) {
      const number = (mark += 2);
      await post(service, own, { mark: number }).then(
        ({ status }) => (status === 200 ? kept.add(number) : pause(20)),
        () => pause(20),
      );
    }
  };
  const load = [http(), http(), http(), mqtt('a'), mqtt('b'), mqtt('c'), ...clockless.map(free)];
  const someMore = (): Promise<unknown> => {
    const enough = acknowledged.size + SOME_MORE;
    return until(() => acknowledged.size >= enough, 'that some more are acknowledged', 60_000);
  };
  await disturb(someMore);
  await someMore();
  running = false;
  await Promise.all(load);
  return { acknowledged };
}

/** A board without a clock, and the numbers of its that were acknowledged. */
interface Clockless {
  id: string;
  token: string;
  acknowledged: Set<number>;
}

async function addClockless(client: Client, kindId: number): Promise<Clockless[]> {
  const boards: Clockless[] = [];
  for (let i = 0; i < 4; i++) {
    const { device, token } = await client.call('createDevice', { body: { name: `Clockless ${i}`, kindId } });
    boards.push({ id: device.id, token, acknowledged: new Set() });
  }
  return boards;
}

/** Each acknowledged number is found, and none took the place of another. */
async function expectClocklessStored(client: Client, boards: readonly Clockless[]): Promise<void> {
  for (const { id: device, acknowledged } of boards) {
    expect(acknowledged.size).toBeGreaterThan(20);
    const query = { streams: 'mark', from: LOAD_START, to: Date.now() + 60_000 };
    const { lines } = await client.call('history', { params: { device }, query });
    const stored = new Set(lines[0]!.values);
    expect([...acknowledged].filter((number) => !stored.has(number))).toEqual([]);
    expect(stored.size).toBe(lines[0]!.values.length);
  }
}

const SOME_MORE = 35;
/** The load's readings are made to lie here, one a millisecond. */
const LOAD_START = Date.now() - 1_800_000;

/** All readings of a datastream of the load, asked for in parts that one answer holds. */
async function allReadings(client: Client, stream: string): Promise<[number, number][]> {
  const all: [number, number][] = [];
  for (let from = LOAD_START; from < LOAD_START + 1_200_000; from += 15_000) {
    const query = { streams: stream, from, to: from + 15_000 };
    const { lines } = await client.call('history', { params: { device: id }, query });
    all.push(...lines[0]!.times.map((at, i): [number, number] => [at, lines[0]!.values[i]!]));
    if (lines[0]!.times.length === 0) break;
  }
  return all;
}

async function expectAllStored(client: Client, acknowledged: Set<number>, what: string): Promise<void> {
  expect(acknowledged.size).toBeGreaterThan(100);
  await pause(1500);
  const values = (await allReadings(client, 'mark')).map(([, value]) => value);
  const stored = new Set(values);
  const lost = [...acknowledged].filter((number) => !stored.has(number));
  process.stderr.write(
    `${what}: ${acknowledged.size} readings acknowledged, ${lost.length} lost, ${values.length - stored.size} doubled\n`,
  );
  expect(lost).toEqual([]);
  expect(values.length).toBe(stored.size);
}

async function addLoadStreams(client: Client, kind: number): Promise<void> {
  for (const [key, title] of [
    ['mark', 'Mark'],
    ['wave', 'Wave'],
  ] as const)
    await client.call('createStream', { params: { kind }, body: { key, title, type: 'integer' } });
}

describe('a service killed again and again under load', () => {
  it('keeps every acknowledged reading, once, and its events are those of the pure rule step', async () => {
    const service = await startService();
    try {
      const person = await newPerson(service);
      const client = await lastingClient(service, person.client);
      const { token, device } = await newDevice(client);
      await addLoadStreams(client, device.kindId);
      const condition: Condition = {
        comparison: 'above',
        limit: 80,
        holdMs: 0,
        closeLimit: 20,
        closeHoldMs: 0,
      };
      await client.call('createRule', {
        body: { title: 'Wave', deviceId: id, stream: 'wave', ...condition },
      });

      const boards = await addClockless(client, device.kindId);
      const { acknowledged } = await underLoad(service, token, boards, async (someMore) => {
        for (let round = 0; round < ROUNDS; round++) {
          await someMore();
          await pause(150 + Math.random() * 500);
          await service.restart();
        }
      });
      await expectAllStored(client, acknowledged, `${ROUNDS} kills of the service`);
      await expectClocklessStored(client, boards);

      // The rule took the readings in the order of the journal, in which late ones change nothing: what its
      // events say must be what the step gives over readings in order, wherever those opened and closed it.
      const events = await until(async () => {
        const found = (await client.call('listEvents', { query: { limit: 500 } })).reverse();
        return found.length > 3 && found;
      }, 'the events');
      const at = new Map(await allReadings(client, 'wave'));
      let last = 0;
      for (const event of events) {
        expect(event.openedAt).toBeGreaterThanOrEqual(last);
        expect(at.get(event.openedAt)).toBeGreaterThan(condition.limit);
        if (event.closedAt === null) continue;
        expect(at.get(event.closedAt)).toBeLessThanOrEqual(condition.closeLimit!);
        last = event.closedAt;
      }
      expect(events.filter(({ closedAt }) => closedAt === null).length).toBeLessThanOrEqual(1);
    } finally {
      await service.stop();
    }
  });

  it('with readings in order, gives exactly the events of the step', async () => {
    const service = await startService();
    try {
      const person = await newPerson(service);
      const client = await lastingClient(service, person.client);
      const { token } = await newDevice(client);
      const condition: Condition = {
        comparison: 'above',
        limit: 50,
        holdMs: 30,
        closeLimit: 10,
        closeHoldMs: 10,
      };
      await client.call('createRule', {
        body: { title: 'Wave', deviceId: id, stream: 'temperature', ...condition },
      });
      const start = Date.now() - 100_000;
      const samples = Array.from({ length: 400 }, (_, i) => ({
        at: start + i * 20,
        temperature: (Math.floor(i / 5) * 37) % 83,
      }));
      for (let i = 0; i < samples.length; i++) {
        while ((await post(service, token, samples[i]!).catch(() => null))?.status !== 200) await pause(30);
        if (i % 130 === 90) await service.restart();
      }
      let state: RuleState = QUIET;
      const expected: [string, number][] = [];
      for (const { at, temperature } of samples) {
        const next = step(condition, state, { at, value: temperature });
        state = next.state;
        expected.push(...next.transitions.map((one): [string, number] => [one.kind, one.at]));
      }
      expect(expected.length).toBeGreaterThan(10);
      const seen = await until(async () => {
        const events = (await client.call('listEvents', { query: { limit: 500 } })).reverse();
        const moments = events.flatMap(({ openedAt, closedAt }): [string, number][] => [
          ['opened', openedAt],
          ...(closedAt === null ? [] : [['closed', closedAt] as [string, number]]),
        ]);
        return moments.length >= expected.length && moments;
      }, 'all events');
      expect(seen.slice(0, expected.length)).toEqual(expected);
    } finally {
      await service.stop();
    }
  });
});

describe('a database killed under the service', () => {
  it('again and again under load, loses and doubles nothing that was acknowledged', async () => {
    const service = await startService();
    try {
      const person = await newPerson(service);
      const client = await lastingClient(service, person.client);
      const { token, device } = await newDevice(client);
      await addLoadStreams(client, device.kindId);
      const boards = await addClockless(client, device.kindId);
      const { acknowledged } = await underLoad(service, token, boards, async (someMore) => {
        for (let round = 0; round < DATABASE_ROUNDS; round++) {
          await someMore();
          await pause(400 + Math.random() * 600);
          const file = path.join(service.dataFolder, 'mariadb', 'server.pid');
          process.kill(Number(fs.readFileSync(file, 'utf8')), 'SIGKILL');
          await pause(700);
          await until(
            async () => (await fetch(`${service.url}/health`)).status === 200,
            'the database again',
            30_000,
          );
        }
      });
      await expectAllStored(client, acknowledged, `${DATABASE_ROUNDS} kills of the database`);
      await expectClocklessStored(client, boards);
    } finally {
      await service.stop();
    }
  });

  it('is said, refused with 503, started again, and nothing acknowledged is lost', async () => {
    const service = await startService();
    try {
      const person = await newPerson(service);
      const client = await lastingClient(service, person.client);
      const { token } = await newDevice(client);
      const start = Date.now() - 60_000;
      const acknowledged: number[] = [];
      const seen = new Set<number>();
      const send = async (number: number): Promise<void> => {
        const { status } = await post(service, token, { at: start + number, temperature: number });
        seen.add(status);
        if (status === 200) acknowledged.push(number);
      };
      for (let i = 0; i < 20; i++) await send(i);
      const board = await mqttAs(service, id, token);
      const pid = Number(fs.readFileSync(path.join(service.dataFolder, 'mariadb', 'server.pid'), 'utf8'));
      process.kill(pid, 'SIGKILL');
      // Over MQTT the publish waits; over HTTP it is refused.
      const waiting = board.publishAsync(
        `moor/${id}/report`,
        JSON.stringify({ at: start + 5000, temperature: 5000 }),
        { qos: 1 },
      );
      const sent: Promise<unknown>[] = [];
      for (let i = 20; i < 500 && !(seen.has(503) && seen.has(1503) && acknowledged.at(-1)! > 40); i++) {
        sent.push(
          send(i),
          fetch(`${service.url}/health`).then(({ status }) => seen.add(1000 + status)),
        );
        await pause(20);
      }
      await Promise.all(sent);
      expect(seen).toContain(503);
      expect(seen).toContain(1503);
      await waiting;
      await until(async () => (await fetch(`${service.url}/health`)).status === 200);
      const stored = new Set((await readingsOf(client, id, 'temperature')).map(([, value]) => value));
      expect([...acknowledged, 5000].filter((number) => !stored.has(number))).toEqual([]);
      await board.endAsync(true);
    } finally {
      await service.stop();
    }
  });
});

it.each([
  ['its data folder is deleted under it', 'folder', 'SIGTERM'],
  ['nobody reads what it prints', 'pipe', 'SIGTERM'],
  ['its terminal is closed', 'none', 'SIGHUP'],
  ['a page and a board over WebSocket are open', 'open', 'SIGINT'],
] as const)('ends its database too when %s', async (_what, trouble, signal) => {
  const service = await startService();
  const person = await newPerson(service);
  const { token } = await newDevice(person.client);
  expect((await post(service, token, { temperature: 8 })).status).toBe(200);
  const pid = fs.readFileSync(path.join(service.dataFolder, 'mariadb', 'server.pid'), 'utf8').trim();
  const isAlive = (): boolean =>
    fs.existsSync(`/proc/${pid}/status`) &&
    !/State:\s+Z/.test(fs.readFileSync(`/proc/${pid}/status`, 'utf8'));
  expect(isAlive()).toBe(true);
  if (trouble === 'folder') fs.rmSync(service.dataFolder, { recursive: true });
  if (trouble === 'pipe') service.program.child.stdout!.destroy();
  if (trouble === 'open') {
    const web = service.url.replace('http', 'ws');
    const page = new WebSocket(`${web}/api/live`, { headers: { cookie: person.cookie() } });
    await once(page, 'message');
    const board = await connectAsync(`${web}/mqtt`, { username: id, password: token, reconnectPeriod: 0 });
    board.on('error', () => undefined);
    page.on('error', () => undefined);
  }
  const ended = once(service.program.child, 'exit');
  service.program.child.kill(signal);
  await ended;
  expect(isAlive()).toBe(false);
  await service.stop();
});

describe('a start that cannot be', () => {
  const start = (environment: Record<string, string>) =>
    startProgram(built('server'), {
      PEATMOOR_HOST: '127.0.0.1',
      PEATMOOR_LOG: 'error',
      PEATMOOR_HTTP_PORT: '0',
      PEATMOOR_MQTT_PORT: '0',
      ...environment,
    }).then(
      async (program) => {
        await program.stop();
        return { code: 0, message: 'started' };
      },
      ({ code, message }: { code: number; message: string }) => ({ code, message }),
    );

  it('says which setting is wrong, and what it should be', async () => {
    expect(await start({ PEATMOOR_HTTP_PORT: 'eighty' })).toMatchObject({
      code: 2,
      message: expect.stringContaining('PEATMOOR_HTTP_PORT must be a number; "eighty" is not'),
    });
    expect(await start({ PEATMOOR_PUBLIC_URL: 'moor.example' })).toMatchObject({
      code: 2,
      message: expect.stringContaining('PEATMOOR_PUBLIC_URL must be an address'),
    });
    expect(await start({ PEATMOOR_PORT: '1' })).toMatchObject({
      code: 2,
      message: expect.stringContaining('PEATMOOR_PORT is not a setting'),
    });
  });

  it('says that another service runs on the folder, or that the port is taken', async () => {
    const first = await startService();
    try {
      expect(await start({ PEATMOOR_DATA: first.dataFolder })).toMatchObject({
        code: 1,
        message: expect.stringMatching(/already runs on .*PEATMOOR_DATA/),
      });
      const folder = newFolder();
      expect(
        await start({ PEATMOOR_DATA: folder, PEATMOOR_HTTP_PORT: new URL(first.url).port }),
      ).toMatchObject({ code: 1, message: expect.stringMatching(/Port \d+ is taken.*PEATMOOR_HTTP_PORT/) });
      fs.rmSync(folder, { recursive: true, force: true });
      expect((await fetch(`${first.url}/health`)).status).toBe(200);
    } finally {
      await first.stop();
    }
  });
});
