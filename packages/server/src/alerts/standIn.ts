import type { Connection } from 'mariadb';
import type { AlertChoices, StandIn } from '@peatmoor/contract';
import { now as clockNow } from '../clock';
import type { AlertRow, EventRow, RuleRow } from '../store/models';
import { inRawTransaction, type Store } from '../store/store';
import { recipientBy } from './channels';
import { choicesOf, isUsable } from './reaching';
import { insertAlerts, queueAlerts, type Telling } from './telling';

const MINUTE_MS = Number(process.env.TESTS_MINUTE_MS ?? 60_000);
const AT_ONCE = 100;

const CHANNELS: Record<string, string> = { email: 'Email', push: 'Push', webhook: 'The webhook' };
/** What has a receiver elsewhere that may refuse it: pages that are open and controls have none. */
const SENT_AWAY = Object.keys(CHANNELS);

interface Person {
  name: string;
  email: string;
  hasPhone: number;
  alertChoices: string;
}

/** An alert as what stands in for it is worked out from. */
type Failed = Pick<
  AlertRow,
  | 'id'
  | 'workspaceId'
  | 'eventId'
  | 'ruleId'
  | 'userId'
  | 'channel'
  | 'recipient'
  | 'phase'
  | 'subject'
  | 'text'
>;

async function personOf(
  connection: Connection,
  { workspaceId, userId }: Failed,
): Promise<(Person & { choices: AlertChoices }) | null> {
  const [row] = (await connection.query(
    "SELECT u.name, COALESCE(u.email, '') AS email, u.alertChoices, EXISTS (SELECT 1 FROM pushPlaces p WHERE p.userId = u.id) AS hasPhone FROM memberships m JOIN users u ON u.id = m.userId WHERE m.workspaceId = ? AND m.userId = ?",
    [workspaceId, userId],
  )) as Person[];
  return row === undefined
    ? null
    : { ...row, choices: choicesOf(JSON.parse(row.alertChoices || '{}') as Partial<AlertChoices>) };
}

/**
 * What one message could not bring, or has not brought in time, goes to its person the next way, in the caller's transaction; and owners
 * of the workspace are told, once until something gets through there again.
 */
export async function standIn(
  connection: Connection,
  alerts: readonly Failed[],
  reason: string,
): Promise<void> {
  const [first] = alerts;
  if (first === undefined || !SENT_AWAY.includes(first.channel)) return;
  const person = first.userId === null ? null : await personOf(connection, first);
  let next: StandIn | undefined;
  let reached = false;
  if (person !== null)
    for (const alert of alerts) {
      const others = (await connection.query(
        'SELECT channel, state, stoodIn FROM alerts WHERE eventId = ? AND phase = ? AND userId = ? AND workspaceId = ?',
        [alert.eventId, alert.phase, alert.userId, alert.workspaceId],
      )) as Pick<AlertRow, 'channel' | 'state' | 'stoodIn'>[];
      // Another way has brought it, or may bring it yet.
      if (
        others.some(
          ({ channel, state, stoodIn }) =>
            channel !== alert.channel &&
            channel !== 'screen' &&
            (state === 'sent' || (state === 'waiting' && Number(stoodIn) === 0)),
        )
      ) {
        reached = true;
        continue;
      }
      const used = new Set(others.map(({ channel }) => channel));
      const way = person.choices.ways.order.find((one) => !used.has(one) && isUsable(one, person));
      if (way === undefined) continue;
      next = way;
      const now = clockNow();
      await insertAlerts(connection, [
        {
          workspaceId: alert.workspaceId,
          eventId: alert.eventId,
          ruleId: alert.ruleId,
          userId: alert.userId,
          channel: way,
          recipient: way === 'email' ? person.email : String(alert.userId),
          phase: alert.phase,
          subject: alert.subject,
          text: alert.text,
          state: 'waiting',
          dueAt: now,
          queuedAt: now,
          error: `${CHANNELS[alert.channel]} did not bring it: ${reason}`.slice(0, 300),
        },
      ]);
    }
  if (first.phase === 'unreached') return;
  const noWay = person !== null && next === undefined && !reached;
  await tellOwners(connection, first, { person, next, noWay, reason });
}

