import net from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';
import { Aedes, type AuthenticateError, type Client, type PublishPacket, type Subscription } from 'aedes';
import { decodeJsonReport, decodePlain, isRefusal, refusal, wireValue, type Refusal } from '@peatmoor/core';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import type { CommandBook } from '../commands/commands';
import { tooOften, type Ingest, type MessageFacts } from '../ingest/ingest';
import type { DeviceSession, PresenceBook } from '../ingest/presence';
import type { Proofs } from '../ingest/proofs';
import { JournalBusyError, type JournalWriter } from '../journal/writer';
import type { DeviceEntry, Registry } from '../registry';
import { MOST_BYTES } from './deviceHttp';
import { socketAddress } from './address';

/** Where accepted publishes go inside the broker library: nobody may subscribe to it. */
const SINK_TOPIC = 'journaled';
/** Two sessions of one device that last this long beside each other are two boards. */
const TWINS_MS = 4000;
/** Two takeovers of a session within this time are two boards that evict each other. */
const TAKEOVERS_MS = 60_000;

interface Parts {
  registry: Registry;
  ingest: Ingest;
  proofs: Proofs;
  presence: PresenceBook;
  commands: CommandBook;
  journal: JournalWriter;
  bus: Bus;
  log: Logger;
}

export interface MqttListener {
  port: number;
  stop(): Promise<void>;
}

/** What this service keeps with each connection of the broker library. */
interface Session extends DeviceSession {
  client: Client;
  wantedPattern: boolean;
  refusedPattern: boolean;
}

type Connected = Client & { conn: net.Socket; session?: Session };

