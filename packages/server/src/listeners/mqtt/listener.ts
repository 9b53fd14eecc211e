import net from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';
import { createServer as createTlsServer } from 'node:tls';
import { Aedes, type AuthenticateError, type Subscription } from 'aedes';
import { isRefusal, KEEP_NAME, refusal, type Refusal } from '@peatmoor/core';
import type { Logger } from 'pino';
import type { Bus } from '../../bus';
import { keepOf } from '../../commands/kept';
import type { Admission } from '../../ingest/admission';
import type { ArrivalBook } from '../../ingest/arrivals';
import type { PresenceBook } from '../../presence/presence';
import type { Proofs } from '../../presence/proofs';
import type { MessageFacts } from '../../ingest/message';
import { tooOften, type Verbs } from '../../ingest/verbs';
import type { Times } from '../../ingest/times';
import type { WorkRate } from '../../ingest/workRate';
import type { JournalWriter } from '../../journal/writer';
import type { DeviceEntry, Registry } from '../../registry';
import { socketAddress } from '../address';
import { LONGEST_FILTER, matches, mayHear, MOST_FILTERS } from './filters';
import { createLastingSessions, goOnWith, keepNothingOutgoing, releaseEverywhere } from './lasting';
import type { LastingRows } from './lastingRows';
import { takeProxied } from './proxied';
import { createOpenMessages, type OpenMessages } from './openMessages';
import { createPublishes } from './publishes';
import { createSession, type Connected, type Session } from './session';
import { DeviceSocket, type Transport } from './socket';
import { createTelling } from './telling';
import { createTopics } from './topics';
import { createTwins } from './twins';
import { VERSION_HINT, whoConnects } from './version';
import { now as clockNow } from '../../clock';

/** Where accepted publishes go inside the broker library: nobody may subscribe to it. */
const SINK_TOPIC = 'journaled';
/** QoS 2 publishes of one session that may wait for their release. */
const MOST_UNRELEASED = 100;
/** A session that subscribes again and again is ended when its device is so far behind its rate, in ms. */
const MOST_BEHIND_MS = 2000;
/** In how many groups boards are let go. */
const GROUPS = 20;
/** How long a board may leave what it is sent unread before it is cut off, in ms. */
const UNREAD_MS = 30_000;

interface Parts {
  registry: Registry;
  admission: Admission;
  verbs: Verbs;
  rate: WorkRate;
  times: Times;
  arrivals: ArrivalBook;
  proofs: Proofs;
  presence: PresenceBook;
  journal: JournalWriter;
  bus: Bus;
  /** What goes on at another node. */
  lastingRows: LastingRows;
  log: Logger;
}

export interface MqttListener {
  /** Port for plain MQTT; null where it is off. */
  port: number | null;
  /** Port for MQTT over TLS; null without a certificate. */
  tlsPort: number | null;
  /** Takes a connection that came another way, such as a WebSocket. */
  accept(transport: Transport): void;
  /** Takes no more, and lets those who are connected go in small groups within a time (ms), so that other nodes can take them. */
  letGo(withinMs: number, listens?: boolean): Promise<void>;
  stop(): Promise<void>;
  /** Answers by another certificate from now on, where it speaks TLS. */
  renew(pair: { cert: Buffer; key: Buffer }): void;
}

/** Where to listen, and the certificate for TLS where there is one. */
export interface MqttPlaces {
  host: string;
  /** Null for no plain MQTT. */
  port: number | null;
  tls: { port: number; cert: Buffer; key: Buffer } | null;
}

