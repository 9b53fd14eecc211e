import type { Socket } from 'node:net';
import { isFromProxy } from '../address';

/** How long a balancer may take to say for whom it connects, in ms, and how much it may say. */
const HEADER_MS = 10_000;
const LONGEST_HEADER = 600;
const SIGNATURE = Buffer.from([0x0d, 0x0a, 0x0d, 0x0a, 0x00, 0x0d, 0x0a, 0x51, 0x55, 0x49, 0x54, 0x0a]);

/** What the beginning of a connection says: whose it is and where the rest begins; null where more has to come, false where it is no header. */
export function readProxyHeader(bytes: Buffer): { from: string | null; end: number } | null | false {
  const isSecond = bytes.subarray(0, SIGNATURE.length).equals(SIGNATURE.subarray(0, bytes.length));
  if (isSecond && bytes.length < 16) return null;
  if (isSecond) {
    const end = 16 + bytes.readUInt16BE(14);
    if (bytes.length < end) return null;
    // 0x21: version 2, on behalf of somebody; 0x11 IPv4, 0x21 IPv6.
    const isFor = bytes[12] === 0x21;
    if (isFor && bytes[13] === 0x11 && end >= 28) return { from: [...bytes.subarray(16, 20)].join('.'), end };
    if (isFor && bytes[13] === 0x21 && end >= 52) {
      const parts = Array.from({ length: 8 }, (_, i) => bytes.readUInt16BE(16 + 2 * i).toString(16));
      return { from: parts.join(':'), end };
    }
    return { from: null, end };
  }
  const begin = bytes.toString('latin1', 0, 6);
  if (!'PROXY '.startsWith(begin)) return false;
  const end = bytes.indexOf('\r\n');
  if (end < 0) return bytes.length < 108 ? null : false;
  const [, family, from] = bytes.toString('latin1', 0, end).split(' ');
  return { from: family === 'UNKNOWN' || from === undefined ? null : from, end: end + 2 };
}

/**
 * Takes a connection that may come through a balancer: one that is believed says first for whom it is (PROXY protocol, versions
 * 1 and 2, as HAProxy describes it). From anybody else such words are no beginning of a session.
 */
export function takeProxied(socket: Socket, accept: (socket: Socket) => void): void {
  if (!isFromProxy({ socket })) return accept(socket);
  let bytes = Buffer.alloc(0);
  const timer = setTimeout(() => socket.destroy(), HEADER_MS);
  const end = (): void => clearTimeout(timer);
  const take = (part: Buffer): void => {
    bytes = Buffer.concat([bytes, part]);
    const read = readProxyHeader(bytes);
    if (read === null && bytes.length < LONGEST_HEADER) return;
    end();
    socket.removeListener('data', take);
    socket.removeListener('close', end);
    socket.removeListener('error', end);
    if (read === null) return void socket.destroy();
    const from = read === false ? null : read.from;
    if (from !== null) Object.defineProperty(socket, 'remoteAddress', { value: from });
    const rest = read === false ? bytes : bytes.subarray(read.end);
    socket.pause();
    if (rest.length > 0) socket.unshift(rest);
    accept(socket);
    socket.resume();
  };
  socket.on('data', take);
  socket.on('close', end);
  socket.on('error', end);
}