/** Speaks MQTT 3.1.1 to devices. PUBACK leaves only when the readings are durable in the journal. */
export async function startMqttListener(host: string, port: number, parts: Parts): Promise<MqttListener> {
  const { registry, ingest, proofs, presence, commands, journal, bus, log } = parts;
  const takeovers = new Map<number, number[]>();
  const broker = new Aedes({ maxTopicLevels: 12, connectTimeout: 15_000 });

  const clients = (): Record<string, Connected> =>
    (broker as unknown as { clients: Record<string, Connected> }).clients;
  const say = (session: Session, refused: Refusal): void => {
    if (!session.refusedPattern) return;
    publish(session.client, `moor/${deviceOf(session).id}/refused`, JSON.stringify(refused), 0).catch(
      () => undefined,
    );
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

  const admit = async (
    userName: string,
    password: string,
    from: string,
  ): Promise<{ entry: DeviceEntry; tokenId: number } | null> => {
    const now = Date.now();
    const verdict = await registry.verify(password);
    const facts: MessageFacts = { way: 'MQTT', from, size: 0, receivedAt: now };
    const trouble = (entry: DeviceEntry, hint: string): null => {
      ingest.refuse(entry, refusal('', 'bad-token', hint), facts);
      proofs.trouble(entry, { at: now, reason: 'bad-token', hint, from });
      return null;
    };
    if (verdict.state !== 'right')
      return verdict.entry === null ? null : trouble(verdict.entry, verdict.hint);
    if (userName !== verdict.entry.id)
      return trouble(
        verdict.entry,
        `The token belongs to "${verdict.entry.id}", but the MQTT user name was "${userName.slice(0, 40)}". Set the user name to the device ID.`,
      );
    return verdict;
  };

  const makeSession = (client: Connected, entry: DeviceEntry, tokenId: number, from: string): Session => {
    const session: Session = {
      client,
      deviceRowId: entry.rowId,
      tokenId,
      from,
      openedAt: Date.now(),
      wantedPattern: false,
      refusedPattern: false,
      want: async (name, value) => {
        if (!session.wantedPattern) throw new Error('the board has not subscribed to what is wanted');
        await publish(client, `moor/${deviceOf(session).id}/wanted/${name}`, value, 1);
      },
      close: () => client.close(),
    };
    names.set(session, entry);
    return session;
  };

  broker.on('clientReady', (client) => {
    const { session } = client as Connected;
    if (session === undefined) return;
    const entry = deviceOf(session);
    const now = Date.now();
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
    const wants = matches(subscription.topic, `${root}wanted/x`);
    const refusals = matches(subscription.topic, `${root}refused`);
    if (!subscription.topic.startsWith(root) || (!wants && !refusals)) {
      const hint = `This device may subscribe to ${root}wanted/# and ${root}refused, not to "${subscription.topic.slice(0, 80)}".`;
      ingest.refuse(entry, refusal('', 'wrong-topic', hint), {
        way: 'MQTT',
        from: session.from,
        size: 0,
        receivedAt: Date.now(),
      });
      return done(null, null);
    }
    session.refusedPattern ||= refusals;
    if (wants && !session.wantedPattern) {
      session.wantedPattern = true;
      setImmediate(() => void deliverWanted(session, entry));
    }
    done(null, subscription as Subscription);
  };

  const deliverWanted = async (session: Session, entry: DeviceEntry): Promise<void> => {
    try {
      // Read anew: the definitions may have changed since this session began.
      const current = (await registry.byRow(entry.rowId)) ?? entry;
      for (const wanted of await commands.wanted(current)) {
        await session.want(wanted.name, wireValue(wanted.value));
        await commands.delivered(current, [wanted]);
      }
    } catch (error) {
      log.debug({ error: (error as Error).message }, 'wanted values wait for the next connection');
    }
  };
  bus.on('definitions', ({ kindId }) => {
    if (kindId === undefined) return;
    for (const client of Object.values(clients())) {
      const { session } = client;
      if (session === undefined || !session.wantedPattern || deviceOf(session).kindId !== kindId) continue;
      registry
        .byRow(session.deviceRowId)
        .then(async (entry) => {
          if (entry === null) return;
          const before = deviceOf(session).intervalS;
          names.set(session, entry);
          if (before !== entry.intervalS && entry.names.find('interval') === undefined)
            await session.want('interval', String(entry.intervalS));
        })
        .catch((error: Error) =>
          log.debug({ error: error.message }, 'a changed kind waits for the next connection'),
        );
    }
  });
  bus.on('dismiss', ({ deviceRowId, tokenId }) => {
    for (const session of presence.sessions(deviceRowId))
      if (tokenId === undefined || session.tokenId === tokenId) session.close();
  });

  broker.authorizePublish = (client, packet, done) => {
    const { session } = (client ?? {}) as Connected;
    if (session === undefined) return done(new Error('not admitted'));
    take(session, packet)
      .then((refused) => {
        for (const one of refused) say(session, one);
        packet.topic = SINK_TOPIC;
        packet.retain = false;
        packet.payload = Buffer.alloc(0);
        done(null);
      })
      .catch((error: Error) => {
        // Not acknowledged: the board sends it again after it reconnects.
        log.warn({ error: error.message }, 'a publish could not be taken');
        done(error);
      });
  };

  const take = async (session: Session, packet: PublishPacket): Promise<Refusal[]> => {
    const entry = (await registry.byRow(session.deviceRowId)) ?? deviceOf(session);
    const payload = Buffer.from(packet.payload);
    const facts: MessageFacts = {
      way: 'MQTT',
      from: session.from,
      size: payload.length,
      receivedAt: Date.now(),
    };
    const whole = (refused: Refusal): Refusal[] => {
      ingest.refuse(entry, refused, facts);
      return [refused];
    };
    while (!ingest.admits(entry, Date.now())) {
      if (packet.qos === 0) return whole(tooOften());
      await sleep(50);
    }
    if (packet.retain) return whole(refusal('', 'retained'));
    if (payload.length > MOST_BYTES) return whole(refusal('', 'too-large'));
    const root = `moor/${entry.id}/`;
    const [verb, name, ...rest] = packet.topic.startsWith(root)
      ? packet.topic.slice(root.length).split('/')
      : [];
    const text = payload.toString('utf8');
    if (rest.length === 0 && verb === 'report' && name === undefined)
      return keep(entry, decodeJsonReport(text), facts);
    if (rest.length === 0 && verb === 'report' && name) return keep(entry, decodePlain(name, text), facts);
    if (rest.length === 0 && verb === 'applied' && name) {
      const refused = await commands.applied(entry, name, text === '' ? null : text);
      presence.seen(entry.rowId, facts.receivedAt);
      return refused === null ? [] : whole(refused);
    }
    return whole(
      refusal(
        '',
        'wrong-topic',
        `Nothing is taken on "${packet.topic.slice(0, 80)}". This device reports on ${root}report and answers on ${root}applied/<name>.`,
      ),
    );
  };

  const keep = async (
    entry: DeviceEntry,
    decoded: ReturnType<typeof decodeJsonReport>,
    facts: MessageFacts,
  ): Promise<Refusal[]> => {
    for (;;) {
      try {
        const { refused } = await ingest.report(entry, decoded, facts);
        return isRefusal(decoded) ? [decoded] : refused;
      } catch (error) {
        if (!(error instanceof JournalBusyError)) throw error;
        // Back-pressure: no PUBACK, and nothing more is read from this socket, until the journal can be written.
        await journal.ready();
      }
    }
  };

  await broker.listen();
  const server = net.createServer({ noDelay: true }, (socket) => broker.handle(socket));
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, host, resolve);
  });
  return {
    port: (server.address() as net.AddressInfo).port,
    async stop() {
      server.close();
      await new Promise<void>((resolve) => broker.close(() => resolve()));
    },
  };
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
