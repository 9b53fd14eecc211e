import { type ReadyCondition, showDuration, showReading, type Transition, whomWatched } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import { readRecipients } from '../alerts/channels';
import type { Bus } from '../bus';
import type { DeviceEntry, DeviceStream } from '../registry';
import type { EventRow, RuleRow } from '../store/models';
import { now as clockNow } from '../clock';

/** A rule opened or closed for a device. */
export interface Happened {
  rule: RuleRow;
  condition: ReadyCondition;
  entry: DeviceEntry;
  stream: DeviceStream;
  transition: Transition;
}

/** Whom a rule watches, as its sentence says it. */
export function whom(rule: Pick<RuleRow, 'kindId'>, entry: Pick<DeviceEntry, 'name' | 'kindTitle'>): string {
  return whomWatched(rule.kindId === null ? entry.name : null, entry.kindTitle);
}

/** Opens and closes events and puts their alerts into the outbox, all in the caller's transaction. */
export async function writeTransitions(
  connection: Connection,
  happened: readonly Happened[],
): Promise<EventRow[]> {
  const result: EventRow[] = [];
  for (const one of happened) {
    const event =
      one.transition.kind === 'opened' ? await open(connection, one) : await close(connection, one);
    if (event === null) continue;
    await addAlerts(connection, one, event);
    result.push(event);
  }
  return result;
}

async function open(
  connection: Connection,
  { rule, condition, entry, stream, transition }: Happened,
): Promise<EventRow | null> {
  const spoken = { stream, key: rule.streamKey, whom: whom(rule, entry) };
  const event: Omit<EventRow, 'id'> = {
    workspaceId: rule.workspaceId,
    ruleId: rule.id,
    deviceRowId: entry.rowId,
    title: rule.title,
    sentence: condition.sort.sentence(condition.settings, spoken).slice(0, 400),
    severity: rule.severity,
    deviceName: entry.name,
    deviceId: entry.id,
    streamKey: stream.key,
    openedAt: transition.at,
    closedAt: null,
    value: transition.value,
    extreme: transition.extreme,
    acknowledgedAt: null,
    acknowledgedBy: '',
  };
  return insertEvent(connection, event);
}

/**
 * Writes an open event; null where one of this rule and device is open already: a key that only open events have keeps
 * it to one, whoever else writes.
 */
export async function insertEvent(
  connection: Connection,
  event: Omit<EventRow, 'id'>,
): Promise<EventRow | null> {
  const row = { ...event, openKey: `${event.ruleId}:${event.deviceRowId}` };
  const names = Object.keys(row);
  const made = (await connection.query(
    `INSERT IGNORE INTO events (${names.join(',')}) VALUES (${names.map(() => '?').join(',')})`,
    Object.values(row),
  )) as { insertId: number; affectedRows: number };
  return made.affectedRows === 0 ? null : { ...event, id: Number(made.insertId) };
}

/** The open event of a rule and device, if there is one. */
export async function openEventOf(
  connection: Connection,
  ruleId: number,
  deviceRowId: number,
): Promise<EventRow | null> {
  const [event] = (await connection.query('SELECT * FROM events WHERE openKey = ?', [
    `${ruleId}:${deviceRowId}`,
  ])) as EventRow[];
  return event ?? null;
}

async function close(
  connection: Connection,
  { rule, entry, transition }: Happened,
): Promise<EventRow | null> {
  const event = await openEventOf(connection, rule.id, entry.rowId);
  if (event === null) return null;
  const closedAt = transition.at;
  await connection.query('UPDATE events SET closedAt = ?, extreme = ?, openKey = NULL WHERE id = ?', [
    closedAt,
    transition.extreme,
    event.id,
  ]);
  return { ...event, closedAt, extreme: transition.extreme };
}

/** Notes how far an open event went; nothing where it is known already. */
export async function noteExtreme(
  connection: Connection,
  ruleId: number,
  deviceRowId: number,
  extreme: number,
): Promise<EventRow[]> {
  const { affectedRows } = (await connection.query(
    'UPDATE events SET extreme = ? WHERE openKey = ? AND extreme <> ?',
    [extreme, `${ruleId}:${deviceRowId}`, extreme],
  )) as { affectedRows: number };
  const event = affectedRows === 0 ? null : await openEventOf(connection, ruleId, deviceRowId);
  return event === null ? [] : [event];
}

/** Closes one event at a time, by hand; null where it is closed already or gone. */
export async function closeEvent(connection: Connection, id: number, at: number): Promise<EventRow | null> {
  const { affectedRows } = (await connection.query(
    'UPDATE events SET closedAt = ?, openKey = NULL WHERE id = ? AND closedAt IS NULL',
    [at, id],
  )) as { affectedRows: number };
  if (affectedRows === 0) return null;
  const [event] = (await connection.query('SELECT * FROM events WHERE id = ?', [id])) as EventRow[];
  return event ?? null;
}

/** Closes what a rule has opened: it is no longer what it was. */
export async function closeOfRule(connection: Connection, ruleId: number, at: number): Promise<void> {
  await connection.query(
    'UPDATE events SET closedAt = ?, openKey = NULL WHERE ruleId = ? AND closedAt IS NULL',
    [at, ruleId],
  );
}

async function addAlerts(connection: Connection, happened: Happened, event: EventRow): Promise<void> {
  const { rule, transition } = happened;
  if (rule.recipients.length === 0) return;
  await queueAlerts(connection, rule, event, transition.kind, wording(happened, event));
}

/** Puts one alert for each recipient of a rule into the outbox. */
export async function queueAlerts(
  connection: Connection,
  rule: Pick<RuleRow, 'workspaceId' | 'recipients'>,
  event: Pick<EventRow, 'id'>,
  phase: 'opened' | 'closed',
  { subject, text }: { subject: string; text: string },
): Promise<void> {
  await connection.batch(
    'INSERT INTO alerts (workspaceId, eventId, channel, recipient, phase, subject, text, state, attempts, dueAt, error) VALUES (?, ?, ?, ?, ?, ?, ?, ?, 0, ?, ?)',
    readRecipients(rule.recipients).map(({ channel, to }) => [
      rule.workspaceId,
      event.id,
      channel,
      to,
      phase,
      subject,
      text,
      'waiting',
      clockNow(),
      '',
    ]),
  );
}

function wording(
  { rule, entry, stream, transition }: Happened,
  event: EventRow,
): { subject: string; text: string } {
  const opened = transition.kind === 'opened';
  const reading = showReading(stream, transition.value);
  const when = (at: number): string => `${new Date(at).toISOString().slice(0, 19).replace('T', ' ')} UTC`;
  const subject = opened
    ? `${rule.severity}: ${rule.title} (${entry.name}, ${reading})`
    : `closed: ${rule.title} (${entry.name}, ${reading})`;
  const lines = opened
    ? [`${stream.title} of ${entry.name} is ${reading}.`, `Opened ${when(event.openedAt)}.`]
    : [
        `${stream.title} of ${entry.name} is back: ${reading}.`,
        `Opened ${when(event.openedAt)}, closed ${when(transition.at)}, after ${showDuration(transition.at - event.openedAt)}.`,
        `Furthest value meanwhile: ${showReading(stream, transition.extreme)}.`,
      ];
  return { subject: subject.slice(0, 200), text: [...lines, '', event.sentence].join('\n') };
}

/** Tells the pages of the workspace. */
export function announceEvents(bus: Bus, events: readonly EventRow[]): void {
  for (const event of events)
    bus.emit('live', {
      workspaceId: event.workspaceId,
      message: { type: 'changed', what: 'events', id: event.id },
    });
}
