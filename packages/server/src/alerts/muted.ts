import type { Connection } from 'mariadb';
import { now as clockNow } from '../clock';
import type { AlertRow, EventRow, RuleRow } from '../store/models';
import { findOne } from '../store/rows';
import { inRawTransaction, type Store } from '../store/store';
import { quietOf } from './reaching';
import { muteOf } from './telling';

const AT_ONCE = 100;

/**
 * Tells what opened during a mute or a pause that is over now, where it is still open and nobody acknowledged it: once, and that it was
 * muted. What is over by then is never told. Gives how many went into the outbox.
 */
export async function tellWhatWasMuted(store: Store): Promise<number> {
  const rows = await store.withConnection(
    async (connection) =>
      (await connection.query(
        "SELECT * FROM alerts WHERE state = 'muted' AND dueAt > 0 AND dueAt <= ? ORDER BY dueAt LIMIT ?",
        [clockNow(), AT_ONCE],
      )) as AlertRow[],
  );
  let told = 0;
  for (const row of rows) {
    const { workspaceId } = row;
    const event = await findOne(store.models.events, { id: row.eventId, workspaceId });
    const rule = event && (await findOne(store.models.rules, { id: event.ruleId, workspaceId }));
    const change = await inRawTransaction(store, async (connection) => {
      const next =
        event === null ||
        rule === null ||
        !rule.active ||
        event.closedAt !== null ||
        event.acknowledgedAt !== null
          ? { dueAt: 0 }
          : await asOfNow(connection, row, event, rule);
      const names = Object.keys(next);
      await connection.query(
        // Another node may have done so already; and what closes at this moment is looked at once more.
        `UPDATE alerts a LEFT JOIN events e ON e.id = a.eventId SET ${names.map((name) => `a.${name} = ?`).join(', ')}
          WHERE a.id = ? AND a.state = 'muted' AND a.dueAt = ? ${'state' in next ? 'AND e.closedAt IS NULL AND e.acknowledgedAt IS NULL' : ''}`,
        [...Object.values(next), row.id, row.dueAt],
      );
      return next;
    });
    if ('state' in change) told++;
  }
  return told;
}

/** What becomes of an alert whose mute may be over: it waits for another mute or pause, or goes out. */
async function asOfNow(
  connection: Connection,
  row: AlertRow,
  event: EventRow,
  rule: RuleRow,
): Promise<Partial<AlertRow>> {
  const now = clockNow();
  const mute = await muteOf(connection, new Map(), rule, event.deviceRowId);
  const { manner, pausedUntil, quiet } = await quietOf(connection, {
    workspaceId: row.workspaceId,
    userId: row.userId,
    severity: rule.severity,
  });
  const until = Math.max(mute === null ? 0 : Number(mute.until), pausedUntil ?? 0);
  if (until > now) return { dueAt: until };
  const since = `open since ${manner.since(Number(event.openedAt), now)}, while muted`;
  return {
    state: 'waiting',
    dueAt: quiet ?? now,
    error: quiet === null ? '' : 'Quiet hours of this person.',
    subject: `${since}: ${row.subject}`.slice(0, 200),
    text: `${since.charAt(0).toUpperCase()}${since.slice(1)}.\n${row.text}`,
  };
}

/** Mutes of a workspace, or the pause of a person, are others now: what they kept back is looked at again. */
export const lookAtMuted = (
  connection: Connection,
  of: { workspaceId: number } | { userId: number },
): Promise<unknown> => {
  const now = clockNow();
  const [[name, value]] = Object.entries(of) as [[string, number]];
  return connection.query(`UPDATE alerts SET dueAt = ? WHERE state = 'muted' AND dueAt > ? AND ${name} = ?`, [
    now,
    now,
    value,
  ]);
};