/** Speaks MQTT 3.1.1 to devices. PUBACK leaves only when the readings are durable in the journal. */
export async function startMqttListener(places: MqttPlaces, parts: Parts): Promise<MqttListener> {
  const broker = new Aedes({
    maxTopicLevels: 12,
    connectTimeout: 15_000,
    maxInflightInbound: MOST_UNRELEASED,
    drainTimeout: UNREAD_MS,
  } as ConstructorParameters<typeof Aedes>[0]);
  const open = createOpenMessages<readonly Refusal[]>();
  serveSessions(broker, parts, open);
  await broker.listen();
  keepNothingOutgoing(broker);
  releaseEverywhere(broker, parts.lastingRows, open);
  const accept = (transport: Transport): void => {
    const from = socketAddress(transport);
    void broker.handle(new DeviceSocket(transport, (connect) => noteVersion5(parts, connect, from)));
  };
  const { host, port, tls } = places;
  const server =
    port === null ? null : net.createServer({ noDelay: true }, (socket) => takeProxied(socket, accept));
  const secure = tls === null ? null : createTlsServer({ cert: tls.cert, key: tls.key }, accept);
  if (server !== null) await listen(server, port!, host);
  if (secure !== null) await listen(secure, tls!.port, host);
  return {
    port: server === null ? null : (server.address() as net.AddressInfo).port,
    tlsPort: secure === null ? null : (secure.address() as net.AddressInfo).port,
    accept,
    renew: (pair) => secure?.setSecureContext(pair),
    async letGo(withinMs, listens = false) {
      if (!listens) server?.close();
      if (!listens) secure?.close();
      const sessions = Object.values(clientsOf(broker)).flatMap(({ session }) => session ?? []);
      const lot = Math.max(1, Math.ceil(sessions.length / GROUPS));
      for (let i = 0; i < sessions.length; i += lot) {
        for (const session of sessions.slice(i, i + lot)) session.close();
        await sleep(withinMs / GROUPS);
      }
    },
    async stop() {
      server?.close();
      secure?.close();
      await new Promise<void>((resolve) => broker.close(() => resolve()));
    },
  };
}

