import http from 'node:http';
import https from 'node:https';
import type { AddressInfo } from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Duplex } from 'node:stream';
import { markAfterGap, noteConnection } from '../../loopGap';
import { stripBase } from './basePath';
import { createOnePort } from './onePort';
import { portProblem, redirectPages } from './pages';

/** What answers: requests, and those that go on as a WebSocket. */
export interface Answering {
  serve: http.RequestListener;
  upgrade(request: http.IncomingMessage, socket: Duplex, head: Buffer): void;
  /** Connections that the server no longer knows once they were taken over. */
  upgraded: ReadonlySet<Duplex>;
  /** The service stops: calls that wait for something are answered now. */
  leave(): void;
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

/** How long answers that are owed may take when the service stops, in ms. */
const GRACE_MS = 3000;
/** How long reports may take, in ms: they wait for a commit. */
const COMMIT_MS = 100;

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
  let answering: Answering | null = null;
  let stopping = false;
  /** Connections as they came, which a server for TLS does not know before their handshake is done. */
  const sockets = new Set<Duplex>();
  server.on('connection', (socket: Duplex) => {
    sockets.add(socket);
    noteConnection(socket);
    socket.once('close', () => sockets.delete(socket));
  });
  secure?.on('secureConnection', noteConnection);
  /** Answers that are owed. */
  const owed = new Set<http.ServerResponse>();
  let onAllAnswered = (): void => undefined;
  const enter =
    (next: http.RequestListener): http.RequestListener =>
    (request, response) => {
      // Reports are many, and answered with their commit.
      if (request.url?.startsWith('/device/report') !== true) {
        markAfterGap(request);
        owed.add(response);
        response.once('close', () => {
          owed.delete(response);
          if (owed.size === 0) onAllAnswered();
        });
      }
      if (stopping) response.setHeader('connection', 'close');
      stripBase(basePath, request);
      next(request, response);
    };
  return {
    port: () => (server.address() as AddressInfo).port,
    renew: (pair) => secure?.setSecureContext(pair),
    async listen(given) {
      answering = given;
      const { serve, upgrade } = given;
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
      stopping = true;
      const closed = new Promise<void>((resolve) => server.close(() => resolve()));
      for (const socket of answering?.upgraded ?? []) socket.destroy();
      for (const response of owed) if (!response.headersSent) response.setHeader('connection', 'close');
      answering?.leave();
      plain.closeIdleConnections();
      secure?.closeIdleConnections();
      if (owed.size > 0)
        await new Promise<void>((resolve) => {
          const late = setTimeout(resolve, GRACE_MS);
          onAllAnswered = () => (clearTimeout(late), resolve());
        });
      await sleep(COMMIT_MS);
      for (const socket of sockets) socket.destroy();
      await closed;
    },
  };
}
