import { once } from 'node:events';
import net from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';
import { generate, parser, type Packet } from 'mqtt-packet';
import { within, type Sent } from './load';

const PATIENCE_MS = 5000;
/** Numbers go round, so that each is used again and again. */
const NUMBERS = 5;

/**
 * Boards that send with QoS 2 in packets of their own, with sessions that outlast their connections: each value until its number is
 * released, over however many connections, and never a value twice under another number.
 */
export function startOnceOnly(
  devices: readonly { id: string; token: string }[],
  port: number,
): { sent: Sent[]; stop(): Promise<void> } {
  let stopped = false;
  const sent = devices.map(({ id }): Sent => ({ device: id, kept: new Map(), unknown: new Set() }));
  const loops = devices.map(async ({ id, token }, i) => {
    const mine = sent[i]!;
    let board: Board | null = null;
    for (let value = 1; !stopped; value++) {
      const number = 1 + (value % NUMBERS);
      mine.unknown.add(value);
      let isReleasing = false;
      let isAgain = false;
      while (!stopped)
        try {
          board ??= await connect(port, id, token);
          if (!isReleasing) await board.publish(value, number, isAgain);
          // From here on it is stored, and only the number is to be freed.
          isReleasing = true;
          await board.release(number);
          mine.unknown.delete(value);
          mine.kept.set(value, null);
          break;
        } catch {
          isAgain = true;
          board?.end();
          board = null;
          await sleep(300);
        }
      await sleep(200);
    }
    board?.end();
  });
  return {
    sent,
    async stop() {
      stopped = true;
      await Promise.all(loops);
    },
  };
}

interface Board {
  publish(value: number, number: number, again: boolean): Promise<void>;
  release(number: number): Promise<void>;
  end(): void;
}

async function connect(port: number, id: string, token: string): Promise<Board> {
  const socket = net.connect(port, '127.0.0.1');
  const packets = parser();
  const gone = once(socket, 'close').then(() => {
    throw new Error('the connection was closed');
  });
  gone.catch(() => undefined);
  socket.on('error', () => undefined);
  socket.on('data', (part) => void packets.parse(part));
  const say = async (packet: Packet, answer: Packet['cmd'], number?: number): Promise<void> => {
    const heard = (async () => {
      for (;;) {
        const [said] = (await once(packets, 'packet')) as [Packet];
        if (said.cmd === answer && (number === undefined || said.messageId === number)) return;
      }
    })();
    heard.catch(() => undefined);
    socket.write(generate(packet));
    await within(PATIENCE_MS, Promise.race([heard, gone]));
  };
  try {
    await say(
      {
        cmd: 'connect',
        protocolId: 'MQTT',
        protocolVersion: 4,
        clientId: 'once',
        clean: false,
        keepalive: 30,
        username: id,
        password: Buffer.from(token),
      },
      'connack',
    );
  } catch (error) {
    socket.destroy();
    throw error;
  }
  return {
    publish: (value, number, again) =>
      say(
        {
          cmd: 'publish',
          topic: `moor/${id}/report`,
          payload: `{"level":${value}}`,
          qos: 2,
          messageId: number,
          dup: again,
          retain: false,
        },
        'pubrec',
        number,
      ),
    release: (number) => say({ cmd: 'pubrel', messageId: number }, 'pubcomp', number),
    end: () => void socket.destroy(),
  };
}
