import { spawn } from 'node:child_process';
import fs from 'node:fs';
import http from 'node:http';
import net from 'node:net';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

export interface Baseline {
  port: number;
  stop(): void;
}

/** A free port on loopback. */
async function freePort(): Promise<number> {
  const server = net.createServer();
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as net.AddressInfo;
  await new Promise((resolve) => server.close(resolve));
  return port;
}

/** The C broker from Debian, in memory, open to anybody on loopback. */
export async function startMosquitto(folder: string): Promise<Baseline> {
  const port = await freePort();
  const file = path.join(folder, 'mosquitto.conf');
  fs.writeFileSync(
    file,
    `listener ${port} 127.0.0.1\nallow_anonymous true\npersistence false\nlog_type none\nmax_inflight_messages 0\nmax_queued_messages 0\n`,
  );
  const child = spawn('/usr/sbin/mosquitto', ['-c', file], { stdio: 'ignore' });
  // Also where this program is interrupted.
  process.once('exit', () => child.kill('SIGTERM'));
  await new Promise((resolve) => setTimeout(resolve, 500));
  return { port, stop: () => void child.kill('SIGTERM') };
}

/** This very program again, as a bare node:http server in a process of its own. */
export async function startBareHttp(): Promise<Baseline> {
  const port = await freePort();
  const child = spawn(process.execPath, [fileURLToPath(import.meta.url), '--bare-http', String(port)], {
    stdio: 'ignore',
  });
  // Also where this program is interrupted.
  process.once('exit', () => child.kill('SIGTERM'));
  await new Promise((resolve) => setTimeout(resolve, 500));
  return { port, stop: () => void child.kill('SIGTERM') };
}

/** Reads a JSON body and answers as little as our service does, keeping nothing. */
export function serveBareHttp(port: number): void {
  http
    .createServer((request, response) => {
      const parts: Buffer[] = [];
      request.on('data', (part: Buffer) => parts.push(part));
      request.on('end', () => {
        const values = JSON.parse(Buffer.concat(parts).toString()) as object;
        const text = `{"accepted":${Object.keys(values).length},"refused":[]}`;
        response.writeHead(200, { 'content-type': 'application/json', 'content-length': text.length });
        response.end(text);
      });
    })
    .listen(port, '127.0.0.1');
}
