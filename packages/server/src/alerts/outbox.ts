import { setTimeout as sleep } from 'node:timers/promises';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import type { AlertRow } from '../store/models';
import { findAll, findOne } from '../store/rows';
import { inRawTransaction } from '../store/store';
import { RestsError } from '../commands/barred';
import { asSent, type Known } from './asSent';
import { CannotBeSent, type Message, type Sender } from './channels';
import { doneFor } from './done';
import { mannerOf } from './manner';
import { gotThrough, standIn, standInForLate } from './standIn';
import { claim, CLAIM_MS, placeOf, type Claimed } from './claiming';
import { clockMayTidy, now as clockNow } from '../clock';
import { stoodStill, wentOn } from '../standing';

/** After so long an alert is given up. */
const GIVE_UP_MS = 86_400_000;
/** How often it is looked for alerts to try again, and for those of other services. */
const LOOK_MS = 5000;
/** How soon it is looked again for what somebody else had locked, in ms. */
const MISSED_MS = 100;
/** The longest time between two tries, in ms. */
const LONGEST_REST_MS = 600_000;
/** One that is not sent within this has failed, and is tried again: before its claim ends, in ms. */
const LONGEST_SEND_MS = CLAIM_MS - 10_000;
/** How long a service that stops waits for what is being sent, in ms. It goes out again under its number. */
const LEAVING_MS = 3000;

/**
 * How much of a channel is sent at once: in all, of one workspace, and beyond that of what is urgent. A receiver that hangs holds up
 * nobody but itself, and a workspace of many such receivers nobody but itself.
 */
const LANES: Record<string, { most: number; each: number; urgent: number }> = {
  control: { most: 100, each: 50, urgent: 50 },
  email: { most: 10, each: 5, urgent: 10 },
};
const LANE = { most: 24, each: 8, urgent: 24 };

export interface Outbox {
  wake(): void;
  stop(): Promise<void>;
}

/**
 * Sends alerts from the outbox, each channel in a lane of its own and in it each receiver; one that fails is tried again, ever later, and its error is kept. `sole`: no
 * other service sends from it, so what is claimed at the start was being sent when the one before ended, and is sent again at once.
 */
