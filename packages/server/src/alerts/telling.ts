import { DateTime } from 'luxon';
import type { UnitSystem } from '@peatmoor/core';
import { USUAL_ALERT_CHOICES, type AlertChoices, type Severity } from '@peatmoor/contract';
import type { Connection } from 'mariadb';
import { now as clockNow } from '../clock';
import { moreOf } from '../rules/definition';
import type { AlertPhase, AlertRow, EventRow, MuteRow, RuleRow } from '../store/models';
import { readRecipients, recipientBy, type Recipient } from './channels';
import { mannerOf, type Manner, type Reader } from './manner';

/** What an alert says. */
export interface Wording {
  subject: string;
  text: string;
}

/** Somebody who is to be told, by one channel. */
interface Reached {
  channel: string;
  recipient: string;
  userId: number | null;
  /** Not before then, epoch ms. */
  at: number;
  state: AlertRow['state'];
  /** Why it does not go out, where it does not. */
  why: string;
  /** How it is written for them. */
  manner: Manner;
}

const HOUR_MS = 3_600_000;
/** How long an alert of a rule that steers waits for what becomes of that, in ms. */
const DONE_MS = 1500;
const URGENT_DONE_MS = 500;

interface MemberRow {
  userId: number;
  role: string;
  email: string;
  name: string;
  alertChoices: string;
  hasPhone: number;
  units: UnitSystem;
  choices: string;
}

/** How a person is alerted, with what they did not choose as usual. */
export function choicesOf(stored: Partial<AlertChoices>): AlertChoices {
  return {
    ...USUAL_ALERT_CHOICES,
    ...stored,
    channels: { ...USUAL_ALERT_CHOICES.channels, ...stored.channels },
    ways: { ...USUAL_ALERT_CHOICES.ways, ...stored.ways },
  };
}

/** Whether a way leads to somebody at all: pages may be open whenever. */
export const isUsable = (way: string, { email, hasPhone }: { email: string; hasPhone: number }): boolean =>
  way === 'push' ? Number(hasPhone) > 0 : way === 'email' ? email !== '' : true;

/** When quiet hours that a time lies in end, epoch ms; null where it lies in none. */
export function quietUntil(quiet: AlertChoices['quiet'], zone: string, now: number): number | null {
  if (quiet === null || quiet.from === quiet.to) return null;
  const local = DateTime.fromMillis(now, { zone });
  const minutes = local.hour * 60 + local.minute;
  const inside =
    quiet.from < quiet.to
      ? minutes >= quiet.from && minutes < quiet.to
      : minutes >= quiet.from || minutes < quiet.to;
  if (!inside) return null;
  const day = minutes < quiet.to ? local : local.plus({ days: 1 });
  return day
    .startOf('day')
    .set({ hour: Math.floor(quiet.to / 60), minute: quiet.to % 60 })
    .toMillis();
}

/** What was read once for several events of one transaction: a storm asks no more than one event. */
export type Read = Map<string, Promise<unknown>>;

function once<T>(read: Read, name: string, work: () => Promise<T>): Promise<T> {
  const known = read.get(name) as Promise<T> | undefined;
  if (known !== undefined) return known;
  const fresh = work();
  read.set(name, fresh);
  return fresh;
}

