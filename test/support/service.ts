import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { createClient, type Client, type DeviceIn, type MadeDevice } from '@peatmoor/contract';
import { connectAsync, type IClientOptions, type MqttClient } from 'mqtt';
import { built, startProgram, type Program } from './program';

export interface TestService {
  url: string;
  mqttUrl: string;
  dataFolder: string;
  program: Program<{ httpPort: number; mqttPort: number }>;
  /** A client without an account. */
  open: Client;
  stop(): Promise<void>;
  /** SIGKILL, then a start on the same data and ports. */
  restart(afterKill?: boolean): Promise<void>;
}

export function newFolder(): string {
  return fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-test-'));
}

/**
 * A folder in which a service was started and stopped once, to be copied: making a database takes longer than most tests. The whole
 * run shares it; where it is not there yet, or another is just making it, a test begins from nothing.
 */
const BEGUN = process.env.TESTS_BEGUN_FOLDER;

function begunFolder(): string {
  const folder = newFolder();
  if (BEGUN !== undefined && fs.existsSync(BEGUN)) fs.cpSync(BEGUN, folder, { recursive: true });
  return folder;
}

/** Makes the folder that others begin from; once, by whoever comes first. */
async function makeBegun(settings: Record<string, string>): Promise<void> {
  if (BEGUN === undefined) return;
  try {
    fs.mkdirSync(`${BEGUN}.making`);
  } catch {
    return;
  }
  const folder = newFolder();
  const program = await startProgram(built('server'), { ...settings, PEATMOOR_DATA: folder });
  await program.stop();
  fs.renameSync(folder, BEGUN);
}

/** A real service with its own database, on free ports and its own folder. */
export async function startService(environment: Record<string, string> = {}): Promise<TestService> {
  await makeBegun({
    PEATMOOR_HOST: '127.0.0.1',
    PEATMOOR_HTTP_PORT: '0',
    PEATMOOR_MQTT_PORT: '0',
    PEATMOOR_MQTTS_PORT: '0',
  });
  const dataFolder = begunFolder();
  const settings = {
    PEATMOOR_DATA: dataFolder,
    PEATMOOR_HOST: '127.0.0.1',
    PEATMOOR_LOG: 'error',
    PEATMOOR_SIGN_UP: 'open',
    PEATMOOR_DEVICE_RATE: '0',
    PEATMOOR_MQTTS_PORT: '0',
    ...environment,
  };
  const launch = (ports: { httpPort: number; mqttPort: number }) =>
    startProgram<{ httpPort: number; mqttPort: number }>(built('server'), {
      ...settings,
      PEATMOOR_HTTP_PORT: String(ports.httpPort),
      PEATMOOR_MQTT_PORT: String(ports.mqttPort),
    });
  const program = await launch({ httpPort: 0, mqttPort: 0 });
  const url = `http://127.0.0.1:${program.ready.httpPort}`;
  const service: TestService = {
    url,
    mqttUrl: `mqtt://127.0.0.1:${program.ready.mqttPort}`,
    dataFolder,
    program,
    open: createClient({ baseUrl: url }),
    async stop() {
      await service.program.stop();
      fs.rmSync(dataFolder, { recursive: true, force: true });
    },
    async restart(afterKill = true) {
      if (afterKill) await service.program.kill();
      else await service.program.stop();
      service.program = await launch(program.ready);
    },
  };
  return service;
}

/** A fetch that keeps the session cookie, as a browser does. */
export function sessionFetch(): typeof fetch & { cookie(): string } {
  const jar = new Map<string, string>();
  const cookie = (): string => [...jar].map(([name, value]) => `${name}=${value}`).join('; ');
  const keeping = async (input: string | URL | Request, init?: RequestInit): Promise<Response> => {
    const response = await fetch(input, {
      ...init,
      headers: {
        'sec-fetch-site': 'same-origin',
        ...(init?.headers as Record<string, string>),
        ...(jar.size > 0 && { cookie: cookie() }),
      },
    });
    for (const set of response.headers.getSetCookie()) {
      const [, name, value] = /^([^=]+)=([^;]*)/.exec(set)!;
      if (value === '') jar.delete(name!);
      else jar.set(name!, value!);
    }
    return response;
  };
  return Object.assign(keeping as typeof fetch, { cookie });
}

