import net from 'node:net';
import { Readable } from 'node:stream';
import { createServer as createTlsServer } from 'node:tls';
import { setTimeout as sleep } from 'node:timers/promises';
import { Aedes, type AuthenticateError, type Client, type PublishPacket, type Subscription } from 'aedes';
import { refusal, type Refusal } from '@peatmoor/core';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import type { CommandBook } from '../commands/commands';
import { tooOften, type Ingest } from '../ingest/ingest';
import type { MessageFacts } from '../ingest/message';
import type { DeviceSession, PresenceBook } from '../ingest/presence';
import type { AboutBook } from '../ingest/about';
import type { RaisedEvents } from '../rules/raised';
import type { TokenUse } from '../ingest/tokenUse';
import type { Proofs } from '../ingest/proofs';
import { JournalBusyError, type JournalWriter } from '../journal/writer';
import type { DeviceEntry, Registry } from '../registry';
import { socketAddress } from './address';
import type { PublishFrame } from './mqttFrames';
import { createAdmission } from './mqttAdmission';
import { createMqttReports, type Report } from './mqttReports';
import { DeviceSocket, type Transport } from './mqttSocket';

/** Where accepted publishes go inside the broker library: nobody may subscribe to it. */
const SINK_TOPIC = 'journaled';
/** The library's keep-alive timer is set anew at most so often by publishes that do not pass through it. */
const KEEP_ALIVE_EVERY_MS = 500;
/** Two sessions of one device that last this long beside each other are two boards. */
const TWINS_MS = 4000;
/** Two takeovers of a session within this time are two boards that evict each other. */
const TAKEOVERS_MS = 60_000;

interface Parts {
  registry: Registry;
  ingest: Ingest;
  proofs: Proofs;
  presence: PresenceBook;
  tokenUse: TokenUse;
  commands: CommandBook;
  raised: RaisedEvents;
  about: AboutBook;
  journal: JournalWriter;
  bus: Bus;
  log: Logger;
}

export interface MqttListener {
  port: number;
  /** Port for MQTT over TLS; null without a certificate. */
  tlsPort: number | null;
  /** Takes a connection that came another way, such as a WebSocket. */
  accept(transport: Transport): void;
  stop(): Promise<void>;
}

/** Where to listen, and the certificate for TLS where there is one. */
export interface MqttPlaces {
  host: string;
  port: number;
  tls: { port: number; cert: Buffer; key: Buffer } | null;
}

/** What this service keeps with each connection of the broker library. */
interface Session extends DeviceSession {
  client: Connected;
  /** Topic filters this session has subscribed to. */
  filters: Set<string>;
  /** Publishes taken from the socket that go with one commit, and its number; null while there are none. */
  acks: number[] | null;
  commit: number;
  /** What is known of the message at hand; used again for each. */
  facts: MessageFacts;
  frame: PublishFrame | null;
  /** Settles when all publishes that went to the library before have been answered. */
  turn: Promise<void>;
  refreshedAt: number;
}

type Connected = Client & {
  conn: DeviceSocket;
  session?: Session;
  _paused?: boolean;
  _keepaliveTimer?: NodeJS.Timeout | null;
};

