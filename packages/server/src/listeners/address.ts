import type { IncomingMessage } from 'node:http';
import type { Socket } from 'node:net';
import ipaddr from 'ipaddr.js';
import proxyaddr from 'proxy-addr';
import { SettingError } from '../config';

/** An address as people write it: IPv4 without its IPv6 dress. */
export function plainAddress(address: string | undefined): string {
  return (address ?? '').replace(/^::ffff:/, '');
}

let isTrusted = proxyaddr.compile([]);
/** Says which proxies are believed about who asks: addresses, ranges such as 10.0.0.0/8, or loopback. Throws SettingError. */
export function trustProxies(proxies: readonly string[]): void {
  try {
    isTrusted = proxyaddr.compile([...proxies]);
  } catch (error) {
    throw new SettingError(
      `PEATMOOR_TRUST_PROXY must be addresses or ranges such as 127.0.0.1, 10.0.0.0/8: ${(error as Error).message}.`,
    );
  }
}

/** Who asks. What a request says of itself is believed only where a trusted proxy handed it on. */
export function remoteAddress(request: IncomingMessage): string {
  return plainAddress(proxyaddr(request, isTrusted));
}

/** Who asks, for counting: an IPv6 address by its network, as one household has 2^64 of them (RFC 4291 §2.5.4). */
export function countedAddress(request: IncomingMessage): string {
  const address = remoteAddress(request);
  if (!ipaddr.IPv6.isValid(address)) return address;
  const [a, b, c, d] = ipaddr.IPv6.parse(address).parts;
  return [a, b, c, d].map((part) => part!.toString(16)).join(':');
}

export function socketAddress(socket: Pick<Socket, 'remoteAddress'>): string {
  return plainAddress(socket.remoteAddress);
}

/** True where a request comes from a proxy that is believed. */
export function isFromProxy({ socket }: Pick<IncomingMessage, 'socket'>): boolean {
  return socket.remoteAddress !== undefined && isTrusted(socket.remoteAddress, 0);
}