let accounts = 0;

export interface Person {
  client: Client;
  email: string;
  password: string;
  cookie(): string;
}

/** A new account with its own workspace, signed in. */
export async function newPerson(service: TestService, name = 'Warden'): Promise<Person> {
  const keeping = sessionFetch();
  const client = createClient({ baseUrl: service.url, fetch: keeping });
  const email = `${name.toLowerCase()}${++accounts}@quillmere.example`;
  const password = 'sphagnum and heather';
  await client.call('createAccount', { body: { email, password, name, workspace: `${name}'s moss` } });
  return { client, email, password, cookie: keeping.cookie };
}

/** The dipwell most tests use. */
export const DIPWELL: NonNullable<DeviceIn['newKind']> = {
  title: 'Dipwell',
  intervalS: 10,
  streams: [
    {
      key: 'level',
      title: 'Water level',
      type: 'number',
      unit: 'mm',
      min: -800,
      max: 200,
      decimals: 0,
      pin: 1,
    },
    { key: 'temperature', title: 'Peat temperature', type: 'number', unit: 'Cel', decimals: 1, pin: 2 },
    { key: 'pump', title: 'Pump', type: 'boolean', direction: 'control', pin: 3 },
    { key: 'mode', title: 'Automatic', type: 'boolean', direction: 'both' },
  ],
};

export function newDevice(client: Client, name = 'Dipwell North'): Promise<MadeDevice> {
  return client.call('createDevice', { body: { name, newKind: { ...DIPWELL, title: `${name} kind` } } });
}

/** Posts a report as a device would; gives status and answer. */
export async function post(
  service: TestService,
  token: string,
  body: string | object,
  headers: Record<string, string> = {},
): Promise<{
  status: number;
  answer: { accepted: number; refused: { name: string; reason: string; hint: string }[] };
}> {
  const response = await fetch(`${service.url}/device/report`, {
    method: 'POST',
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json', ...headers },
    body: typeof body === 'string' ? body : JSON.stringify(body),
  });
  return { status: response.status, answer: (await response.json()) as never };
}

/** Connects over MQTT as a device. */
export function mqttAs(
  service: TestService,
  deviceId: string,
  token: string,
  options: IClientOptions = {},
): Promise<MqttClient> {
  return connectAsync(
    service.mqttUrl,
    { username: deviceId, password: token, reconnectPeriod: 0, connectTimeout: 5000, ...options },
    false,
  );
}

/** Waits until something is so; fails with the last value seen. */
export async function until<T>(
  look: () => Promise<T | undefined | false> | T | undefined | false,
  what = 'what was waited for',
  ms = 30_000,
): Promise<T> {
  const end = Date.now() + ms;
  for (;;) {
    const value = await look();
    if (value !== undefined && value !== false) return value;
    if (Date.now() > end) throw new Error(`${what} did not come within ${ms} ms`);
    await new Promise((resolve) => setTimeout(resolve, 25));
  }
}

/** All readings of one datastream of the last hour, as [time, value]. */
export async function readingsOf(
  client: Client,
  device: string,
  stream: string,
): Promise<[number, number][]> {
  const now = Date.now();
  const { lines } = await client.call('history', {
    params: { device },
    query: { streams: stream, from: now - 3_600_000, to: now + 600_000 },
  });
  return lines[0]!.times.map((at, i) => [at, lines[0]!.values[i]!]);
}

/** How to reach the database of a service that keeps its own, to look at what is true in it. */
export function databaseOf({ dataFolder }: TestService): {
  socketPath: string;
  user: string;
  password: string;
  database: string;
} {
  return {
    socketPath: path.join(dataFolder, 'mariadb.sock'),
    user: 'peatmoor',
    password: fs.readFileSync(path.join(dataFolder, 'database-password'), 'utf8').trim(),
    database: 'peatmoor',
  };
}
