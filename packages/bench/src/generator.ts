import net from 'node:net';
import { generate } from 'mqtt-packet';
import { payloadOf, type Payload } from './payloads';

/** Who sends on one connection, and from which number on: each message carries a number of its own. */
export interface Sender {
  user: string;
  password: string;
  topic: string;
  /** The next number; what was acknowledged in this run is all below it and from where it was before. */
  next: number;
  /** Numbers that were sent and not acknowledged: they may be there or not. */
  open: Set<number>;
}

export interface Loaded {
  /** Acknowledgements a second. */
  rate: number;
}

/**
 * A saturating MQTT generator: ready-made QoS 1 publishes of one length, each connection keeping `window` of them
 * unacknowledged, PUBACKs counted in the stream.
 */
export async function mqttLoad(options: {
  port: number;
  window: number;
  ms: number;
  senders: Sender[];
  /** True where each message names a time of its own. */
  timed: boolean;
  /** Called with the number of each lot of acknowledgements. */
  onAcknowledged?: (count: number) => void;
}): Promise<Loaded> {
  const { port, window, ms, senders, timed, onAcknowledged } = options;
  const payload = payloadOf(timed);
  let acknowledged = 0;
  const sockets = await Promise.all(senders.map((sender, i) => connect(port, sender, i)));
  for (const [n, socket] of sockets.entries()) {
    const sender = senders[n]!;
    const slots = slotsOf(sender.topic, payload, window);
    const send = (slot: Slot): Buffer => {
      slot.number = sender.next++;
      sender.open.add(slot.number);
      payload.write(slot.bytes, slot.payloadAt, slot.number);
      return slot.bytes;
    };
    // A PUBACK is four bytes: 0x40 0x02 and the message identifier; it may be cut anywhere.
    let rest: Buffer = Buffer.alloc(0);
    socket.on('data', (part: Buffer) => {
      const bytes = rest.length === 0 ? part : Buffer.concat([rest, part]);
      const whole = bytes.length - (bytes.length % 4);
      const next: Buffer[] = [];
      for (let at = 0; at < whole; at += 4) {
        const slot = slots[bytes.readUInt16BE(at + 2) - 1]!;
        sender.open.delete(slot.number);
        next.push(send(slot));
      }
      acknowledged += next.length;
      onAcknowledged?.(next.length);
      rest = bytes.subarray(whole);
      if (next.length > 0) socket.write(Buffer.concat(next));
    });
    socket.write(Buffer.concat(slots.map(send)));
  }
  const rate = await counted(() => acknowledged, ms);
  for (const socket of sockets) socket.destroy();
  return { rate };
}

interface Slot {
  bytes: Buffer;
  payloadAt: number;
  number: number;
}

function slotsOf(topic: string, payload: Payload, window: number): Slot[] {
  return Array.from({ length: window }, (_, i) => {
    const bytes = generate({
      cmd: 'publish',
      topic,
      payload: payload.text,
      qos: 1,
      messageId: i + 1,
      dup: false,
      retain: false,
    });
    return { bytes, payloadAt: bytes.length - payload.text.length, number: -1 };
  });
}

async function connect(port: number, sender: Sender, i: number): Promise<net.Socket> {
  const socket = net.connect(port, '127.0.0.1').setNoDelay(true);
  socket.write(
    generate({
      cmd: 'connect',
      protocolId: 'MQTT',
      protocolVersion: 4,
      clientId: `bench-${i}`,
      clean: true,
      keepalive: 0,
      username: sender.user,
      password: Buffer.from(sender.password),
    }),
  );
  await new Promise((resolve, reject) => socket.once('data', resolve).once('error', reject));
  return socket;
}

/** A saturating HTTP generator: one ready-made POST at a time on each connection, all of one device. */
export async function httpLoad(options: {
  port: number;
  connections: number;
  ms: number;
  path: string;
  headers: string;
  timed: boolean;
  sender: Sender;
}): Promise<Loaded> {
  const { port, connections, ms, path, headers, timed, sender } = options;
  const payload = payloadOf(timed);
  const request = `POST ${path} HTTP/1.1\r\nHost: bench\r\n${headers}Content-Type: application/json\r\nContent-Length: ${payload.text.length}\r\n\r\n${payload.text}`;
  let answered = 0;
  let wrong = 0;
  const sockets = Array.from({ length: connections }, () => {
    const bytes = Buffer.from(request);
    let number = -1;
    const send = (): void => {
      number = sender.next++;
      sender.open.add(number);
      payload.write(bytes, bytes.length - payload.text.length, number);
      socket.write(Buffer.from(bytes));
    };
    const socket = net.connect(port, '127.0.0.1').setNoDelay(true);
    let text = '';
    socket.on('data', (part: Buffer) => {
      text += part.toString('latin1');
      const end = text.indexOf('\r\n\r\n');
      if (end < 0) return;
      const length = Number(/content-length: (\d+)/i.exec(text)?.[1] ?? 0);
      if (text.length < end + 4 + length) return;
      if (text.startsWith('HTTP/1.1 200')) {
        answered++;
        sender.open.delete(number);
      } else wrong++;
      text = text.slice(end + 4 + length);
      send();
    });
    socket.on('connect', send);
    return socket;
  });
  const rate = await counted(() => answered, ms);
  for (const socket of sockets) socket.destroy();
  if (wrong > 0) throw new Error(`${wrong} answers were not 200`);
  return { rate };
}

/** Counts over `ms` after half a second of warming up; gives the rate a second. */
async function counted(count: () => number, ms: number): Promise<number> {
  await new Promise((resolve) => setTimeout(resolve, 500));
  const before = count();
  const start = performance.now();
  await new Promise((resolve) => setTimeout(resolve, ms));
  return ((count() - before) * 1000) / (performance.now() - start);
}
