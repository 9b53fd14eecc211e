import { setTimeout as sleep } from 'node:timers/promises';
import type { Aedes, Client, PublishPacket } from 'aedes';
import { refusal, type Refusal } from '@peatmoor/core';
import type { Logger } from 'pino';
import type { ArrivalBook } from '../../ingest/arrivals';
import type { MessageFacts } from '../../ingest/message';
import { failed, TooFastError, tooOften, type Verbs } from '../../ingest/verbs';
import type { Times } from '../../ingest/times';
import type { WorkRate } from '../../ingest/workRate';
import { SupersededError, type OpenNumber } from '../../journal/openNumbers';
import { JournalBusyError, type JournalWriter } from '../../journal/writer';
import { failedForNow } from '../../store/lost';
import type { DeviceEntry, Registry } from '../../registry';
import type { PublishFrame } from './frames';
import type { OpenMessages } from './openMessages';
import type { Session } from './session';
import type { Telling } from './telling';
import type { Topic, Topics } from './topics';
import { now as clockNow } from '../../clock';

/** The library's keep-alive timer is set anew at most so often by publishes that do not pass through it. */
const KEEP_ALIVE_EVERY_MS = 500;
/** How long a flood is not read at a time, in ms: boards' keep-alives are longer. */
const MOST_SLOWED_MS = 5000;
/** Refusals of one message that are told on its refused topic. */
const MOST_TOLD = 50;

/** Takes publishes: most straight from the socket, the others by way of the broker library. */
export interface Publishes {
  /** The way of most: straight from the socket to the journal, acknowledged with all others of one commit. False leaves it to the library. */
  takeFrame(session: Session, frame: PublishFrame): boolean;
  /** One that the library has read; resolves when it may be acknowledged. Rejects where it must not be. */
  takePacket(session: Session, packet: PublishPacket): Promise<void>;
  /** One that was longer than may come: dropped unread. */
  tooLong(session: Session): void;
}

interface Parts {
  registry: Registry;
  verbs: Verbs;
  rate: WorkRate;
  times: Times;
  arrivals: ArrivalBook;
  journal: JournalWriter;
  topics: Topics;
  telling: Telling;
  broker: Aedes;
  /** What goes on at another node. */
  /** Messages of QoS 2 that are taken and not released. */
  open: OpenMessages<readonly Refusal[]>;
  log: Logger;
}

