import type { Logger } from 'pino';

/** What nodes say to each other at once, and may lose: all that counts is in the database. */
export interface Link {
  isUp(): boolean;
  /** Says something to all other nodes; nothing where the link is down. */
  say(text: string): void;
  stop(): Promise<void>;
}

const LONGEST_REST_MS = 1000;
/** How often the bus is asked whether it is there, and after how long without a word from it it is not, in ms. */
const PING_MS = 1000;
const SILENT_MS = 3000;
/** Bytes that may wait to be sent; beyond them it is said no more: whoever listens finds it in the database. */
const MOST_WAITING = 2000;

interface Parts {
  log: Logger;
  /** This node. */
  node: number;
  /** What another node said. */
  heard(text: string, from: number): void;
  /** The link came or went. */
  changed(): void;
}

/** Publish and subscribe over Redis. Its client is read only where there is a bus. */
export async function openLink(
  url: string,
  channel: string,
  { log, node, heard, changed }: Parts,
): Promise<Link> {
  const { createClient } = await import('@redis/client');
  const publisher = createClient({
    url,
    RESP: 2,
    maintNotifications: 'disabled',
    disableOfflineQueue: true,
    commandsQueueMaxLength: MOST_WAITING,
    pingInterval: PING_MS,
    socket: {
      socketTimeout: SILENT_MS,
      connectTimeout: 2000,
      reconnectStrategy: (tries) => Math.min(LONGEST_REST_MS, 50 * 2 ** tries),
    },
  });
  const subscriber = publisher.duplicate();
  let up = false;
  let saidDown = false;
  const look = (): void => {
    const now = publisher.isReady && subscriber.isReady;
    if (now === up) return;
    up = now;
    if (up) saidDown = false;
    log[up ? 'info' : 'warn'](
      up
        ? 'the bus answers'
        : 'the bus does not answer; nodes hear of each other by the database, within a second',
    );
    changed();
  };
  for (const client of [publisher, subscriber]) {
    client.on('ready', look);
    client.on('end', look);
    client.on('reconnecting', look);
    client.on('error', (error: Error) => {
      look();
      if (!saidDown) log.warn({ err: error }, 'the bus cannot be reached; it is tried again and again');
      saidDown = true;
    });
  }
  // Everything that is said begins with who says it.
  const hear = (text: string): void => {
    const end = text.indexOf(' ');
    const from = Number(text.slice(0, end));
    if (from === node) return;
    try {
      heard(text.slice(end + 1), from);
    } catch (error) {
      log.warn({ err: error }, 'what another node said is not understood');
    }
  };
  // Not waited for: a node starts, and works, without it.
  void publisher.connect().catch(() => undefined);
  void subscriber
    .connect()
    .then(() => subscriber.subscribe(channel, hear))
    .catch(() => undefined);
  return {
    isUp: () => up,
    say(text) {
      if (up) publisher.publish(channel, `${node} ${text}`).catch(() => undefined);
    },
    stop() {
      for (const client of [publisher, subscriber]) client.destroy();
      return Promise.resolve();
    },
  };
}