/** Tells owners that something does not get through, and which way it goes instead: once until it gets through again. */
async function tellOwners(
  connection: Connection,
  alert: Failed,
  {
    person,
    next,
    noWay,
    reason,
  }: { person: Person | null; next: StandIn | undefined; noWay: boolean; reason: string },
): Promise<void> {
  const { workspaceId, channel, recipient } = alert;
  const note = async (of: string, to: string): Promise<boolean> => {
    const { affectedRows } = (await connection.query(
      'INSERT IGNORE INTO unreached (workspaceId, channel, recipient, since, reason) VALUES (?, ?, ?, ?, ?)',
      [workspaceId, of, to, clockNow(), reason.slice(0, 300)],
    )) as { affectedRows: number };
    return affectedRows > 0;
  };
  const isNew = await note(channel, recipient);
  // Whoever no way is left to is a trouble of the service too.
  if (noWay) await note('', String(alert.userId));
  if (!isNew) return;
  const [rule] = (await connection.query('SELECT * FROM rules WHERE id = ? AND workspaceId = ?', [
    alert.ruleId,
    workspaceId,
  ])) as RuleRow[];
  const [event] = (await connection.query('SELECT * FROM events WHERE id = ? AND workspaceId = ?', [
    alert.eventId,
    workspaceId,
  ])) as EventRow[];
  if (rule === undefined || event === undefined) return;
  const whom =
    person !== null
      ? `${person.name} by ${channel === 'push' ? 'push' : `email (${recipient})`}`
      : channel === 'webhook'
        ? `the webhook ${await webhookTitle(connection, workspaceId, recipient)}`
        : recipient;
  const instead =
    next !== undefined
      ? `It goes by ${next} instead.`
      : noWay
        ? 'No other way is left: they hear of nothing until it is mended.'
        : person !== null
          ? 'Another way is used beside it.'
          : 'Nothing stands in for it.';
  await queueAlerts(
    connection,
    { ...rule, recipients: [], more: '{}' } as unknown as Telling,
    event,
    'unreached',
    {
      subject: `not told: ${whom}`.slice(0, 200),
      text: `An alert to ${whom} did not get through: ${reason} ${instead}\n\nIt was about ${event.title} (${event.deviceName}). This is told once, until something gets through there again.`,
    },
    [recipientBy('role', 'owner')],
  );
}

async function webhookTitle(connection: Connection, workspaceId: number, id: string): Promise<string> {
  const [row] = (await connection.query('SELECT title FROM webhooks WHERE workspaceId = ? AND id = ?', [
    workspaceId,
    Number(id) || 0,
  ])) as { title: string }[];
  return row?.title ?? id;
}

/** Something got through: what is wrong there next is told again. */
export async function gotThrough(
  connection: Connection,
  {
    workspaceId,
    channel,
    recipient,
    userId,
  }: Pick<AlertRow, 'workspaceId' | 'channel' | 'recipient' | 'userId'>,
): Promise<void> {
  if (!SENT_AWAY.includes(channel)) return;
  await connection.query(
    "DELETE FROM unreached WHERE workspaceId = ? AND ((channel = ? AND recipient = ?) OR (channel = '' AND recipient = ?))",
    [workspaceId, channel, recipient, String(userId ?? '')],
  );
}

/** What nobody has taken for longer than its person waits goes the next way too; it is tried further all the same. Gives how many. */
export async function standInForLate(store: Store): Promise<number> {
  const rows = await store.withConnection(
    async (connection) =>
      (await connection.query(
        `SELECT a.id, a.workspaceId, a.eventId, a.ruleId, a.userId, a.channel, a.recipient, a.phase, a.subject, a.text, a.triedAt, a.error, u.alertChoices
          FROM alerts a JOIN users u ON u.id = a.userId
          WHERE a.state = 'waiting' AND a.channel IN ('email', 'push') AND a.stoodIn = 0 AND a.triedAt <= ? ORDER BY a.id LIMIT ?`,
        [clockNow() - MINUTE_MS, AT_ONCE],
      )) as (Failed & Pick<AlertRow, 'triedAt' | 'error'> & { alertChoices: string })[],
  );
  let count = 0;
  for (const row of rows) {
    const { minutes } = choicesOf(JSON.parse(row.alertChoices || '{}') as Partial<AlertChoices>).ways;
    if (clockNow() - Number(row.triedAt) < minutes * MINUTE_MS) continue;
    await inRawTransaction(store, async (connection) => {
      // Of several services one does it.
      const { affectedRows } = (await connection.query(
        "UPDATE alerts SET stoodIn = 1 WHERE id = ? AND state = 'waiting' AND stoodIn = 0",
        [row.id],
      )) as { affectedRows: number };
      if (affectedRows === 0) return;
      count++;
      await standIn(
        connection,
        [row],
        `Nobody took it within ${minutes} min${row.error === '' ? '.' : `: ${row.error}`}`,
      );
    });
  }
  return count;
}
