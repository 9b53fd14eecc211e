import type { Connection } from 'mariadb';
import { now as clockNow } from '../clock';
import { moreOf } from '../rules/definition';
import type { AlertPhase, AlertRow, EventRow, MuteRow, RuleRow } from '../store/models';
import { readRecipients, recipientBy, type Recipient } from './channels';
import type { Manner } from './manner';
import { once, reach, type Reached, type Read } from './reaching';

/** What an alert says. */
export interface Wording {
  subject: string;
  text: string;
}

const HOUR_MS = 3_600_000;
/** How long an alert of a rule that steers waits for what becomes of that, in ms. */
const DONE_MS = 1500;
const URGENT_DONE_MS = 500;

/** What is told when a mute is over, where its event is still open. */
const TOLD_LATER: ReadonlySet<AlertPhase> = new Set(['opened', 'escalated']);

/** The mute that keeps a device's events of a rule from alerting anybody just now; null for none. */
export async function muteOf(
  connection: Connection,
  read: Read,
  rule: Pick<RuleRow, 'id' | 'workspaceId'>,
  deviceRowId: number,
): Promise<MuteRow | null> {
  const mutes = await once(
    read,
    `mutes ${rule.workspaceId}`,
    async () =>
      (await connection.query('SELECT * FROM mutes WHERE workspaceId = ? AND until > ?', [
        rule.workspaceId,
        clockNow(),
      ])) as MuteRow[],
  );
  if (mutes.length === 0) return null;
  const [device] = (await connection.query('SELECT id, kindId, labels FROM devices WHERE rowId = ?', [
    deviceRowId,
  ])) as { id: string; kindId: number; labels: string }[];
  const labels = new Set(JSON.parse(device?.labels ?? '[]') as string[]);
  return (
    mutes.find(({ sort, target }) =>
      sort === 'rule'
        ? target === String(rule.id)
        : sort === 'device'
          ? target === device?.id
          : sort === 'kind'
            ? target === String(device?.kindId)
            : labels.has(target),
    ) ?? null
  );
}

/** What of a rule says whom it tells, and of what. */
export type Telling = Pick<RuleRow, 'id' | 'workspaceId' | 'recipients' | 'severity' | 'more'>;

/**
 * Puts what a rule has to tell of an event into the outbox, in the caller's transaction: a row for each person and channel,
 * each in the units, language and zone of whom it is for. What does not go out (muted, too many in an hour, an address that did not agree) is a row all the same, and says why.
 */
export async function queueAlerts(
  connection: Connection,
  rule: Telling,
  event: Pick<EventRow, 'id' | 'deviceRowId'>,
  phase: AlertPhase,
  wording: Wording | ((manner: Manner) => Wording),
  recipients: readonly Recipient[] = readRecipients(rule.recipients),
  read: Read = new Map(),
): Promise<void> {
  const now = clockNow();
  const { mostAlerts, escalateTo, actions } = moreOf(rule);
  const steers = actions.length > 0 && (phase === 'opened' || phase === 'closed');
  // What was done should stand in it.
  const notBefore = steers ? now + (rule.severity === 'urgent' ? URGENT_DONE_MS : DONE_MS) : now;
  // Whoever was told because nobody acknowledged hears of its end too.
  const all =
    phase === 'closed' && escalateTo !== null
      ? [...recipients, recipientBy('person', escalateTo)]
      : recipients;
  let reached = all.length === 0 ? [] : await reach(connection, read, { ...rule, recipients: all });
  if (phase === 'closed') {
    // Whoever was not told that it opened need not hear that it is over.
    const told = (await connection.query(
      "SELECT DISTINCT channel, recipient, userId FROM alerts WHERE eventId = ? AND state IN ('waiting', 'sent')",
      [event.id],
    )) as Pick<AlertRow, 'channel' | 'recipient' | 'userId'>[];
    const keys = new Set(told.map(({ channel, recipient }) => `${channel} ${recipient}`));
    // Another way may have stood in.
    const people = new Set(
      told.flatMap(({ channel, userId }) => (channel === 'control' ? [] : (userId ?? []))),
    );
    reached = reached.filter(
      ({ channel, recipient, userId }) =>
        keys.has(`${channel} ${recipient}`) || (userId !== null && people.has(userId)),
    );
  }
  if (phase === 'reminder' && reached.length > 0) {
    // One that is on its way reminds already: an outage piles up none.
    const waiting = (await connection.query(
      "SELECT DISTINCT channel, recipient FROM alerts WHERE eventId = ? AND state = 'waiting'",
      [event.id],
    )) as Pick<AlertRow, 'channel' | 'recipient'>[];
    const keys = new Set(waiting.map(({ channel, recipient }) => `${channel} ${recipient}`));
    reached = reached.filter(({ channel, recipient }) => !keys.has(`${channel} ${recipient}`));
  }
  const mute = reached.length === 0 ? null : await muteOf(connection, read, rule, event.deviceRowId);
  const stopped =
    reached.length === 0
      ? new Set<string>()
      : await once(read, `stops ${rule.id}`, () => stoppedOf(connection, rule.id));
  const recent =
    reached.length === 0
      ? new Map<string, number>()
      : await once(read, `recent ${rule.id}`, () => recentOf(connection, rule.id, now));
  const rows = reached.map((one): Reached => {
    if (one.state !== 'waiting') return one;
    if (mute !== null)
      return {
        ...one,
        at: Number(mute.until),
        state: 'muted',
        why: `Muted by ${mute.madeBy}${mute.reason === '' ? '' : `: ${mute.reason}`}.`,
      };
    if (stopped.has(one.recipient))
      return { ...one, state: 'stopped', why: 'No more alerts of this rule were asked for.' };
    // The end of what was told is told all the same.
    if (phase !== 'closed' && (recent.get(`${one.channel} ${one.recipient}`) ?? 0) >= mostAlerts)
      return {
        ...one,
        state: 'held',
        why: `More than ${mostAlerts} within an hour: the rule sends no more.`,
      };
    return one;
  });
  // A reminder that is kept back is not written down: there may be one every second.
  const kept = phase === 'reminder' ? rows.filter(({ state }) => state === 'waiting') : rows;
  if (kept.length === 0) return;
  const written = new Map<string, Wording>();
  const wordingFor = (manner: Manner): Wording => {
    if (typeof wording !== 'function') return wording;
    const known = written.get(manner.name) ?? wording(manner);
    written.set(manner.name, known);
    return known;
  };
  await insertAlerts(
    connection,
    kept.map(({ channel, recipient, userId, at, state, why, manner }) => ({
      workspaceId: rule.workspaceId,
      eventId: event.id,
      ruleId: rule.id,
      userId,
      channel,
      recipient,
      phase,
      subject: wordingFor(manner).subject.slice(0, 200),
      text: wordingFor(manner).text,
      state,
      // Only what opens is told when a mute is over; nothing else of it is looked at again.
      dueAt: state !== 'muted' ? Math.max(at, notBefore) : TOLD_LATER.has(phase) ? at : 0,
      queuedAt: now,
      error: why,
    })),
  );
}