export function createPublishes(parts: Parts): Publishes {
  const { registry, verbs, rate, times, arrivals, journal, topics, telling, broker, open, log } = parts;

  const tellAll = (session: Session, refused: readonly Refusal[], forDevice: string | null = null): void => {
    for (const one of refused.slice(0, MOST_TOLD)) telling.refused(session, one, forDevice);
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

  /** True where the device may send, and a message without a time of its own would be given one. */
  const mayGoOn = ({ rowId }: DeviceEntry): boolean => {
    const now = clockNow();
    return !times.isFull(rowId, now) && rate.admits(rowId);
  };
  /** Waits until the device may send again; meanwhile nothing is read from its socket. Rejects where it has gone. */
  const admitted = (session: Session, entry: DeviceEntry): Promise<void> => {
    const { conn } = session.client;
    const wait = async (): Promise<void> => {
      if (mayGoOn(entry)) return;
      if (conn.destroyed) throw new Error('the board has gone');
      conn.pauseReading();
      try {
        do {
          await sleep(Math.min(1000, Math.max(10, rate.waitMs(entry.rowId))));
          if (conn.destroyed) throw new Error('the board has gone');
        } while (!mayGoOn(entry));
      } finally {
        conn.resumeReading();
      }
    };
    const mine = session.gate.then(wait);
    session.gate = mine.catch(() => undefined);
    return mine;
  };
  /** A flood that is not acknowledged is not read any faster than the device may send. */
  const slowDown = (session: Session, entry: DeviceEntry): void => {
    rate.chargeMessages(entry.rowId, 1);
    if (session.isSlowed) return;
    session.isSlowed = true;
    const { conn } = session.client;
    conn.pauseReading();
    // What came in one piece is still worked off; then it waits for as long as all of that is worth.
    setTimeout(() => {
      const waitMs = Math.min(MOST_SLOWED_MS, rate.waitMs(entry.rowId));
      setTimeout(() => {
        session.isSlowed = false;
        conn.resumeReading();
      }, waitMs).unref();
    }, 20).unref();
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

  const factsOf = (session: Session, topic: Topic, payload: Buffer): MessageFacts => ({
    way: 'MQTT',
    from: session.from,
    size: payload.length,
    receivedAt: clockNow(),
    form: topic.form,
    raw: payload,
  });

  /** A QoS 2 message of a session that outlasts its connection is known by its number, also elsewhere and after a restart. */
  const numberOf = ({ epoch, deviceRowId, name }: Session, packet: PublishPacket): OpenNumber | null =>
    packet.qos !== 2 || epoch === null
      ? null
      : { deviceRowId, client: name, number: packet.messageId!, epoch };

  /** One publish, with whatever it needs to wait for; gives what is to be told as refused. */
  const take = async (session: Session, packet: PublishPacket): Promise<readonly Refusal[]> => {
    const entry = (await registry.byRow(session.deviceRowId)) ?? session.entry;
    const payload = Buffer.from(packet.payload);
    const topic = topics.read(entry, packet.topic);
    const whole = (refused: Refusal): Refusal[] => {
      arrivals.refuse(entry, [refused], factsOf(session, topic, payload));
      return [refused];
    };
    if (packet.qos === 0) {
      if (!rate.admits(entry.rowId)) {
        slowDown(session, entry);
        return whole(tooOften());
      }
    } else await admitted(session, entry);
    // Reports are counted by their values, where those are known.
    if (!topic.verb.startsWith('report')) rate.charge(entry.rowId, 0, payload.length);
    if (packet.retain) return whole(refusal('', 'retained'));
    for (;;) {
      const facts = factsOf(session, topic, payload);
      try {
        const more = { patient: packet.qos > 0, number: numberOf(session, packet) };
        return (await topics.take(entry, topic, payload, facts, more)).refused;
      } catch (error) {
        if (!(error instanceof JournalBusyError || error instanceof TooFastError)) throw error;
        if (session.client.conn.destroyed) throw error;
        // Back-pressure: no PUBACK, and nothing more is read from this socket, until it can be taken.
        if (packet.qos > 0) session.client.conn.pauseReading();
        await (error instanceof TooFastError ? sleep(20) : journal.ready());
        if (packet.qos > 0) session.client.conn.resumeReading();
      }
    }
  };

  /** A message over which something fails is acknowledged, so that it does not come round again; unless the records are away. */
  const takeOrRefuse = async (session: Session, packet: PublishPacket): Promise<readonly Refusal[]> => {
    try {
      if (await isRepeated(session.client, packet)) return [];
      if (packet.qos !== 2 || session.client.clean) return await take(session, packet);
      return (
        (await open.once(session.name, packet.messageId!, session.epoch, () => take(session, packet))) ?? []
      );
    } catch (error) {
      if (
        failedForNow(error as Error) ||
        error instanceof JournalBusyError ||
        error instanceof TooFastError ||
        error instanceof SupersededError ||
        session.client.conn.destroyed
      )
        throw error;
      log.error({ err: error, device: session.entry.id }, 'a message could not be handled');
      const topic = topics.read(session.entry, packet.topic);
      arrivals.refuse(session.entry, [failed()], factsOf(session, topic, Buffer.from(packet.payload)));
      return [failed()];
    }
  };

  return {
    takeFrame(session, frame) {
      const { client } = session;
      const entry = registry.known(session.deviceRowId);
      if (entry === undefined || client._paused === true) return false;
      const topic = topics.readFrame(entry, frame);
      const now = clockNow();
      if (topic === null || !rate.admits(entry.rowId)) return false;
      const { facts } = session;
      session.frame = frame;
      facts.size = frame.end - frame.payloadStart;
      facts.receivedAt = now;
      facts.form = topic.form;
      try {
        const answer = verbs.report.offer(entry, topics.decodeFrame(topic, frame, now), facts);
        if (answer === 'busy' || answer === 'needs-waiting') {
          rate.giveBack(entry.rowId);
          return false;
        }
        if (answer.refused.length > 0) tellAll(session, answer.refused);
        acknowledgeLater(session, frame.messageId, answer.accepted > 0);
      } catch (error) {
        log.error({ err: error, device: entry.id }, 'a message could not be handled');
        arrivals.refuse(entry, [failed()], { ...facts });
        tellAll(session, [failed()]);
        acknowledgeLater(session, frame.messageId, false);
      }
      if (now - session.refreshedAt > KEEP_ALIVE_EVERY_MS) {
        session.refreshedAt = now;
        client._keepaliveTimer?.refresh();
      }
      return true;
    },
    tooLong(session) {
      const refused = refusal('', 'too-large');
      arrivals.refuse(session.entry, [refused], {
        ...session.facts,
        size: 0,
        receivedAt: clockNow(),
        form: 'mqtt',
        raw: null,
      });
      tellAll(session, [refused]);
    },
    takePacket(session, packet) {
      const { topic } = packet;
      const work = takeOrRefuse(session, packet);
      work.catch(() => undefined);
      // Taken side by side, but answered in the order of publishing (MQTT-4.6.0-2): the library has no turn of its own.
      const answered = session.turn.then(async () => {
        const refused = await work;
        // Nobody hears that it was taken. Its number must not be noted now: the board may have released it by another connection.
        if (packet.qos === 2 && session.client.conn.destroyed) throw new Error('the board has gone');
        tellAll(session, refused, topics.read(session.entry, topic).forDevice);
      });
      session.turn = answered.catch(() => undefined);
      return answered;
    },
  };
}
