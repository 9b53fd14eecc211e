import net from 'node:net';

/** A stand-in for the bus between nodes: what is published reaches whoever has subscribed, and nothing is kept. */
export interface BusStandIn {
  url: string;
  /** Cuts all connections; `port` gives the same place again. */
  stop(): Promise<void>;
  port: number;
  /** Says nothing any more, and keeps connections, until it is called with false. */
  silence(silent: boolean): void;
}

/** Speaks as much of the protocol (RESP 2) as publishing and subscribing need. */
export async function startBusStandIn(port = 0): Promise<BusStandIn> {
  const hearing = new Map<string, Set<net.Socket>>();
  const sockets = new Set<net.Socket>();
  const bulk = (text: string): string => `$${Buffer.byteLength(text)}\r\n${text}\r\n`;
  const answer = (socket: net.Socket, [command = '', channel = '', text = '']: readonly string[]): void => {
    switch (command.toUpperCase()) {
      case 'SUBSCRIBE': {
        const known = hearing.get(channel) ?? new Set();
        hearing.set(channel, known.add(socket));
        socket.write(`*3\r\n${bulk('subscribe')}${bulk(channel)}:1\r\n`);
        return;
      }
      case 'PUBLISH': {
        const all = hearing.get(channel) ?? new Set();
        for (const one of all) one.write(`*3\r\n${bulk('message')}${bulk(channel)}${bulk(text)}`);
        socket.write(`:${all.size}\r\n`);
        return;
      }
      case 'PING':
        socket.write('+PONG\r\n');
        return;
      default:
        socket.write('+OK\r\n');
    }
  };
  let silent = false;
  const server = net.createServer((socket) => {
    sockets.add(socket);
    if (silent) socket.pause();
    let rest = Buffer.alloc(0);
    socket.on('data', (part) => {
      rest = Buffer.concat([rest, part]);
      for (;;) {
        const read = readCommand(rest);
        if (read === null) break;
        rest = rest.subarray(read.end);
        answer(socket, read.words);
      }
    });
    socket.on('error', () => undefined);
    socket.on('close', () => {
      sockets.delete(socket);
      for (const all of hearing.values()) all.delete(socket);
    });
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', resolve);
  });
  const at = (server.address() as net.AddressInfo).port;
  return {
    url: `redis://127.0.0.1:${at}`,
    port: at,
    silence(now) {
      silent = now;
      for (const socket of sockets) socket[now ? 'pause' : 'resume']();
    },
    stop() {
      const closed = new Promise<void>((resolve) => server.close(() => resolve()));
      for (const socket of sockets) socket.destroy();
      return closed;
    },
  };
}

/** The first whole command in some bytes: an array of strings, each with its length before it. */
function readCommand(bytes: Buffer): { words: string[]; end: number } | null {
  let at = 0;
  const line = (): string | null => {
    const end = bytes.indexOf('\r\n', at);
    if (end < 0) return null;
    const text = bytes.toString('latin1', at, end);
    at = end + 2;
    return text;
  };
  const head = line();
  if (head === null) return null;
  const words: string[] = [];
  for (let i = 0; i < Number(head.slice(1)); i++) {
    const size = line();
    if (size === null) return null;
    const length = Number(size.slice(1));
    if (bytes.length < at + length + 2) return null;
    words.push(bytes.toString('utf8', at, at + length));
    at += length + 2;
  }
  return { words, end: at };
}
