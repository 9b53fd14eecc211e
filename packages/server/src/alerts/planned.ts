import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import { now as clockNow } from '../clock';
import { moreOf } from '../rules/definition';
import type { EventRow, RuleRow } from '../store/models';
import { findOne } from '../store/rows';
import { inRawTransaction, type Store } from '../store/store';
import { recipientBy } from './channels';
import { tellWhatWasMuted } from './muted';
import { queueAlerts } from './telling';
import { stoodStill, wentOn } from '../standing';

/** How long it rests at the most: another service may have opened an event that is to be reminded of. */
const REST_MS = 5000;
/** How long it rests at the least. */
const LEAST_MS = 250;
const AT_ONCE = 100;

export interface Planned {
  /** Events may have opened: their first reminder may be due soon. */
  wake(): void;
  stop(): Promise<void>;
}

type Column = 'remindAt' | 'escalateAt';

/**
 * Reminds of events that are still open, and tells the next person of those that nobody acknowledged. Of several services the one
 * that moves an event's time on, in the transaction that writes the alerts, is the one that tells.
 */
export function startPlanned(store: Store, onAlerts: () => void, log: Logger): Planned {
  let stopped = false;
  let under: Promise<unknown> = Promise.resolve();
  let timer: NodeJS.Timeout | undefined;
  let plannedFor = Infinity;

  /** True where it is this service that tells: the time was as it was read. */
  const moveOn = async (
    connection: Connection,
    event: EventRow,
    column: Column,
    next: number | null,
  ): Promise<boolean> => {
    const { affectedRows } = (await connection.query(
      `UPDATE events SET ${column} = ? WHERE id = ? AND ${column} = ? AND closedAt IS NULL AND acknowledgedAt IS NULL`,
      [next, event.id, event[column]],
    )) as { affectedRows: number };
    return affectedRows === 1;
  };
  const tell = async (event: EventRow, rule: RuleRow, column: Column): Promise<void> => {
    const now = clockNow();
    const { repeatMs, escalateTo } = moreOf(rule);
    const next =
      column === 'remindAt' && repeatMs !== null ? nextAfter(event.remindAt!, repeatMs, now) : null;
    await inRawTransaction(store, async (connection) => {
      if (!(await moveOn(connection, event, column, next))) return;
      // All that it says of now is worked out when it is sent.
      const about = `${event.title} (${event.deviceName})`;
      const text = `${event.deviceName}: nobody has acknowledged it.\n\n${event.sentence}`;
      if (column === 'remindAt')
        await queueAlerts(connection, rule, event, 'reminder', {
          subject: `still open: ${about}`,
          text,
        });
      else if (escalateTo !== null)
        await queueAlerts(
          connection,
          rule,
          event,
          'escalated',
          { subject: `not acknowledged: ${about}`, text },
          [recipientBy('person', escalateTo)],
        );
    });
    onAlerts();
  };
  const look = async (): Promise<void> => {
    for (const column of ['remindAt', 'escalateAt'] as const) {
      const events = await store.withConnection(
        async (connection) =>
          (await connection.query(
            `SELECT * FROM events WHERE ${column} <= ? AND closedAt IS NULL AND acknowledgedAt IS NULL ORDER BY ${column} LIMIT ?`,
            [clockNow(), AT_ONCE],
          )) as EventRow[],
      );
      for (const event of events) {
        const rule = await findOne(store.models.rules, { id: event.ruleId, workspaceId: event.workspaceId });
        if (rule === null || !rule.active)
          await store.withConnection((connection) => moveOn(connection, event, column, null));
        else await tell(event, rule, column);
      }
    }
    if ((await tellWhatWasMuted(store)) > 0) onAlerts();
  };
  /** How long until something is due, in ms. */
  const restMs = async (): Promise<number> => {
    const first = (column: Column): string =>
      `(SELECT ${column} FROM events WHERE ${column} IS NOT NULL AND closedAt IS NULL AND acknowledgedAt IS NULL ORDER BY ${column} LIMIT 1)`;
    const [row] = await store.withConnection(
      async (connection) =>
        (await connection.query(
          `SELECT ${first('remindAt')} AS remind, ${first('escalateAt')} AS escalate`,
        )) as {
          remind: number | null;
          escalate: number | null;
        }[],
    );
    const due = Math.min(Number(row?.remind ?? Infinity), Number(row?.escalate ?? Infinity));
    return Math.max(LEAST_MS, Math.min(REST_MS, due - clockNow()));
  };
  const run = (): void => {
    plannedFor = Infinity;
    under = under
      .then(look)
      .then(restMs)
      .then((restMs) => (wentOn('Reminding and escalating'), restMs))
      .catch((error: Error) => {
        stoodStill('Reminding and escalating', error);
        log.debug({ err: error }, 'reminders wait');
        return REST_MS;
      })
      .then(plan);
  };
  /** Looks again in so many ms, or sooner where that was planned. */
  const plan = (ms: number): void => {
    const due = performance.now() + ms;
    if (stopped || due >= plannedFor) return;
    clearTimeout(timer);
    plannedFor = due;
    timer = setTimeout(run, ms);
  };
  plan(LEAST_MS);
  return {
    wake: () => plan(LEAST_MS),
    async stop() {
      stopped = true;
      clearTimeout(timer);
      await under;
    },
  };
}

/** The next time of a row that lies ahead: after an outage one reminder comes, not all that were missed. */
function nextAfter(at: number, every: number, now: number): number {
  return at + every * Math.max(1, Math.floor((now - at) / every) + 1);
}
