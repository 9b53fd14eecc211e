import net from 'node:net';
import { generate } from 'mqtt-packet';

/**
 * A saturating MQTT generator: ready-made QoS 1 publishes, each connection keeping `window` of them unacknowledged,
 * PUBACKs counted in the stream. Gives acknowledgements a second over `ms`.
 */
export async function mqttLoad(options: {
  port: number;
  connections: number;
  window: number;
  ms: number;
  user: string;
  password: string;
  topic: string;
  payload: string;
  /** Who each connection is, where they are not all one device. */
  devices?: { user: string; password: string; topic: string }[];
  /** Called with the number of each lot of acknowledgements. */
  onAcknowledged?: (count: number) => void;
}): Promise<number> {
  const { port, connections, window, ms, payload, onAcknowledged } = options;
  const who = (i: number) => options.devices?.[i] ?? options;
  const publishesTo = (topic: string): Buffer[] =>
    Array.from({ length: window }, (_, i) =>
      generate({ cmd: 'publish', topic, payload, qos: 1, messageId: i + 1, dup: false, retain: false }),
    );
  const shared = options.devices === undefined ? publishesTo(options.topic) : null;
  let acknowledged = 0;
  const sockets = await Promise.all(
    Array.from({ length: connections }, async (_, i) => {
      const socket = net.connect(port, '127.0.0.1').setNoDelay(true);
      socket.write(
        generate({
          cmd: 'connect',
          protocolId: 'MQTT',
          protocolVersion: 4,
          clientId: `bench-${i}`,
          clean: true,
          keepalive: 0,
          username: who(i).user,
          password: Buffer.from(who(i).password),
        }),
      );
      await new Promise((resolve, reject) => socket.once('data', resolve).once('error', reject));
      return socket;
    }),
  );
  for (const [n, socket] of sockets.entries()) {
    const publishes = shared ?? publishesTo(who(n).topic);
    // A PUBACK is four bytes: 0x40 0x02 and the message identifier; it may be cut anywhere.
    let rest: Buffer = Buffer.alloc(0);
    socket.on('data', (part: Buffer) => {
      const bytes = rest.length === 0 ? part : Buffer.concat([rest, part]);
      const whole = bytes.length - (bytes.length % 4);
      const next: Buffer[] = [];
      for (let at = 0; at < whole; at += 4) next.push(publishes[bytes.readUInt16BE(at + 2) - 1]!);
      acknowledged += next.length;
      onAcknowledged?.(next.length);
      rest = bytes.subarray(whole);
      if (next.length > 0) socket.write(Buffer.concat(next));
    });
    socket.write(Buffer.concat(publishes));
  }
  const rate = await counted(() => acknowledged, ms);
  for (const socket of sockets) socket.destroy();
  return rate;
}

/** A saturating HTTP generator: one ready-made POST at a time on each connection. Gives answers a second over `ms`. */
export async function httpLoad(options: {
  port: number;
  connections: number;
  ms: number;
  path: string;
  headers: string;
  body: string;
}): Promise<number> {
  const { port, connections, ms, path, headers, body } = options;
  const request = Buffer.from(
    `POST ${path} HTTP/1.1\r\nHost: bench\r\n${headers}Content-Type: application/json\r\nContent-Length: ${Buffer.byteLength(body)}\r\n\r\n${body}`,
  );
  let answered = 0;
  let wrong = 0;
  const sockets = Array.from({ length: connections }, () => {
    const socket = net.connect(port, '127.0.0.1').setNoDelay(true);
    let text = '';
    socket.on('data', (part: Buffer) => {
      text += part.toString('latin1');
      const end = text.indexOf('\r\n\r\n');
      if (end < 0) return;
      const length = Number(/content-length: (\d+)/i.exec(text)?.[1] ?? 0);
      if (text.length < end + 4 + length) return;
      if (text.startsWith('HTTP/1.1 200')) answered++;
      else wrong++;
      text = text.slice(end + 4 + length);
      socket.write(request);
    });
    socket.on('connect', () => socket.write(request));
    return socket;
  });
  const rate = await counted(() => answered, ms);
  for (const socket of sockets) socket.destroy();
  if (wrong > 0) throw new Error(`${wrong} answers were not 200`);
  return rate;
}

/** Counts over `ms` after half a second of warming up; gives the rate a second. */
async function counted(count: () => number, ms: number): Promise<number> {
  await new Promise((resolve) => setTimeout(resolve, 500));
  const before = count();
  const start = performance.now();
  await new Promise((resolve) => setTimeout(resolve, ms));
  return ((count() - before) * 1000) / (performance.now() - start);
}