/** Hangs what a session does on the hooks of the library. */
function serveSessions(broker: Aedes, parts: Parts, open: OpenMessages<readonly Refusal[]>): void {
  const { registry, verbs, rate, arrivals, proofs, presence, bus, log } = parts;
  const topics = createTopics(verbs);
  const telling = createTelling({ registry, verbs, log });
  const publishes = createPublishes({ ...parts, topics, telling, broker, open });
  const twins = createTwins(presence, proofs);
  const lasting = createLastingSessions(broker);
  /** Admitted, and not yet in presence. */
  const joining = new Set<Session>();
  const announce = (entry: DeviceEntry): void =>
    bus.emit('live', {
      workspaceId: entry.workspaceId,
      message: { type: 'changed', what: 'devices', id: entry.id },
    });

  admitClients(broker, { ...parts, open }, (session) => {
    joining.add(session);
    session.client.conn.once('close', () => joining.delete(session));
    const before = clientsOf(broker)[session.client.id]?.session;
    if (before !== undefined) twins.tookOver(session, before);
  });

  broker.on('clientReady', (client) => {
    const { session } = client as Connected;
    if (session === undefined) return;
    if (!joining.delete(session)) return session.close();
    const { entry } = session;
    const now = clockNow();
    // A session that goes on has its subscriptions already.
    const { subscriptions, clean } = client as Connected;
    for (const filter of Object.keys(subscriptions))
      if (!session.filters.has(filter)) {
        session.filters.add(filter);
        telling.wantedOn(session, filter);
      }
    if (!clean) {
      lasting.opened(session.deviceRowId, client.id);
      keepFilters(parts.lastingRows, session);
    }
    session.client.conn.admitted(
      (frame) => publishes.takeFrame(session, frame),
      () => publishes.tooLong(session),
    );
    presence.open(session);
    twins.opened(session);
    presence.seen(entry.rowId, now);
    proofs.reached(entry, 'connectedAt', now);
    announce(entry);
  });
  broker.on('clientDisconnect', (client) => {
    const { session } = client as Connected;
    if (session === undefined) return;
    presence.close(session);
    announce(session.entry);
  });
  broker.on('unsubscribe', (filters, client) => {
    const session = (client as Connected | null)?.session;
    if (session === undefined) return;
    for (const filter of filters) session.filters.delete(filter);
    keepFilters(parts.lastingRows, session);
  });
  broker.on('subscribe', (_subscriptions, client) => {
    const session = (client as Connected | null)?.session;
    if (session !== undefined) keepFilters(parts.lastingRows, session);
  });
  broker.on('ack', (_packet, client) => (client as Connected | null)?.session?.onAcknowledged?.());
  broker.on('clientError', (client, error) =>
    log.debug({ client: client.id, err: error }, 'a device connection ended'),
  );
  broker.on('connectionError', (_client, error) =>
    log.debug({ err: error }, 'a connection ended before it was admitted'),
  );

  broker.authorizeSubscribe = (client, subscription, done) => {
    const { session } = client as Connected;
    if (session === undefined) return done(null, null);
    const { entry, filters } = session;
    const root = `moor/${entry.id}/`;
    const { topic } = subscription;
    const known = filters.has(topic);
    const now = clockNow();
    rate.chargeMessages(entry.rowId, 1);
    if (rate.waitMs(entry.rowId) > MOST_BEHIND_MS) {
      arrivals.refuse(entry, [tooOften()], subscribing(session, now));
      session.close();
      return done(null, null);
    }
    if (topic.length > LONGEST_FILTER || !mayHear(root, topic) || (!known && filters.size >= MOST_FILTERS)) {
      const hint =
        filters.size >= MOST_FILTERS
          ? `A session has ${MOST_FILTERS} subscriptions at most. Use ${root}wanted/# or ${root}for/+/wanted/+.`
          : `This device may subscribe to ${root}wanted/#, ${root}refused and, for what is behind it, ${root}for/+/wanted/#; not to "${topic.slice(0, 80)}".`;
      arrivals.refuse(entry, [refusal('', 'wrong-topic', hint)], subscribing(session, now));
      return done(null, null);
    }
    filters.add(topic);
    if (!matches(topic, `${root}refused`) || topic.includes('#')) telling.wantedOn(session, topic);
    telling.refusedOn(session, topic);
    done(null, subscription as Subscription);
  };

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
    const { messageId } = packet as { messageId?: number };
    // A last will has none: it is published for a board that has gone.
    const { closed } = client as unknown as { closed: boolean };
    if (packet.qos > 0 && !messageId && !closed)
      return finish(new Error('a packet identifier is not 0 (MQTT-2.3.1-1)'));
    // What is no UTF-8 was replaced by the library's parser (MQTT-1.5.3-1, -2).
    if (/[\0\ufffd]/.test(packet.topic)) return finish(new Error('a topic is UTF-8 without NUL'));
    publishes.takePacket(session, packet).then(
      () => finish(null),
      (error: Error) => {
        // Not acknowledged: the board sends it again after it reconnects.
        log.warn({ err: error }, 'a publish could not be taken');
        finish(error);
      },
    );
  };

  // A board that came to another node has left this one, though nobody may have heard of it here.
  bus.on('opened', ({ deviceRowId, client }, node) => {
    if (node === undefined) return;
    for (const session of presence.sessions(deviceRowId)) if (session.name === client) session.close();
  });
  followDefinitions(broker, parts);
  bus.on('dismiss', ({ deviceRowId, tokenId }) => {
    const isMeant = (session: { tokenId: number }): boolean =>
      tokenId === undefined || session.tokenId === tokenId;
    for (const session of presence.sessions(deviceRowId)) if (isMeant(session)) session.close();
    // Closed as soon as the library is ready with them.
    for (const session of joining)
      if (session.deviceRowId === deviceRowId && isMeant(session)) joining.delete(session);
  });
}

/** What a session that outlasts its connection has subscribed to is written down, for the node to which it comes next. */
function keepFilters(rows: LastingRows, { client, deviceRowId, name }: Session): void {
  const { clean, subscriptions } = client;
  if (clean) return;
  rows.keep(
    deviceRowId,
    name,
    Object.fromEntries(Object.entries(subscriptions).map(([topic, { qos }]) => [topic, qos])),
  );
}

const subscribing = ({ from }: Session, receivedAt: number): MessageFacts => ({
  way: 'MQTT',
  from,
  size: 0,
  receivedAt,
  form: 'mqtt subscribe',
  raw: null,
});

const connecting = (from: string): MessageFacts => ({
  way: 'MQTT',
  from,
  size: 0,
  receivedAt: clockNow(),
  form: 'mqtt connect',
  raw: null,
});

