import { randomUUID } from 'node:crypto';
import type { Connection } from 'mariadb';
import { now as clockNow } from '../clock';
import type { AlertRow } from '../store/models';
import { channelOf } from './channels';

/** Alerts that are looked at for one claim. */
const AT_ONCE = 200;
/** While one process sends an alert, no other takes it for this long; whatever is being sent has ended by then. */
export const CLAIM_MS = 60_000;
/**
 * How long after a message the next one to the same person waits, in ms, by how many came before in a row: what happens
 * meanwhile is told together.
 */
const PACES_MS = [2000, 10_000, 60_000, 180_000];
/** An urgent one waits no longer than this. */
const URGENT_PACE_MS = 10_000;
/** How soon it is looked again for one that is being sent. */
const UNDER_WAY_MS = 300;
/** Quiet for so long, the row of messages is over. */
const ROW_OVER_MS = 600_000;

/** One message that is to be sent. */
export interface Claimed {
  messageId: string;
  channel: string;
  recipient: string;
  workspaceId: number;
  urgent: boolean;
}

/** What a look at a channel came to. */
export interface Look {
  claimed: Claimed[];
  /** True where something is due that was locked at this moment, by whoever else looks or writes: it is looked for again soon. */
  missed: boolean;
}

/** What may be claimed just now of a channel. */
export interface Room {
  channel: string;
  /** Places that something is being sent to: what comes next for them waits. */
  busy: readonly string[];
  /** How many of each workspace are being sent. */
  underWay: ReadonlyMap<number, number>;
  /** How many of one workspace may be; what is urgent goes all the same. */
  each: number;
  /** How many more may be claimed, and how many that are urgent. */
  free: number;
  freeUrgent: number;
}

/**
 * Where an alert goes: of a control without the value, so that its values come one after the other. To somebody, what is urgent goes
 * beside all else, and waits for nothing that is not.
 */
export const placeOf = ({
  channel,
  recipient,
  urgent,
}: Pick<Claimed, 'channel' | 'recipient' | 'urgent'>): string =>
  channel === 'control' ? recipient.split('=', 1)[0]! : urgent ? `!${recipient}` : recipient;
const CONTROL = "SUBSTRING_INDEX(a.recipient, '=', 1)";
const URGENT = "(COALESCE(e.severity = 'urgent', 0) OR a.phase = 'undone')";
const PLACE = `IF(a.channel = 'control', ${CONTROL}, IF(${URGENT}, CONCAT('!', a.recipient), a.recipient))`;
const WITH_EVENTS = 'alerts a LEFT JOIN events e ON e.id = a.eventId';

interface Candidate {
  id: number;
  recipient: string;
  messageId: string | null;
  workspaceId: number;
  urgent: number;
}

/**
 * Takes what is due of a channel, in a transaction of its own that is committed before anything is sent, the urgent first: what goes to one
 * person by one channel becomes one message with a number that stays its own at every try.
 */
