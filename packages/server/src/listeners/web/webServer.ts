import http from 'node:http';
import https from 'node:https';
import type { AddressInfo } from 'node:net';
import type { Duplex } from 'node:stream';
import { stripBase } from './basePath';
import { createOnePort } from './onePort';
import { portProblem, redirectPages } from './pages';

/** What answers: requests, and those that go on as a WebSocket. */
export interface Answering {
  serve: http.RequestListener;
  upgrade(request: http.IncomingMessage, socket: Duplex, head: Buffer): void;
  /** Connections that the server no longer knows once they were taken over. */
  upgraded: ReadonlySet<Duplex>;
}

/** The one port of pages, API and boards over HTTP: plain, and over TLS where there is a certificate. */
export interface WebServer {
  /** The port it listens on. */
  port(): number;
  listen(answering: Answering): Promise<void>;
  /** Goes on with another certificate. */
  renew(pair: { cert: Buffer; key: Buffer }): void;
  stop(): Promise<void>;
}

interface Options {
  tls: { cert: Buffer; key: Buffer } | null;
  /** The path under which a proxy shows the service. */
  basePath: string;
  httpPort: number;
  host: string;
}

export function createWebServer({ tls, basePath, httpPort, host }: Options): WebServer {
  const plain = http.createServer();
  const secure = tls === null ? null : https.createServer(tls);
  const server = secure === null ? plain : createOnePort(plain, secure);
  let upgraded: ReadonlySet<Duplex> = new Set();
  const enter =
    (next: http.RequestListener): http.RequestListener =>
    (request, response) => {
      stripBase(basePath, request);
      next(request, response);
    };
  return {
    port: () => (server.address() as AddressInfo).port,
    renew: (pair) => secure?.setSecureContext(pair),
    async listen(answering) {
      upgraded = answering.upgraded;
      const { serve, upgrade } = answering;
      secure?.on('request', enter(serve));
      plain.on('request', enter(secure === null ? serve : redirectPages(serve, basePath)));
      for (const one of [plain, ...(secure === null ? [] : [secure])]) {
        one.on('upgrade', (request, socket, head) => {
          stripBase(basePath, request);
          upgrade(request, socket, head);
        });
        one.headersTimeout = 15_000;
        one.requestTimeout = 120_000;
      }
      await new Promise<void>((resolve, reject) => {
        server.once('error', reject);
        server.listen(httpPort, host, resolve);
      }).catch(portProblem('PEATMOOR_HTTP_PORT', httpPort));
    },
    async stop() {
      const closed = new Promise<void>((resolve) => server.close(() => resolve()));
      plain.closeAllConnections();
      secure?.closeAllConnections();
      for (const socket of upgraded) socket.destroy();
      await closed;
    },
  };
}
