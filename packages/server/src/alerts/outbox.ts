import type { Logger } from 'pino';
import type { Bus } from '../bus';
import type { AlertRow } from '../store/models';
import type { Store } from '../store/store';
import { CannotBeSent, type Sender } from './channels';
import { now as clockNow } from '../clock';

const MOST_ATTEMPTS = 8;
const AT_ONCE = 20;
/** How often it is looked for alerts to try again, and for those of other services. */
const LOOK_MS = 5000;
/** While one process sends an alert, no other takes it for this long. */
const CLAIM_MS = 60_000;

export interface Outbox {
  wake(): void;
  stop(): Promise<void>;
}

/** Sends alerts from the outbox, each by its channel; one that fails is tried again, ever later, and its error is kept. */
export function startOutbox(
  store: Store,
  senders: ReadonlyMap<string, Sender>,
  bus: Bus,
  log: Logger,
): Outbox {
  let running: Promise<void> = Promise.resolve();
  let again = false;
  let stopped = false;

  const claim = (): Promise<AlertRow[]> =>
    store.withConnection(async (connection) => {
      const now = clockNow();
      const [any] = (await connection.query(
        "SELECT 1 FROM alerts WHERE state = 'waiting' AND dueAt <= ? LIMIT 1",
        [now],
      )) as unknown[];
      if (any === undefined) return [];
      await connection.beginTransaction();
      const rows = (await connection.query(
        "SELECT * FROM alerts WHERE state = 'waiting' AND dueAt <= ? ORDER BY dueAt LIMIT ? FOR UPDATE SKIP LOCKED",
        [now, AT_ONCE],
      )) as AlertRow[];
      if (rows.length > 0)
        await connection.query(
          `UPDATE alerts SET attempts = attempts + 1, dueAt = ? WHERE id IN (${rows.map(({ id }) => id).join(',')})`,
          [now + CLAIM_MS],
        );
      await connection.commit();
      return rows;
    });
  const settle = (row: AlertRow, change: Partial<AlertRow>): Promise<unknown> =>
    store.models.alerts.update(change, { where: { id: row.id } });

  const send = async (row: AlertRow): Promise<void> => {
    try {
      const sender = senders.get(row.channel);
      if (sender === undefined) throw new CannotBeSent(`Alerts by ${row.channel} are not known here.`);
      await sender.send(row);
      await settle(row, { state: 'sent', sentAt: clockNow(), error: '' });
    } catch (error) {
      const reason = (error as Error).message.slice(0, 300);
      const last = error instanceof CannotBeSent || row.attempts + 1 >= MOST_ATTEMPTS;
      await settle(row, {
        state: last ? 'failed' : 'waiting',
        error: reason,
        dueAt: clockNow() + Math.min(3_600_000, 5000 * 3 ** row.attempts),
      });
      log.warn({ err: error, alert: row.id, channel: row.channel, last }, 'an alert could not be sent');
    }
    bus.emit('live', {
      workspaceId: row.workspaceId,
      message: { type: 'changed', what: 'events', id: row.eventId },
    });
  };
  const pass = async (): Promise<void> => {
    do {
      again = false;
      const rows = await claim();
      await Promise.all(rows.map(send));
      again ||= rows.length === AT_ONCE;
    } while (again && !stopped);
  };
  let busy = false;
  const wake = (): void => {
    again = true;
    if (busy || stopped) return;
    busy = true;
    running = pass()
      .catch((error: Error) => log.debug({ err: error }, 'alerts wait'))
      .finally(() => (busy = false));
  };
  const timer = setInterval(wake, LOOK_MS);
  return {
    wake,
    async stop() {
      stopped = true;
      clearInterval(timer);
      await running;
      for (const sender of senders.values()) sender.close();
    },
  };
}