export async function claim(
  connection: Connection,
  { channel, busy, underWay, each, free, freeUrgent }: Room,
): Promise<Look> {
  const now = clockNow();
  const full = [...underWay].flatMap(([workspaceId, count]) => (count >= each ? [workspaceId] : []));
  // Read without a lock: an event that is just being written is as urgent as it was.
  const candidates = (await connection.query(
    `SELECT a.id, a.recipient, a.messageId, a.workspaceId, ${URGENT} AS urgent FROM ${WITH_EVENTS}
      WHERE a.state = 'waiting' AND a.channel = ? AND a.dueAt <= ?
        ${busy.length > 0 ? `AND ${PLACE} NOT IN (?)` : ''}
        ${free <= 0 ? `AND ${URGENT}` : full.length > 0 ? `AND (a.workspaceId NOT IN (?) OR ${URGENT})` : ''}
      ORDER BY urgent DESC, a.dueAt, a.id LIMIT ?`,
    [
      channel,
      now,
      ...(busy.length > 0 ? [busy] : []),
      ...(free > 0 && full.length > 0 ? [full] : []),
      AT_ONCE,
    ],
  )) as Candidate[];
  if (candidates.length === 0) return { claimed: [], missed: false };
  const mineNow = (await connection.query(
    "SELECT id FROM alerts WHERE id IN (?) AND state = 'waiting' AND dueAt <= ? FOR UPDATE SKIP LOCKED",
    [candidates.map(({ id }) => id), now],
  )) as { id: number }[];
  const mine = new Set(mineNow.map(({ id }) => Number(id)));
  const alone = channelOf(channel)?.alone === true;
  const claimed = new Map<string, Claimed>();
  const of = (workspaceId: number): number =>
    (underWay.get(workspaceId) ?? 0) +
    [...claimed.values()].filter((one) => one.workspaceId === workspaceId).length;
  for (const one of candidates) {
    if (claimed.size >= freeUrgent) break;
    const { id, recipient, messageId, workspaceId } = one;
    const urgent = Number(one.urgent) === 1;
    const place = placeOf({ channel, recipient, urgent });
    if (!mine.has(Number(id)) || claimed.has(place)) continue;
    if (!urgent && (claimed.size >= free || of(workspaceId) >= each)) continue;
    const message = { channel, recipient, workspaceId, urgent };
    if (messageId !== null) {
      // A try more of a message that was claimed before.
      await take(connection, 'messageId = ?', [messageId], messageId, now);
      claimed.set(place, { ...message, messageId });
      continue;
    }
    const own = randomUUID();
    if (alone) {
      if (await isBehind(connection, channel, place, Number(id), now)) continue;
      await take(connection, 'id = ?', [id], own, now);
      claimed.set(place, { ...message, messageId: own });
      continue;
    }
    // Of one message is all that waits for somebody; what is urgent goes by itself.
    const [which, values]: [string, unknown[]] = urgent
      ? [
          'id IN (?)',
          [candidates.flatMap((each) => (isWith(each, one) && mine.has(Number(each.id)) ? each.id : []))],
        ]
      : ['channel = ? AND recipient = ? AND dueAt <= ?', [channel, recipient, now]];
    const where = `${which} AND messageId IS NULL AND state = 'waiting'`;
    const behind = await behindOf(connection, { channel, recipient, urgent }, now);
    const freeFrom = behind ?? (await freeAt(connection, channel, recipient, urgent, now));
    if (freeFrom > now)
      await connection.query(`UPDATE alerts SET dueAt = ? WHERE ${where}`, [freeFrom, ...values]);
    else {
      await take(connection, where, values, own, now);
      claimed.set(place, { ...message, messageId: own });
    }
  }
  return { claimed: [...claimed.values()], missed: candidates.some(({ id }) => !mine.has(Number(id))) };
}

/** True for two that are urgent, for the same receiver, and go with no message yet. */
const isWith = (one: Candidate, other: Candidate): boolean =>
  one.recipient === other.recipient && Number(one.urgent) === 1 && one.messageId === null;

async function take(
  connection: Connection,
  where: string,
  values: unknown[],
  messageId: string,
  now: number,
): Promise<void> {
  await connection.query(
    `UPDATE alerts SET messageId = ?, attempts = attempts + 1, dueAt = ?, triedAt = COALESCE(triedAt, ?) WHERE ${where} AND state = 'waiting'`,
    [messageId, now + CLAIM_MS, now, ...values],
  );
}

/** True where an older one for the same place is being sent, perhaps by another service: this one waits a moment. */
async function isBehind(
  connection: Connection,
  channel: string,
  place: string,
  id: number,
  now: number,
): Promise<boolean> {
  const under = (await connection.query(
    `SELECT 1 FROM alerts a WHERE a.channel = ? AND a.state = 'waiting' AND a.id < ? AND ${CONTROL} = ? AND a.messageId IS NOT NULL AND a.error = '' LIMIT 1`,
    [channel, id, place],
  )) as unknown[];
  if (under.length === 0) return false;
  await connection.query('UPDATE alerts SET dueAt = ? WHERE id = ?', [now + UNDER_WAY_MS, id]);
  return true;
}

/** Until when what is told to somebody waits for a message before it that has not gone out: all arrives in order. Null for none. */
async function behindOf(
  connection: Connection,
  { channel, recipient, urgent }: Pick<Claimed, 'channel' | 'recipient' | 'urgent'>,
  now: number,
): Promise<number | null> {
  const [before] = (await connection.query(
    `SELECT a.dueAt, a.error FROM ${WITH_EVENTS}
      WHERE a.channel = ? AND a.recipient = ? AND a.state = 'waiting' AND a.messageId IS NOT NULL AND ${URGENT} = ? ORDER BY a.dueAt LIMIT 1`,
    [channel, recipient, urgent],
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
  urgent: boolean,
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
    const free = urgent ? Math.min(nextAt, since + URGENT_PACE_MS) : nextAt;
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
