import { spawn } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { createInterface } from 'node:readline';
import { fileURLToPath } from 'node:url';
import { createClient, type Client } from '@peatmoor/contract';

export interface Started {
  httpPort: number;
  mqttPort: number;
  /** From the start of the process until it listens. */
  readyMs: number;
  pid: number;
  stop(): Promise<unknown>;
}

// An interruption is an end like any other: what was started hears of it.
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.once(signal, () => process.exit(130));

/** Our service in a process of its own, on a data folder. `more`: settings beside the usual ones; `begun` is told its process, `heard` each line that it writes. */
export async function startOurs(
  folder: string,
  more: Record<string, string> = {},
  begun?: (pid: number) => void,
  heard?: (line: string) => void,
): Promise<Started> {
  const program = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '../../server/dist/main.js');
  const start = performance.now();
  const child = spawn(process.execPath, [program], {
    env: {
      ...process.env,
      PEATMOOR_DATA: folder,
      PEATMOOR_HOST: '127.0.0.1',
      PEATMOOR_HTTP_PORT: '0',
      PEATMOOR_MQTT_PORT: '0',
      PEATMOOR_DEVICE_RATE: '0',
      PEATMOOR_LOG: 'warn',
      ...more,
    },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  // Whatever goes wrong here, it does not stay behind.
  process.once('exit', () => child.kill('SIGTERM'));
  begun?.(child.pid!);
  if (heard !== undefined) createInterface({ input: child.stdout }).on('line', heard);
  const ended = new Promise((resolve) => child.once('close', resolve));
  const ports = await new Promise<{ httpPort: number; mqttPort: number }>((resolve) => {
    let text = '';
    child.stdout.on('data', (part: Buffer) => {
      text += part.toString();
      const line = text.split('\n').find((one) => one.startsWith('{"ready"') && one.endsWith('}'));
      if (line !== undefined) resolve(JSON.parse(line) as never);
    });
  });
  return {
    ...ports,
    readyMs: performance.now() - start,
    pid: child.pid!,
    stop: () => (child.kill('SIGTERM'), ended),
  };
}

/** Memory of a process that is in use, in MB. */
export function residentMb(pid: number): number {
  return Number(/VmRSS:\s+(\d+)/.exec(fs.readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;
}

/** How the service's own database is reached, for a look from beside it. */
export function databaseOf(dataFolder: string): {
  socketPath: string;
  user: string;
  password: string;
  database: string;
} {
  const password = fs.readFileSync(path.join(dataFolder, 'database-password'), 'utf8').trim();
  return {
    socketPath: path.join(dataFolder, 'mariadb.sock'),
    user: 'peatmoor',
    password,
    database: 'peatmoor',
  };
}

/** Who measures. */
export const ACCOUNT = {
  email: 'warden@quillmere.example',
  password: 'only for measuring',
  name: 'Warden',
  workspace: 'Measured',
};

/** Makes the first account, and gives a client with an access key of it. */
export async function signUp(url: string): Promise<{ client: Client; key: string }> {
  const open = createClient({ baseUrl: url });
  await open.call('createAccount', { body: ACCOUNT });
  const response = await fetch(`${url}/api/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ email: ACCOUNT.email, password: ACCOUNT.password }),
  });
  const cookie = response.headers.getSetCookie()[0]!.split(';')[0]!;
  const session = createClient({ baseUrl: url, headers: { cookie, 'sec-fetch-site': 'same-origin' } });
  const { secret } = await session.call('createKey', { body: { title: 'measuring' } });
  return {
    key: secret,
    client: createClient({ baseUrl: url, headers: { authorization: `Bearer ${secret}` } }),
  };
}

/** One report of a board over HTTP. Rejects where it is not taken. */
export async function report(url: string, token: string, body: object): Promise<void> {
  const response = await fetch(`${url}/device/report`, {
    method: 'POST',
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });
  await response.arrayBuffer();
  if (!response.ok) throw new Error(`a report was answered ${response.status}`);
}
