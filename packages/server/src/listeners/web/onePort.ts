import net from 'node:net';
import type { Server as HttpServer } from 'node:http';
import type { Server as HttpsServer } from 'node:https';

/** The first byte of a TLS handshake record (RFC 8446 §5.1); no HTTP request begins with it. */
const HANDSHAKE = 0x16;
/** How long a connection may say nothing, in ms. */
const SILENT_MS = 15_000;

/**
 * One port for TLS and plain HTTP, told apart by the first byte: a certificate cuts off no board that was flashed before.
 */
export function createOnePort(plain: HttpServer, secure: HttpsServer): net.Server {
  return net.createServer({ noDelay: true }, (socket) => {
    const silent = setTimeout(() => socket.destroy(), SILENT_MS);
    const end = (): void => {
      clearTimeout(silent);
      socket.destroy();
    };
    socket.once('error', end);
    socket.once('close', end);
    socket.once('data', (first: Buffer) => {
      clearTimeout(silent);
      socket.removeListener('error', end);
      socket.removeListener('close', end);
      socket.pause();
      socket.unshift(first);
      (first[0] === HANDSHAKE ? secure : plain).emit('connection', socket);
      process.nextTick(() => socket.resume());
    });
  });
}