/** Speaks MQTT 3.1.1 to devices. PUBACK leaves only when the readings are durable in the journal. */
export async function startMqttListener(places: MqttPlaces, parts: Parts): Promise<MqttListener> {
  const { registry, ingest, proofs, presence, commands, journal, bus, log } = parts;
  const admit = createAdmission(parts);
  const reports = createMqttReports(parts);
  const takeovers = new Map<number, number[]>();
  /** Admitted, and not yet in presence. */
  const joining = new Set<Session>();
  const broker = new Aedes({ maxTopicLevels: 12, connectTimeout: 15_000 });

  const clients = (): Record<string, Connected> =>
    (broker as unknown as { clients: Record<string, Connected> }).clients;
  const say = (session: Session, refused: Refusal, forDevice: string | null = null): void => {
    const root = `moor/${deviceOf(session).id}/`;
    const apart = `${root}for/${forDevice}/refused`;
    const topic = forDevice !== null && hears(session, apart) ? apart : `${root}refused`;
    if (hears(session, topic))
      publish(session.client, topic, JSON.stringify(refused), 0).catch(() => undefined);
  };
  const deviceOf = (session: Session): DeviceEntry => names.get(session)!;
  const names = new WeakMap<Session, DeviceEntry>();

  broker.authenticate = (client, username, password, done) => {
    const connected = client as Connected;
    const from = socketAddress(connected.conn);
    const fail = (returnCode: number): void =>
      done(Object.assign(new Error('not admitted'), { returnCode }) as AuthenticateError, false);
    admit(username ?? '', password?.toString('utf8') ?? '', from)
      .then((admitted) => {
        if (admitted === null) return fail(4);
        // Client IDs belong to a device: the same one chosen by another device evicts nobody.
        Object.assign(client, { id: `${admitted.entry.rowId}/${client.id}` });
        connected.session = makeSession(connected, admitted.entry, admitted.tokenId, from);
        const before = clients()[client.id]?.session;
        if (before !== undefined) noticeTakeover(connected.session, before);
        done(null, true);
      })
      .catch((error: Error) => {
        log.warn({ error: error.message }, 'a device could not be admitted');
        fail(3);
      });
  };

  const makeSession = (client: Connected, entry: DeviceEntry, tokenId: number, from: string): Session => {
    const session: Session = {
      client,
      deviceRowId: entry.rowId,
      tokenId,
      from,
      openedAt: Date.now(),
      filters: new Set(),
      acks: null,
      commit: 0,
      frame: null,
      turn: Promise.resolve(),
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
      refreshedAt: 0,
      want: async (path, value) => {
        const topic = `moor/${deviceOf(session).id}/${path}`;
        if (!hears(session, topic)) throw new Error('the board has not subscribed to what is wanted');
        await publish(client, topic, value, 1);
      },
      close: () => client.close(),
    };
    names.set(session, entry);
    joining.add(session);
    client.conn.once('close', () => joining.delete(session));
    return session;
  };

  broker.on('clientReady', (client) => {
    const { session } = client as Connected;
    if (session === undefined) return;
    if (!joining.delete(session)) return session.close();
    const entry = deviceOf(session);
    const now = Date.now();
    // A session that goes on has its subscriptions already.
    const { subscriptions } = client as unknown as { subscriptions: object };
    const restored = Object.keys(subscriptions).filter((filter) => !session.filters.has(filter));
    for (const filter of restored) session.filters.add(filter);
    if (restored.length > 0) void deliverWanted(session, entry);
    session.client.conn.onPublish = (frame) => takeFrame(session, frame);
    presence.open(session);
    noticeTwins(session);
    presence.seen(entry.rowId, now);
    proofs.reached(entry, 'connectedAt', now);
    announce(entry);
  });
  broker.on('clientDisconnect', (client) => {
    const { session } = client as Connected;
    if (session === undefined) return;
    presence.close(session);
    announce(deviceOf(session));
  });
  broker.on('unsubscribe', (filters, client) => {
    for (const filter of filters) (client as Connected | null)?.session?.filters.delete(filter);
  });
  broker.on('clientError', (client, error) =>
    log.debug({ client: client.id, error: error.message }, 'a device connection ended'),
  );
  broker.on('connectionError', (_client, error) =>
    log.debug({ error: error.message }, 'a connection ended before it was admitted'),
  );

  /** Two boards with one token: both connected for a while, or one throwing the other out again and again. */
  const noticeTwins = (session: Session): void => {
    const timer = setTimeout(() => {
      const others = [...presence.sessions(session.deviceRowId)].filter((one) => one !== session);
      if (presence.sessions(session.deviceRowId).has(session) && others.length > 0)
        sayTwins(
          session,
          others.map((one) => one.from),
        );
    }, TWINS_MS);
    timer.unref();
  };
  const noticeTakeover = (session: Session, before: Session): void => {
    const now = Date.now();
    const recent = (takeovers.get(session.deviceRowId) ?? []).filter((at) => now - at < TAKEOVERS_MS);
    takeovers.set(session.deviceRowId, [...recent, now]);
    if (recent.length > 0) sayTwins(session, [before.from]);
  };
  const sayTwins = (session: Session, others: string[]): void => {
    const where = [...new Set([...others, session.from])].join(' and ');
    const hint = `Two boards seem to use one token of this device (connections from ${where}). Register the second board as a device of its own, with its own token.`;
    proofs.trouble(deviceOf(session), { at: Date.now(), reason: 'two-boards', hint, from: session.from });
  };
  const announce = (entry: DeviceEntry): void =>
    bus.emit('live', {
      workspaceId: entry.workspaceId,
      message: { type: 'changed', what: 'devices', id: entry.id },
    });

  broker.authorizeSubscribe = (client, subscription, done) => {
    const { session } = client as Connected;
    const entry = session && names.get(session);
    if (session === undefined || entry === undefined) return done(null, null);
    const root = `moor/${entry.id}/`;
    if (!mayHear(root, subscription.topic)) {
      const hint = `This device may subscribe to ${root}wanted/#, ${root}refused and, for what is behind it, ${root}for/+/wanted/#; not to "${subscription.topic.slice(0, 80)}".`;
      ingest.refuse(entry, refusal('', 'wrong-topic', hint), {
        way: 'MQTT',
        from: session.from,
        size: 0,
        receivedAt: Date.now(),
        form: 'mqtt subscribe',
        raw: null,
      });
      return done(null, null);
    }
    session.filters.add(subscription.topic);
    if (!matches(subscription.topic, `${root}refused`) || subscription.topic.includes('#'))
      setImmediate(() => void deliverWanted(session, entry));
    done(null, subscription as Subscription);
  };

  const deliverWanted = async (session: Session, entry: DeviceEntry): Promise<void> => {
    try {
      // Read anew: the definitions may have changed since this session began.
      const current = (await registry.byRow(entry.rowId)) ?? entry;
      const root = `moor/${current.id}/`;
      const told = async (target: DeviceEntry, path: string): Promise<void> => {
        for (const wanted of await commands.wanted(target)) {
          if (!hears(session, `${root}${path}${wanted.name}`)) continue;
          await session.want(`${path}${wanted.name}`, wanted.value);
          await commands.delivered(target, [wanted]);
        }
      };
      await told(current, 'wanted/');
      if ([...session.filters].some((filter) => filter.startsWith(`${root}for/`) || filter === `${root}#`))
        for (const sub of await registry.behind(current))
          await told(sub, `for/${sub.serial ?? sub.id}/wanted/`);
    } catch (error) {
      log.debug({ error: (error as Error).message }, 'wanted values wait for the next connection');
    }
  };
  bus.on('definitions', ({ kindId }) => {
    if (kindId === undefined) return;
    for (const client of Object.values(clients())) {
      const { session } = client;
      if (session === undefined || session.filters.size === 0 || deviceOf(session).kindId !== kindId)
        continue;
      registry
        .byRow(session.deviceRowId)
        .then(async (entry) => {
          if (entry === null) return;
          const before = deviceOf(session).intervalS;
          names.set(session, entry);
          if (before !== entry.intervalS && entry.names.find('interval') === undefined)
            await session.want('wanted/interval', String(entry.intervalS));
        })
        .catch((error: Error) =>
          log.debug({ error: error.message }, 'a changed kind waits for the next connection'),
        );
    }
  });
  bus.on('dismiss', ({ deviceRowId, tokenId }) => {
    const isMeant = (session: { tokenId: number }): boolean =>
      tokenId === undefined || session.tokenId === tokenId;
    for (const session of presence.sessions(deviceRowId)) if (isMeant(session)) session.close();
    // Closed as soon as the library is ready with them.
    for (const session of joining)
      if (session.deviceRowId === deviceRowId && isMeant(session)) joining.delete(session);
  });

  broker.authorizePublish = (client, packet, done) => {
    const { session, conn } = (client ?? {}) as Connected;
    if (session === undefined) return done(new Error('not admitted'));
    const finish = (error: Error | null): void => {
      packet.topic = SINK_TOPIC;
      packet.retain = false;
      packet.payload = Buffer.alloc(0);
      done(error);
      if (packet.qos > 0 && conn.inLibrary > 0) conn.inLibrary--;
    };
    const work = isRepeated(client as Client, packet).then((repeated) =>
      repeated ? [] : take(session, packet),
    );
    // Taken side by side, but answered in the order of publishing (MQTT-4.6.0-2): the library has no turn of its own.
    session.turn = session.turn
      .then(() => work)
      .then((refused) => {
        const { forDevice } = reports.read(deviceOf(session), packet.topic);
        for (const one of refused) say(session, one, forDevice);
        finish(null);
      })
      .catch((error: Error) => {
        // Not acknowledged: the board sends it again after it reconnects.
        log.warn({ error: error.message }, 'a publish could not be taken');
        finish(error);
      });
    work.catch(() => undefined);
  };

  /** A QoS 2 publish that was stored before and whose PUBREC the board did not hear (MQTT-4.3.3-2). */
  const isRepeated = async (client: Client, packet: PublishPacket): Promise<boolean> =>
    packet.qos === 2 &&
    (await (
      broker as unknown as {
        persistence: { incomingGetPacket(client: Client, packet: unknown): Promise<unknown> };
      }
    ).persistence
      .incomingGetPacket(client, packet)
      .then(
        () => true,
        () => false,
      ));

  const factsOf = (session: Session, report: Report, payload: Buffer): MessageFacts => ({
    way: 'MQTT',
    from: session.from,
    size: payload.length,
    receivedAt: Date.now(),
    form: report.form,
    raw: payload,
  });

  const take = async (session: Session, packet: PublishPacket): Promise<Refusal[]> => {
    const entry = (await registry.byRow(session.deviceRowId)) ?? deviceOf(session);
    const payload = Buffer.from(packet.payload);
    const report = reports.read(entry, packet.topic);
    const facts = factsOf(session, report, payload);
    const whole = (refused: Refusal): Refusal[] => {
      ingest.refuse(entry, refused, facts);
      return [refused];
    };
    while (!ingest.admits(entry, Date.now())) {
      if (packet.qos === 0) return whole(tooOften());
      await sleep(50);
    }
    if (packet.retain) return whole(refusal('', 'retained'));
    for (;;) {
      try {
        return await reports.take(entry, report, payload, facts);
      } catch (error) {
        if (!(error instanceof JournalBusyError)) throw error;
        // Back-pressure: no PUBACK, and nothing more is read from this socket, until the journal can be written.
        if (packet.qos > 0) session.client.conn.pauseReading();
        await journal.ready();
        session.client.conn.resumeReading();
      }
    }
  };

  /** The way of most publishes: straight from the socket to the journal, acknowledged with all others of one commit. */
  const takeFrame = (session: Session, frame: PublishFrame): boolean => {
    const { client } = session;
    const entry = registry.known(session.deviceRowId);
    if (entry === undefined || client._paused === true) return false;
    const report = reports.readFrame(entry, frame);
    const now = Date.now();
    if (report === null || !ingest.admits(entry, now)) return false;
    const { facts } = session;
    session.frame = frame;
    facts.size = frame.end - frame.payloadStart;
    facts.receivedAt = now;
    facts.form = report.form;
    const answer = ingest.offer(entry, reports.decodeFrame(report, frame, now), facts);
    if (answer === 'busy' || answer === 'needs-waiting') return false;
    for (const one of answer.refused) say(session, one);
    acknowledgeLater(session, frame.messageId, answer.accepted > 0);
    if (now - session.refreshedAt > KEEP_ALIVE_EVERY_MS) {
      session.refreshedAt = now;
      client._keepaliveTimer?.refresh();
    }
    return true;
  };

  /** Acknowledges in the order of publishing: with the commit that gathers, or once what is under way is durable. */
  const acknowledgeLater = (session: Session, messageId: number, stored: boolean): void => {
    const number = journal.commitNumber();
    if (session.acks === null || (stored && session.commit !== number)) {
      const acks: number[] = [];
      session.acks = acks;
      session.commit = number;
      journal.onDurable(() => {
        if (session.acks === acks) session.acks = null;
        session.client.conn.acknowledge(acks);
      });
    }
    // Where nothing is under way, onDurable has called back already.
    if (session.acks === null) session.client.conn.acknowledge([messageId]);
    else session.acks.push(messageId);
  };

  await broker.listen();
  keepNothingOutgoing(broker);
  const accept = (transport: Transport): void => void broker.handle(new DeviceSocket(transport));
  const { host, port, tls } = places;
  const server = net.createServer({ noDelay: true }, accept);
  const secure = tls === null ? null : createTlsServer({ cert: tls.cert, key: tls.key }, accept);
  await listen(server, port, host);
  if (secure !== null) await listen(secure, tls!.port, host);
  return {
    port: (server.address() as net.AddressInfo).port,
    tlsPort: secure === null ? null : (secure.address() as net.AddressInfo).port,
    accept,
    async stop() {
      server.close();
      secure?.close();
      await new Promise<void>((resolve) => broker.close(() => resolve()));
    },
  };
}