export function startOutbox(
  known: Known,
  senders: ReadonlyMap<string, Sender>,
  bus: Bus,
  log: Logger,
  sole: boolean,
): Outbox {
  const { store } = known;
  const { models } = store;
  let stopped = false;

  const messageOf = async ({ messageId, channel, recipient }: Claimed): Promise<Message | null> => {
    const alerts = await findAll(models.alerts, { where: { messageId, state: 'waiting' }, order: ['id'] });
    if (alerts.length === 0) return null;
    const events = new Map(
      (
        await findAll(models.events, { where: { id: [...new Set(alerts.map(({ eventId }) => eventId))] } })
      ).map((event) => [event.id, event] as const),
    );
    const ruleIds = [...new Set(alerts.flatMap(({ ruleId }) => ruleId ?? []))];
    const rules = new Map(
      (ruleIds.length === 0 ? [] : await findAll(models.rules, { where: { id: ruleIds } })).map(
        (rule) => [rule.id, rule] as const,
      ),
    );
    const userId = alerts[0]!.userId;
    const reader = userId === null ? null : await findOne(models.users, { id: userId });
    const done =
      channel === 'control'
        ? new Map<number, string[]>()
        : await doneFor(store, [...events.values()], (zone) => mannerOf(reader, zone));
    return {
      id: messageId,
      recipient,
      workspaceId: alerts[0]!.workspaceId,
      alerts: await Promise.all(
        alerts.flatMap((alert) => {
          const event = events.get(alert.eventId);
          if (event === undefined) return [];
          const rule = rules.get(alert.ruleId ?? 0) ?? null;
          const of = { event, rule, done: done.get(event.id) ?? [] };
          return [asSent(known, alert, event, rule, reader).then((sent) => ({ ...of, alert: sent }))];
        }),
      ),
    };
  };
  /** Keeps what came of a try, for every alert of a message. */
  const settle = async (
    claimed: Claimed,
    alerts: readonly AlertRow[],
    change: Partial<AlertRow>,
    outcome: string,
  ): Promise<void> => {
    const now = clockNow();
    const sent = change.state === 'sent';
    await inRawTransaction(store, async (connection) => {
      const names = Object.keys(change);
      await connection.query(
        `UPDATE alerts SET ${names.map((name) => `${name} = ?`).join(', ')} WHERE messageId = ? AND state = 'waiting'`,
        [...Object.values(change), claimed.messageId],
      );
      // While it was sent, what it was about may have been deleted.
      const there = (await connection.query('SELECT id FROM alerts WHERE messageId = ?', [
        claimed.messageId,
      ])) as { id: number }[];
      const ids = new Set(there.map(({ id }) => id));
      const left = alerts.filter(({ id }) => ids.has(id));
      if (left.length === 0) return;
      if (sent) await gotThrough(connection, left[0]!);
      // What stood in for one that was late has done so already.
      if (change.state === 'failed')
        await standIn(
          connection,
          left.filter(({ stoodIn }) => !stoodIn),
          outcome,
        );
      await connection.batch(
        'INSERT INTO alertTries (workspaceId, alertId, at, sent, outcome) VALUES (?, ?, ?, ?, ?)',
        left.map(({ id, workspaceId }) => [workspaceId, id, now, sent, outcome.slice(0, 300)]),
      );
    });
  };
  const send = async (claimed: Claimed): Promise<void> => {
    const message = await messageOf(claimed);
    if (message === null) return;
    const alerts = message.alerts.map(({ alert }) => alert);
    try {
      const sender = senders.get(claimed.channel);
      if (sender === undefined) throw new CannotBeSent(`Alerts by ${claimed.channel} are not known here.`);
      if (alerts.length === 0) throw new CannotBeSent('The event is gone.');
      const outcome = await inTime(sender.send(message));
      await settle(claimed, alerts, { state: 'sent', sentAt: clockNow(), error: '' }, outcome);
    } catch (error) {
      const reason = (error as Error).message.slice(0, 300);
      const { attempts, queuedAt } = alerts[0] ?? { attempts: 0, queuedAt: 0 };
      const last =
        error instanceof CannotBeSent || (clockMayTidy() && clockNow() - Math.max(queuedAt, 1) > GIVE_UP_MS);
      const wait =
        Math.min(LONGEST_REST_MS, 5000 * 3 ** Math.max(0, attempts - 1)) * (0.8 + Math.random() * 0.4);
      await settle(
        claimed,
        alerts,
        last
          ? { state: 'failed', error: reason }
          : {
              error: reason,
              dueAt: Math.round((error instanceof RestsError ? error.until : null) ?? clockNow() + wait),
            },
        reason,
      );
      if (last) wake();
      log.warn(
        { err: error, channel: claimed.channel, alerts: alerts.length, last },
        'an alert could not be sent',
      );
    }
    for (const { workspaceId, eventId } of alerts.slice(0, 20))
      bus.emit('live', { workspaceId, message: { type: 'changed', what: 'events', id: eventId } });
  };
  let orphans = sole;
  const takeOver = async (): Promise<void> => {
    if (!orphans) return;
    await store.withConnection((connection) =>
      connection.query(
        "UPDATE alerts SET dueAt = ? WHERE state = 'waiting' AND messageId IS NOT NULL AND error = ''",
        [clockNow()],
      ),
    );
    orphans = false;
  };
  const lanes = new Map([...senders.keys()].map((channel) => [channel, startLane(channel)]));
  let busy = false;
  /** What is late is looked for now and then, not with each alert. */
  let looksForLate = true;
  let again = false;
  /** Wakes the lanes that have something to send, and each as its next one is due. */
  const look = async (): Promise<void> => {
    await takeOver();
    if (looksForLate) {
      looksForLate = false;
      await standInForLate(store);
    }
    do {
      again = false;
      const due = (await store.withConnection((connection) =>
        connection.query(
          "SELECT channel, MIN(dueAt) AS at FROM alerts WHERE state = 'waiting' GROUP BY channel",
        ),
      )) as { channel: string; at: number }[];
      for (const { channel, at } of due) (lanes.get(channel) ?? startUnknown(channel)).planFor(Number(at));
    } while (again && !stopped);
  };
  /** Alerts of a channel that is not known here are given up, with that reason. */
  const startUnknown = (channel: string): Lane => {
    const lane = startLane(channel);
    lanes.set(channel, lane);
    return lane;
  };
  let looking: Promise<void> = Promise.resolve();
  const wake = (): void => {
    again = true;
    if (busy || stopped) return;
    busy = true;
    looking = look()
      .then(
        () => (wentOn('Sending alerts'), true),
        (error: Error) => (failed(error), false),
      )
      .then((isDone) => {
        busy = false;
        if (isDone && again) wake();
      });
  };
  const timer = setInterval(() => {
    looksForLate = true;
    wake();
  }, LOOK_MS);
  return {
    wake,
    async stop() {
      stopped = true;
      clearInterval(timer);
      await looking;
      await Promise.all([...lanes.values()].map((lane) => lane.stop()));
      for (const sender of senders.values()) sender.close();
    },
  };

  function failed(error: Error): void {
    stoodStill('Sending alerts', error);
    log.debug({ err: error }, 'alerts wait');
  }

  /** One channel: sends what is due, each place by itself, and waits for none of them before it goes on with others. */
  function startLane(channel: string): Lane {
    const { most, each, urgent } = LANES[channel] ?? LANE;
    const underWay = new Map<string, { claimed: Claimed; sent: Promise<void> }>();
    let planned: NodeJS.Timeout | undefined;
    let plannedAt = Infinity;
    let running: Promise<void> | null = null;
    let again = false;
    const run = async (): Promise<void> => {
      do {
        again = false;
        const ofWorkspace = new Map<number, number>();
        for (const { claimed: one } of underWay.values())
          ofWorkspace.set(one.workspaceId, (ofWorkspace.get(one.workspaceId) ?? 0) + 1);
        const freeUrgent = most + urgent - underWay.size;
        if (freeUrgent <= 0) return;
        const { claimed, missed } = await inRawTransaction(store, (connection) =>
          claim(connection, {
            channel,
            busy: [...underWay.keys()],
            underWay: ofWorkspace,
            each,
            free: most - underWay.size,
            freeUrgent,
          }),
        );
        for (const one of claimed) {
          const place = placeOf(one);
          const sent = send(one)
            .catch((error: Error) => log.warn({ err: error }, 'what came of an alert could not be kept'))
            .finally(() => {
              underWay.delete(place);
              start();
            });
          underWay.set(place, { claimed: one, sent });
        }
        again ||= claimed.length > 0;
        if (missed) planFor(clockNow() + MISSED_MS);
      } while (again && !stopped);
      const [next] = (await store.withConnection((connection) =>
        connection.query(
          "SELECT MIN(dueAt) AS at FROM alerts WHERE state = 'waiting' AND channel = ? AND dueAt > ?",
          [channel, clockNow()],
        ),
      )) as { at: number | null }[];
      if (next?.at != null) planFor(Number(next.at));
    };
    const start = (): void => {
      again = true;
      if (running !== null || stopped) return;
      running = run()
        .then(
          () => true,
          (error: Error) => (failed(error), false),
        )
        .then((isDone) => {
          running = null;
          if (!isDone) planFor(clockNow() + 1000);
          // It was woken while it looked for what comes next.
          else if (again) start();
        });
    };
    const planFor = (at: number): void => {
      const wait = at - clockNow();
      if (wait <= 0) return start();
      if (stopped || wait > LOOK_MS || at >= plannedAt) return;
      clearTimeout(planned);
      plannedAt = at;
      planned = setTimeout(
        () => {
          plannedAt = Infinity;
          start();
        },
        Math.max(20, wait + 5),
      );
    };
    return {
      planFor,
      async stop() {
        clearTimeout(planned);
        await running;
        await Promise.race([
          Promise.all([...underWay.values()].map(({ sent }) => sent)),
          sleep(LEAVING_MS, undefined, { ref: false }),
        ]);
      },
    };
  }
}

/** What one channel has to send. */
interface Lane {
  /** Something is due at a time, epoch ms. */
  planFor(at: number): void;
  stop(): Promise<void>;
}

/** What a sender says, or that it took too long. */
function inTime<T>(work: Promise<T>): Promise<T> {
  const late = new AbortController();
  return Promise.race([
    work,
    sleep(LONGEST_SEND_MS, undefined, { signal: late.signal, ref: false }).then(() => {
      throw new Error(`It was not sent within ${LONGEST_SEND_MS / 1000} s.`);
    }),
  ]).finally(() => late.abort());
}
