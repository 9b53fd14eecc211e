import type { IncomingMessage } from 'node:http';
import type { Socket } from 'node:net';

/** An address as people write it: IPv4 without its IPv6 dress. */
export function plainAddress(address: string | undefined): string {
  return (address ?? '').replace(/^::ffff:/, '');
}

export function remoteAddress(request: IncomingMessage): string {
  return plainAddress(request.socket.remoteAddress);
}

export function socketAddress(socket: Pick<Socket, 'remoteAddress'>): string {
  return plainAddress(socket.remoteAddress);
}