const clientsOf = (broker: Aedes): Record<string, Connected> =>
  (broker as unknown as { clients: Record<string, Connected> }).clients;

function admitClients(
  broker: Aedes,
  { admission, lastingRows, open, log }: Parts & { open: OpenMessages<readonly Refusal[]> },
  opened: (session: Session) => void,
): void {
  broker.authenticate = (client, userName, password, done) => {
    const connected = client as Connected;
    const from = socketAddress(connected.conn);
    const fail = (returnCode: number): void =>
      done(Object.assign(new Error('not admitted'), { returnCode }) as AuthenticateError, false);
    const facts = connecting(from);
    admission
      .admit(password?.toString('utf8') ?? '', facts, userName ?? '')
      .then(async (admitted) => {
        if (isRefusal(admitted)) return fail(4);
        // Client IDs belong to a device: the same one chosen by another device evicts nobody.
        Object.assign(client, { id: `${admitted.entry.rowId}/${client.id.slice(0, 200)}` });
        const { id: name, clean } = connected;
        let epoch: number | null = null;
        if (clean) {
          open.forget(name);
          lastingRows.forget(admitted.entry.rowId, name);
        } else {
          open.forgetSettled(name);
          const lasting = await lastingRows.restore(admitted.entry.rowId, name);
          await goOnWith(broker, name, lasting);
          ({ epoch } = lasting);
        }
        const session = createSession(connected, admitted, from, epoch);
        connected.session = session;
        opened(session);
        done(null, true);
      })
      .catch((error: Error) => {
        log.warn({ err: error }, 'a device could not be admitted');
        fail(3);
      });
  };
}

/** A program that speaks MQTT 5 is told of on the pages of the device that it is of. */
function noteVersion5({ admission, log }: Parts, connect: Buffer, from: string): void {
  const who = whoConnects(connect);
  if (who === null) return;
  const facts = { ...connecting(from), form: 'mqtt 5 connect' };
  admission
    .admit(who.password, facts, who.userName)
    .then((admitted) =>
      isRefusal(admitted) ? undefined : admission.trouble(admitted.entry, VERSION_HINT, facts),
    )
    .catch((error: Error) => log.debug({ err: error }, 'who speaks MQTT 5 is not known'));
}

/** Sessions of a kind that changed: they know their device anew, and hear of a new interval. */
function followDefinitions(broker: Aedes, { registry, bus, log }: Parts): void {
  bus.on('definitions', ({ kindId, all }) => {
    if (all) return endWithdrawn(broker, { registry, log });
    if (kindId === undefined) return;
    for (const { session } of Object.values(clientsOf(broker))) {
      if (session === undefined || session.filters.size === 0 || session.entry.kindId !== kindId) continue;
      registry
        .byRow(session.deviceRowId)
        .then(async (entry) => {
          if (entry === null) return;
          const before = session.entry;
          session.entry = entry;
          if (before.intervalS !== entry.intervalS && entry.names.find('interval') === undefined)
            await session.want('wanted/interval', String(entry.intervalS), null);
          const keep = keepOf(entry);
          if (keep !== null && keep !== keepOf(before)) await session.want(`wanted/${KEEP_NAME}`, keep, null);
        })
        .catch((error: Error) => log.debug({ err: error }, 'a changed kind waits for the next connection'));
    }
  });
}

/** What happened meanwhile is not known: sessions whose device or token is no more end. */
function endWithdrawn(broker: Aedes, { registry, log }: Pick<Parts, 'registry' | 'log'>): void {
  const sessions = Object.values(clientsOf(broker)).flatMap(({ session }) => session ?? []);
  registry
    .validTokens(sessions.map(({ tokenId }) => tokenId))
    .then((valid) => {
      for (const session of sessions) if (!valid.has(session.tokenId)) session.close();
    })
    .catch((error: Error) => log.debug({ err: error }, 'open sessions are looked at later'));
}

function listen(server: net.Server, port: number, host: string): Promise<void> {
  return new Promise((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, host, resolve);
  });
}
