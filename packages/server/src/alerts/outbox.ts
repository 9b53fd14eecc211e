import { randomUUID } from 'node:crypto';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import type { AlertRow } from '../store/models';
import { findAll } from '../store/rows';
import { inRawTransaction, type Store } from '../store/store';
import { CannotBeSent, channelOf, type Message, type Sender } from './channels';
import { clockMayTidy, now as clockNow } from '../clock';
import { stoodStill, wentOn } from '../standing';

/** After so long an alert is given up. */
const GIVE_UP_MS = 86_400_000;
const AT_ONCE = 200;
const MESSAGES_AT_ONCE = 20;
/** How often it is looked for alerts to try again, and for those of other services. */
const LOOK_MS = 5000;
/** While one process sends an alert, no other takes it for this long. */
const CLAIM_MS = 60_000;
/**
 * How long after a message the next one to the same person waits, in ms, by how many came before in a row: what happens
 * meanwhile is told together.
 */
const PACES_MS = [2000, 10_000, 60_000, 180_000];
/** An urgent one waits no longer than this. */
const URGENT_PACE_MS = 10_000;
/** How soon it is looked again for one that is being sent. */
const UNDER_WAY_MS = 300;
/** The longest time between two tries, in ms. */
const LONGEST_REST_MS = 600_000;
/** Quiet for so long, the row of messages is over. */
const ROW_OVER_MS = 600_000;

export interface Outbox {
  wake(): void;
  stop(): Promise<void>;
}

interface Claimed {
  messageId: string;
  channel: string;
  recipient: string;
}

/**
 * Takes what is due, in a transaction of its own that is committed before anything is sent: what goes to one person by one channel
 * becomes one message with a number that stays its own at every try.
 */
async function claim(connection: Connection): Promise<Claimed[]> {
  const now = clockNow();
  const rows = (await connection.query(
    `SELECT id, channel, recipient, messageId FROM alerts
      WHERE state = 'waiting' AND dueAt <= ? ORDER BY dueAt, id LIMIT ? FOR UPDATE SKIP LOCKED`,
    [now, AT_ONCE],
  )) as Pick<AlertRow, 'id' | 'channel' | 'recipient' | 'messageId'>[];
  const claimed = new Map<string, Claimed>();
  const looked = new Set<string>();
  for (const { id, channel, recipient, messageId } of rows) {
    if (claimed.size >= MESSAGES_AT_ONCE) break;
    if (messageId !== null) {
      // A try more of a message that was claimed before.
      if (!claimed.has(messageId)) await take(connection, 'messageId = ?', [messageId], messageId, now);
      claimed.set(messageId, { messageId, channel, recipient });
      continue;
    }
    if (channelOf(channel)?.alone) {
      const own = randomUUID();
      await take(connection, 'id = ?', [id], own, now);
      claimed.set(own, { messageId: own, channel, recipient });
      continue;
    }
    const key = `${channel} ${recipient}`;
    if (looked.has(key)) continue;
    looked.add(key);
    const mine = "messageId IS NULL AND channel = ? AND recipient = ? AND state = 'waiting' AND dueAt <= ?";
    const behind = await behindOf(connection, channel, recipient, now);
    // Read without a lock: an event that is just being written is as urgent as it was.
    const urgent = async (): Promise<boolean> => {
      const found = (await connection.query(
        `SELECT 1 FROM alerts WHERE ${mine} AND EXISTS (SELECT 1 FROM events e WHERE e.id = alerts.eventId AND e.severity = 'urgent') LIMIT 1`,
        [channel, recipient, now],
      )) as unknown[];
      return found.length > 0;
    };
    const free = behind ?? (await freeAt(connection, channel, recipient, urgent, now));
    if (free > now) {
      await connection.query(`UPDATE alerts SET dueAt = ? WHERE ${mine}`, [free, channel, recipient, now]);
      continue;
    }
    const own = randomUUID();
    await take(connection, mine, [channel, recipient, now], own, now);
    claimed.set(own, { messageId: own, channel, recipient });
  }
  return [...claimed.values()];
}

async function take(
  connection: Connection,
  where: string,
  values: unknown[],
  messageId: string,
  now: number,
): Promise<void> {
  await connection.query(
    `UPDATE alerts SET messageId = ?, attempts = attempts + 1, dueAt = ? WHERE ${where} AND state = 'waiting'`,
    [messageId, now + CLAIM_MS, ...values],
  );
}

/** Until when what is told to somebody waits for a message before it that has not gone out: all arrives in order. Null for none. */
async function behindOf(
  connection: Connection,
  channel: string,
  recipient: string,
  now: number,
): Promise<number | null> {
  const [before] = (await connection.query(
    "SELECT dueAt, error FROM alerts WHERE channel = ? AND recipient = ? AND state = 'waiting' AND messageId IS NOT NULL ORDER BY dueAt LIMIT 1",
    [channel, recipient],
  )) as Pick<AlertRow, 'dueAt' | 'error'>[];
  if (before === undefined) return null;
  // One that is just being sent is soon done; one that failed goes first when it is tried again.
  return before.error === '' ? now + UNDER_WAY_MS : Math.max(now, Number(before.dueAt)) + 50;
}