/** Who asked for no more alerts of a rule. */
async function stoppedOf(connection: Connection, ruleId: number): Promise<Set<string>> {
  const rows = (await connection.query('SELECT recipient FROM alertStops WHERE ruleId = ?', [ruleId])) as {
    recipient: string;
  }[];
  return new Set(rows.map(({ recipient }) => recipient));
}

/** Messages of a rule in the last hour, however many events each told of; none where one is gathered that the next goes with. */
async function recentOf(connection: Connection, ruleId: number, now: number): Promise<Map<string, number>> {
  const rows = (await connection.query(
    `SELECT channel, recipient, COUNT(DISTINCT messageId) AS messages, SUM(messageId IS NULL) AS gathering FROM alerts
      WHERE ruleId = ? AND queuedAt > ? AND phase <> 'closed' AND state IN ('waiting', 'sent') GROUP BY channel, recipient`,
    [ruleId, now - HOUR_MS],
  )) as { channel: string; recipient: string; messages: number; gathering: number }[];
  return new Map(
    rows.map(({ channel, recipient, messages, gathering }) => [
      `${channel} ${recipient}`,
      Number(gathering) > 0 ? 0 : Number(messages),
    ]),
  );
}

type NewAlert = Omit<AlertRow, 'id' | 'attempts' | 'sentAt' | 'messageId' | 'triedAt' | 'stoodIn'>;

/** Writes rows of the outbox. */
export async function insertAlerts(connection: Connection, rows: readonly NewAlert[]): Promise<void> {
  await connection.batch(
    `INSERT INTO alerts (workspaceId, eventId, ruleId, userId, channel, recipient, phase, subject, text, state, attempts, dueAt, queuedAt, error)
      VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 0, ?, ?, ?)`,
    rows.map((row) => [
      row.workspaceId,
      row.eventId,
      row.ruleId,
      row.userId,
      row.channel,
      row.recipient.slice(0, 254),
      row.phase,
      row.subject,
      row.text,
      row.state,
      row.dueAt,
      row.queuedAt,
      row.error,
    ]),
  );
}

/** How often it reminds and when the next person is told, for an event that opened. */
export function plannedOf(
  rule: Pick<RuleRow, 'more'>,
  openedAt: number,
): Pick<EventRow, 'remindAt' | 'escalateAt'> {
  const { repeatMs, escalateMs } = moreOf(rule);
  return {
    remindAt: repeatMs === null ? null : openedAt + repeatMs,
    escalateAt: escalateMs === null ? null : openedAt + escalateMs,
  };
}