/** Everybody that a list of recipients comes to, and how each wants to be reached. */
async function reach(
  connection: Connection,
  read: Read,
  {
    workspaceId,
    severity,
    recipients,
  }: { workspaceId: number; severity: Severity; recipients: readonly Recipient[] },
): Promise<Reached[]> {
  const now = clockNow();
  const members = await once(
    read,
    `members ${workspaceId}`,
    async () =>
      (await connection.query(
        "SELECT m.userId, m.role, COALESCE(u.email, '') AS email, u.name, u.alertChoices, u.units, u.choices, EXISTS (SELECT 1 FROM pushPlaces p WHERE p.userId = u.id) AS hasPhone FROM memberships m JOIN users u ON u.id = m.userId WHERE m.workspaceId = ?",
        [workspaceId],
      )) as MemberRow[],
  );
  const zone = await once(read, `zone ${workspaceId}`, async () => {
    const [row] = (await connection.query('SELECT zone FROM workspaces WHERE id = ?', [workspaceId])) as {
      zone: string;
    }[];
    return row?.zone ?? 'UTC';
  });
  const manners = new Map<string, Manner>();
  /** People who read alike share one. */
  const manner = (reader: Reader): Manner => {
    const name = JSON.stringify([reader?.units, reader?.choices]);
    const known = manners.get(name) ?? mannerOf(reader, zone);
    manners.set(name, known);
    return known;
  };
  const people = new Map<number, MemberRow>();
  const result = new Map<string, Reached>();
  const add = (one: Reached): void => {
    const key = `${one.channel} ${one.recipient}`;
    if (!result.has(key)) result.set(key, one);
  };
  const addresses: string[] = [];
  for (const { channel, to } of recipients) {
    if (channel === 'person')
      for (const member of members) if (String(member.userId) === to) people.set(member.userId, member);
    if (channel === 'role')
      for (const member of members) if (member.role === to) people.set(member.userId, member);
    if (channel === 'webhook')
      add({ channel, recipient: to, userId: null, at: now, state: 'waiting', why: '', manner: manner(null) });
    if (channel !== 'email') continue;
    // An address of somebody here is that person.
    const member = members.find(({ email }) => email.toLowerCase() === to.toLowerCase());
    if (member === undefined) addresses.push(to);
    else people.set(member.userId, member);
  }
  for (const { userId, email, alertChoices, hasPhone, units, choices: reads } of people.values()) {
    const choices = choicesOf(JSON.parse(alertChoices || '{}') as Partial<AlertChoices>);
    const paused = choices.pausedUntil !== null && choices.pausedUntil > now;
    const quiet = severity === 'urgent' ? null : quietUntil(choices.quiet, zone, now);
    const usable = (way: string): boolean => isUsable(way, { email, hasPhone });
    const chosen = choices.channels[severity];
    // Where nothing of what they chose leads to them, what stands in does.
    const instead = chosen.length > 0 && !chosen.some(usable) ? choices.ways.order.find(usable) : undefined;
    const channels = instead === undefined ? chosen : [instead];
    for (const channel of channels) {
      // Nobody misses a phone that is not there while another way reaches them.
      const phoneless = channel === 'push' && Number(hasPhone) === 0;
      const mailless = channel === 'email' && email === '';
      if (phoneless && channels.includes('email') && email !== '') continue;
      if (mailless && channels.length > 1) continue;
      add({
        channel,
        recipient: channel === 'email' ? email : String(userId),
        userId,
        manner: manner({ units, choices: reads }),
        // What a pause keeps back is looked at again when it is over.
        at: paused ? choices.pausedUntil! : (quiet ?? now),
        state: paused ? 'muted' : phoneless || mailless ? 'failed' : 'waiting',
        why: paused
          ? 'This person has paused all alerts.'
          : phoneless
            ? 'No phone or browser of this person takes alerts. Add one under Your alerts.'
            : mailless
              ? 'This person has no email. They can add one under Settings.'
              : quiet !== null
                ? 'Quiet hours of this person.'
                : '',
      });
    }
  }
  if (addresses.length > 0) {
    const agreed = (await connection.query(
      'SELECT email FROM addresses WHERE workspaceId = ? AND confirmedAt IS NOT NULL AND email IN (?)',
      [workspaceId, addresses],
    )) as { email: string }[];
    const known = new Set(agreed.map(({ email }) => email.toLowerCase()));
    for (const to of addresses) {
      const confirmed = known.has(to.toLowerCase());
      add({
        channel: 'email',
        recipient: to,
        userId: null,
        manner: manner(null),
        at: now,
        state: confirmed ? 'waiting' : 'unconfirmed',
        why: confirmed ? '' : 'The address has not agreed yet, by the link it was sent.',
      });
    }
  }
  return [...result.values()];
}

/** What is told when a mute is over, where its event is still open. */
const TOLD_LATER: ReadonlySet<AlertPhase> = new Set(['opened', 'escalated']);

/** Until when somebody has paused all alerts, and until when quiet hours are for them just now, epoch ms; null for neither. */
export async function quietOf(
  connection: Connection,
  { workspaceId, userId, severity }: { workspaceId: number; userId: number | null; severity: Severity },
): Promise<{ manner: Manner; pausedUntil: number | null; quiet: number | null }> {
  const [row] = (await connection.query(
    "SELECT w.zone, COALESCE(u.alertChoices, '{}') AS alertChoices, COALESCE(u.units, 'metric') AS units, COALESCE(u.choices, '{}') AS choices FROM workspaces w LEFT JOIN users u ON u.id = ? WHERE w.id = ?",
    [userId, workspaceId],
  )) as { zone: string; alertChoices: string; units: UnitSystem; choices: string }[];
  const zone = row?.zone ?? 'UTC';
  const { pausedUntil, quiet } = choicesOf(JSON.parse(row?.alertChoices || '{}') as Partial<AlertChoices>);
  return {
    manner: mannerOf(row ?? null, zone),
    pausedUntil,
    quiet: userId === null || severity === 'urgent' ? null : quietUntil(quiet, zone, clockNow()),
  };
}

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
      "SELECT DISTINCT channel, recipient FROM alerts WHERE eventId = ? AND state IN ('waiting', 'sent')",
      [event.id],
    )) as Pick<AlertRow, 'channel' | 'recipient'>[];
    const keys = new Set(told.map(({ channel, recipient }) => `${channel} ${recipient}`));
    reached = reached.filter(({ channel, recipient }) => keys.has(`${channel} ${recipient}`));
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