/** When the next message may go to somebody; where that is now, the one after it waits. */
async function freeAt(
  connection: Connection,
  channel: string,
  recipient: string,
  urgent: () => Promise<boolean>,
  now: number,
): Promise<number> {
  const [pace] = (await connection.query(
    'SELECT nextAt, burst FROM alertPaces WHERE channel = ? AND recipient = ? FOR UPDATE',
    [channel, recipient],
  )) as { nextAt: number; burst: number }[];
  const nextAt = Number(pace?.nextAt ?? 0);
  const burst = pace === undefined || now - nextAt > ROW_OVER_MS ? 0 : Number(pace.burst);
  if (nextAt > now && nextAt - now <= PACES_MS.at(-1)!) {
    const since = nextAt - PACES_MS[Math.min(burst, PACES_MS.length) - 1]!;
    const free = (await urgent()) ? Math.min(nextAt, since + URGENT_PACE_MS) : nextAt;
    if (free > now) return free;
  }
  await connection.query('REPLACE INTO alertPaces (channel, recipient, nextAt, burst) VALUES (?, ?, ?, ?)', [
    channel,
    recipient,
    now + PACES_MS[Math.min(burst, PACES_MS.length - 1)]!,
    Math.min(burst + 1, PACES_MS.length),
  ]);
  return now;
}

/**
 * Sends alerts from the outbox, each by its channel; one that fails is tried again, ever later, and its error is kept. `sole`: no
 * other service sends from it, so what is claimed at the start was being sent when the one before ended, and is sent again at once.
 */
export function startOutbox(
  store: Store,
  senders: ReadonlyMap<string, Sender>,
  bus: Bus,
  log: Logger,
  sole: boolean,
): Outbox {
  const { models } = store;
  let running: Promise<void> = Promise.resolve();
  let again = false;
  let stopped = false;
  let busy = false;
  let nextTimer: NodeJS.Timeout | undefined;

  const messageOf = async ({ messageId, recipient }: Claimed): Promise<Message | null> => {
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
    return {
      id: messageId,
      recipient,
      workspaceId: alerts[0]!.workspaceId,
      alerts: alerts.flatMap((alert) => {
        const event = events.get(alert.eventId);
        return event === undefined ? [] : [{ alert, event, rule: rules.get(alert.ruleId ?? 0) ?? null }];
      }),
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
      const outcome = await sender.send(message);
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
        last ? { state: 'failed', error: reason } : { error: reason, dueAt: Math.round(clockNow() + wait) },
        reason,
      );
      log.warn(
        { err: error, channel: claimed.channel, alerts: alerts.length, last },
        'an alert could not be sent',
      );
    }
    for (const { workspaceId, eventId } of alerts.slice(0, 20))
      bus.emit('live', { workspaceId, message: { type: 'changed', what: 'events', id: eventId } });
  };
  /** Wakes when the next waiting alert is due: gathered ones go out in time. */
  const planNext = async (): Promise<void> => {
    const [next] = (await store.withConnection((connection) =>
      connection.query("SELECT MIN(dueAt) AS at FROM alerts WHERE state = 'waiting'"),
    )) as { at: number | null }[];
    clearTimeout(nextTimer);
    if (next?.at == null || stopped) return;
    const wait = Number(next.at) - clockNow();
    if (wait < LOOK_MS) nextTimer = setTimeout(wake, Math.max(20, wait + 5));
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
  const pass = async (): Promise<void> => {
    await takeOver();
    do {
      again = false;
      const [any] = (await store.withConnection((connection) =>
        connection.query("SELECT 1 FROM alerts WHERE state = 'waiting' AND dueAt <= ? LIMIT 1", [clockNow()]),
      )) as unknown[];
      if (any === undefined) break;
      const claimed = await inRawTransaction(store, claim);
      // What goes to one place goes one after the other: what is wanted last of a control is what it gets.
      const places = new Map<string, Claimed[]>();
      for (const one of claimed) {
        const place = `${one.channel} ${one.recipient.split('=')[0]}`;
        places.set(place, [...(places.get(place) ?? []), one]);
      }
      await Promise.all(
        [...places.values()].map(async (row) => {
          for (const one of row)
            await send(one).catch((error: Error) =>
              log.warn({ err: error }, 'what came of an alert could not be kept'),
            );
        }),
      );
      again ||= claimed.length > 0;
    } while (again && !stopped);
    await planNext();
  };
  const wake = (): void => {
    again = true;
    if (busy || stopped) return;
    busy = true;
    running = pass()
      .then(
        () => wentOn('Sending alerts'),
        (error: Error) => {
          stoodStill('Sending alerts', error);
          log.debug({ err: error }, 'alerts wait');
        },
      )
      .finally(() => (busy = false));
  };
  const timer = setInterval(wake, LOOK_MS);
  return {
    wake,
    async stop() {
      stopped = true;
      clearInterval(timer);
      clearTimeout(nextTimer);
      await running;
      for (const sender of senders.values()) sender.close();
    },
  };
}
