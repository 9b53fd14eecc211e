import type { Client } from 'aedes';
import type { MessageFacts } from '../../ingest/message';
import type { DeviceSession, Press } from '../../presence/presence';
import type { DeviceEntry } from '../../registry';
import { createFilters, type Filters } from './filters';
import type { PublishFrame } from './frames';
import type { DeviceSocket } from './socket';
import { now as clockNow } from '../../clock';

/** How long a board may take to acknowledge what it is told, in ms. */
const ACKNOWLEDGED_MS = 20_000;
/** Wanted values that may wait for a board's acknowledgements. */
const MOST_TOLD = 300;

/** What this service keeps with each connection of the broker library. */
export interface Session extends DeviceSession {
  client: Connected;
  /** Which connection it is of a session that outlasts connections; null for one that does not. */
  epoch: number | null;
  /** The device as it was when the session began, or its kind changed. */
  entry: DeviceEntry;
  filters: Filters;
  /** Publishes taken from the socket that go with one commit, and its number; null while there are none. */
  acks: number[] | null;
  commit: number;
  /** What is known of the message at hand; used again for each. */
  facts: MessageFacts;
  frame: PublishFrame | null;
  /** Settles when all publishes that went to the library before have been answered. */
  turn: Promise<void>;
  refreshedAt: number;
  /** Filters that came since wanted values were told last; null while nothing is to be told. */
  fresh: Set<string> | null;
  /** Called when the board acknowledges what it was told. */
  onAcknowledged: (() => void) | null;
  /** True while nothing is read because it sends too fast. */
  isSlowed: boolean;
  /** Waits until the device may send again; publishes of one session wait in turn. */
  gate: Promise<void>;
}

export type Connected = Client & {
  conn: DeviceSocket;
  /** False for one that outlasts its connection. */
  clean: boolean;
  subscriptions: Record<string, { qos: number }>;
  session?: Session;
  _paused?: boolean;
  _keepaliveTimer?: NodeJS.Timeout | null;
};

export function createSession(
  client: Connected,
  { entry, tokenId }: { entry: DeviceEntry; tokenId: number },
  from: string,
  epoch: number | null,
): Session {
  let telling: Promise<void> = Promise.resolve();
  let waiting = 0;
  /** One after the other: the next value is told when the board has acknowledged the one before. */
  const tell = async (path: string, value: string, press: Press | null): Promise<void> => {
    const topic = `moor/${session.entry.id}/${path}`;
    if (!session.filters.hear(topic)) throw new Error('the board has not subscribed to what is wanted');
    if (client.conn.destroyed) throw new Error('the board has gone');
    // It may have waited here until its time was over, or another has told it.
    if (press !== null && !(await press.take())) throw new Error('the press is not to be told any more');
    const waitMs = press === null ? ACKNOWLEDGED_MS : Math.max(0, press.until - clockNow());
    const acknowledged = new Promise<void>((resolve, reject) => {
      const end = (): void => {
        clearTimeout(timer);
        client.conn.removeListener('close', gone);
        session.onAcknowledged = null;
      };
      const gone = (): void => (end(), reject(new Error('the board has gone')));
      const timer = setTimeout(() => {
        end();
        reject(new Error('the board did not acknowledge'));
        // What stands in the socket would reach the board later: it is cut off with the connection.
        if (press !== null) client.conn.destroy();
      }, waitMs);
      client.conn.once('close', gone);
      session.onAcknowledged = () => (end(), resolve());
    });
    acknowledged.catch(() => undefined);
    await publish(client, topic, value, 1);
    await acknowledged;
  };
  const session: Session = {
    client,
    entry,
    deviceRowId: entry.rowId,
    tokenId,
    epoch,
    name: client.id,
    from,
    openedAt: clockNow(),
    filters: createFilters(),
    acks: null,
    commit: 0,
    frame: null,
    turn: Promise.resolve(),
    refreshedAt: 0,
    fresh: null,
    onAcknowledged: null,
    isSlowed: false,
    gate: Promise.resolve(),
    facts: {
      way: 'MQTT',
      from,
      size: 0,
      receivedAt: 0,
      form: '',
      // Only asked for where the message is noted.
      get raw(): Buffer | null {
        const { frame } = session;
        return frame && frame.bytes.subarray(frame.payloadStart, frame.end);
      },
    },
    hears: (path) => session.filters.hear(`moor/${session.entry.id}/${path}`),
    want(path, value, press) {
      if (waiting >= MOST_TOLD) return Promise.reject(new Error('the board does not keep up'));
      waiting++;
      const told = telling.then(() => tell(path, value, press)).finally(() => waiting--);
      telling = told.catch(() => undefined);
      return told;
    },
    close: () => client.close(),
  };
  return session;
}

/** Publishes to one client only; resolves when it was written. */
export function publish(client: Client, topic: string, payload: string, qos: 0 | 1): Promise<void> {
  return new Promise((resolve, reject) => {
    client.publish({ cmd: 'publish', topic, payload, qos, retain: false, dup: false } as never, (error) =>
      error ? reject(error) : resolve(),
    );
  });
}
