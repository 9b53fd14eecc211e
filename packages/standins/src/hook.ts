import http from 'node:http';
import type { AddressInfo } from 'node:net';

const MOST_KEPT = 500;

/** A request as it was caught. */
export interface CaughtHook {
  at: number;
  path: string;
  headers: http.IncomingHttpHeaders;
  body: string;
}

export interface HookCatcher {
  url: string;
  hooks(): readonly CaughtHook[];
  /** What is answered from now on, such as 503 for a while. */
  answer(status: number): void;
  stop(): Promise<void>;
}

/** Somebody's gateway: it keeps what it is sent, and answers as it is told. */
export async function startHookCatcher(): Promise<HookCatcher> {
  const hooks: CaughtHook[] = [];
  let status = 204;
  const server = http.createServer((request, response) => {
    const parts: Buffer[] = [];
    request.on('data', (part: Buffer) => parts.push(part));
    request.on('end', () => {
      hooks.push({
        at: Date.now(),
        path: request.url ?? '',
        headers: request.headers,
        body: Buffer.concat(parts).toString(),
      });
      if (hooks.length > MOST_KEPT) hooks.shift();
      response.statusCode = status;
      if (status >= 300 && status < 400) response.setHeader('location', 'http://127.0.0.1:1/');
      response.end(status >= 400 ? 'not now' : '');
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    hooks: () => hooks,
    answer: (next) => void (status = next),
    stop() {
      server.closeAllConnections();
      return new Promise((resolve) => server.close(() => resolve()));
    },
  };
}
