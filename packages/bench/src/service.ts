import { spawn } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

export interface Started {
  httpPort: number;
  mqttPort: number;
  /** From the start of the process until it listens. */
  readyMs: number;
  pid: number;
  stop(): Promise<unknown>;
}

/** Our service in a process of its own, on a data folder. `more`: settings beside the usual ones. */
export async function startOurs(folder: string, more: Record<string, string> = {}): Promise<Started> {
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