/**
 * What is wanted is kept by the service and told anew to a session that goes on; the library must not keep it a
 * second time and send both.
 */
function keepNothingOutgoing(broker: Aedes): void {
  const nothing = (): Promise<undefined> => Promise.resolve(undefined);
  Object.assign((broker as unknown as { persistence: object }).persistence, {
    outgoingEnqueue: nothing,
    outgoingUpdate: nothing,
    outgoingClearMessageId: nothing,
    outgoingStream: () => Readable.from([]),
  });
}

function listen(server: net.Server, port: number, host: string): Promise<void> {
  return new Promise((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, host, resolve);
  });
}

/** True where a session has subscribed to a topic. */
function hears(session: Session, topic: string): boolean {
  for (const filter of session.filters) if (matches(filter, topic)) return true;
  return false;
}

/** True for filters that bring only what is meant for the device below its root, or for a sub-device behind it. */
function mayHear(root: string, filter: string): boolean {
  if (!filter.startsWith(root)) return false;
  const path = filter.slice(root.length);
  if (/^(for\/[^/]+\/)?(wanted\/[^/]+|refused)$|^for\/[^/]+\/#$/.test(path)) return true;
  const ways = ['wanted/x', 'refused', 'for/x/wanted/x', 'for/x/refused'];
  return ways.some((way) => matches(path, way));
}

/** Publishes to one client only; resolves when it was written (QoS 0) or acknowledged or written (QoS 1). */
function publish(client: Client, topic: string, payload: string, qos: 0 | 1): Promise<void> {
  return new Promise((resolve, reject) => {
    client.publish({ cmd: 'publish', topic, payload, qos, retain: false, dup: false } as never, (error) =>
      error ? reject(error) : resolve(),
    );
  });
}

/** True where an MQTT topic filter covers a topic (MQTT 3.1.1 §4.7). */
export function matches(filter: string, topic: string): boolean {
  const wanted = filter.split('/');
  const parts = topic.split('/');
  for (const [i, part] of wanted.entries()) {
    if (part === '#') return true;
    if (i >= parts.length || (part !== '+' && part !== parts[i])) return false;
  }
  return wanted.length === parts.length;
}
