import type { Connection } from 'mariadb';
import { now as clockNow } from '../clock';
import { moreOf } from '../rules/definition';
import type { EventRow } from '../store/models';
import { insertAlerts, queueAlerts, type Telling } from './telling';

/**
 * How often a rule wants something of one control without waiting: so often within so many ms. Beyond that once in a while, so that rules
 * that set off each other cost little; what was wanted last comes to the control in any case.
 */
const AT_ONCE = 6;
const WITHIN_MS = 600_000;
const APART_MS = 30_000;

const NEWER = 'Something newer was wanted of this control before its time came.';
const WHY = `More than ${AT_ONCE} times within ${WITHIN_MS / 60_000} min: once in ${APART_MS / 1000} s now. Two rules may set off each other, or the limits for opening and closing lie too near.`;

/** Puts what a rule wants of controls into the outbox, and tells those whom it alerts where that has to wait. */
export async function queueActions(
  connection: Connection,
  rule: Telling,
  event: Pick<EventRow, 'id' | 'deviceRowId' | 'title'>,
  phase: 'opened' | 'closed',
): Promise<void> {
  for (const { on, device, stream, value } of moreOf(rule).actions) {
    if (on !== phase) continue;
    const now = clockNow();
    const place = `${device ?? event.deviceRowId}/${stream}`;
    const dueAt = await timeFor(connection, rule.id, place, now);
    await insertAlerts(connection, [
      {
        workspaceId: rule.workspaceId,
        eventId: event.id,
        ruleId: rule.id,
        userId: null,
        channel: 'control',
        recipient: `${place}=${value}`,
        phase,
        subject: event.title.slice(0, 200),
        text: '',
        state: 'waiting',
        dueAt,
        queuedAt: now,
        error: dueAt > now ? WHY : '',
      },
    ]);
    if (dueAt > now) await tellThatItWaits(connection, rule, event, { place, value, waitMs: dueAt - now });
  }
}

/** When a control may be told what is wanted now, epoch ms. What still waits for its time gives way to it. */
async function timeFor(connection: Connection, ruleId: number, place: string, now: number): Promise<number> {
  const mine = "ruleId = ? AND channel = 'control' AND SUBSTRING_INDEX(recipient, '=', 1) = ?";
  await connection.query(
    `UPDATE alerts SET state = 'held', error = ? WHERE ${mine} AND state = 'waiting' AND messageId IS NULL AND dueAt > ?`,
    [NEWER, ruleId, place, now],
  );
  const before = (await connection.query(
    `SELECT COALESCE(sentAt, GREATEST(queuedAt, LEAST(dueAt, ?))) AS at FROM alerts
      WHERE ${mine} AND state IN ('waiting', 'sent') AND queuedAt > ? ORDER BY at DESC LIMIT ?`,
    [now, ruleId, place, now - WITHIN_MS - APART_MS, AT_ONCE],
  )) as { at: number }[];
  const times = before.map(({ at }) => Number(at)).filter((at) => at > now - WITHIN_MS);
  return times.length < AT_ONCE ? now : Math.max(now, times[0]! + APART_MS);
}

async function tellThatItWaits(
  connection: Connection,
  rule: Telling,
  event: Pick<EventRow, 'id' | 'deviceRowId' | 'title'>,
  { place, value, waitMs }: { place: string; value: string; waitMs: number },
): Promise<void> {
  const [told] = (await connection.query(
    "SELECT 1 FROM alerts WHERE ruleId = ? AND phase = 'held' AND queuedAt > ? LIMIT 1",
    [rule.id, clockNow() - WITHIN_MS],
  )) as unknown[];
  if (told !== undefined) return;
  const [device, key] = place.split('/');
  const [control] = (await connection.query(
    'SELECT d.name, s.title FROM devices d JOIN streams s ON s.kindId = d.kindId WHERE d.workspaceId = ? AND d.rowId = ? AND s.`key` = ?',
    [rule.workspaceId, Number(device), key],
  )) as { name: string; title: string }[];
  const what = control === undefined ? key! : `${control.title} of ${control.name}`;
  await queueAlerts(connection, rule, event, 'held', {
    subject: `steers too often: ${event.title} (${what})`,
    text: `${event.title} has steered ${what} ${AT_ONCE} times within ${WITHIN_MS / 60_000} min. From now on it does so once in ${APART_MS / 1000} s at the most. "${value}" is wanted of it in ${Math.ceil(waitMs / 1000)} s, unless something else is wanted until then.\n\nThe limits for opening and closing may lie too near each other, or two rules set off each other.`,
  });
}
