import {
  fillText,
  readCondition,
  ruleSentence,
  showDuration,
  type Datastream,
  type Measured,
  type RulePlan,
  type SpokenCondition,
  type Transition,
} from '@peatmoor/core';
import type { Connection } from 'mariadb';
import { queueActions } from '../alerts/actions';
import type { Manner } from '../alerts/manner';
import type { Read } from '../alerts/reaching';
import { plannedOf, queueAlerts, type Wording } from '../alerts/telling';
import type { Bus } from '../bus';
import type { DeviceEntry } from '../registry';
import type { EventRow, RuleRow } from '../store/models';
import { definitionOf, moreOf, whom } from './definition';

/** A rule opened or closed for a device. */
export interface Happened {
  rule: RuleRow;
  plan: Pick<RulePlan, 'zone'>;
  entry: DeviceEntry;
  stream: Datastream | undefined;
  transition: Transition;
}

/** What other devices than the watched one are called, and what they measure, by row. */
export type Others = (rowId: number) => Pick<DeviceEntry, 'name' | 'streams'> | undefined;

/** A rule as a sentence, as it is for one of those it watches. */
export function sentenceOf(
  rule: Pick<RuleRow, 'sort' | 'settings' | 'streamKey' | 'more'>,
  whomWatched: string,
  streams: readonly Datastream[],
  others: Others,
  manner?: Manner,
): string {
  const definition = definitionOf(rule);
  const conditions = definition.conditions.flatMap(
    ({ sort, settings, stream, device }): SpokenCondition[] => {
      const condition = readCondition(sort, settings);
      if (condition === null) return [];
      const other = device === null ? undefined : others(device);
      const where = device === null ? streams : (other?.streams ?? []);
      const measured = where.find(({ key }) => key === stream);
      return [
        {
          condition,
          spoken: {
            stream: measured,
            ...(measured !== undefined && manner && { show: (value) => manner.reading(measured, value) }),
            key: stream,
            whom: device === null ? whomWatched : (other?.name ?? 'a device that is gone'),
          },
        },
      ];
    },
  );
  return conditions.length < definition.conditions.length
    ? 'A condition that is not known here.'
    : ruleSentence(conditions, definition);
}

const LONGEST_SENTENCE = 1000;
/** Events that pages are told of one by one. */
const MOST_NAMED = 20;

/** Opens and closes events and puts their alerts into the outbox, all in the caller's transaction. */
export async function writeTransitions(
  connection: Connection,
  happened: readonly Happened[],
  others: Others,
): Promise<EventRow[]> {
  const result: EventRow[] = [];
  const read: Read = new Map();
  for (const one of happened) {
    const event =
      one.transition.kind === 'opened' ? await open(connection, one, others) : await close(connection, one);
    if (event === null) continue;
    await queueAlerts(
      connection,
      one.rule,
      event,
      one.transition.kind,
      wording(one, event, others),
      undefined,
      read,
    );
    await queueActions(connection, one.rule, event, one.transition.kind);
    result.push(event);
  }
  return result;
}

/** What an event begins with, whatever opened it. */
export function newEvent(
  rule: RuleRow,
  entry: DeviceEntry,
  openedAt: number,
): Omit<EventRow, 'id' | 'sentence' | 'value' | 'extreme'> {
  return {
    workspaceId: rule.workspaceId,
    ruleId: rule.id,
    deviceRowId: entry.rowId,
    title: rule.title,
    severity: rule.severity,
    deviceName: entry.name,
    deviceId: entry.id,
    streamKey: rule.streamKey,
    openedAt,
    closedAt: null,
    acknowledgedAt: null,
    acknowledgedBy: '',
    remark: '',
    closedBy: '',
    ...plannedOf(rule, openedAt),
  };
}

async function open(
  connection: Connection,
  { rule, entry, transition }: Happened,
  others: Others,
): Promise<EventRow | null> {
  return insertEvent(connection, {
    ...newEvent(rule, entry, transition.at),
    sentence: sentenceOf(rule, whom(rule, entry), entry.streams, others).slice(0, LONGEST_SENTENCE),
    value: transition.value,
    extreme: transition.extreme,
  });
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
    'UPDATE events SET extreme = ? WHERE openKey = ? AND NOT (extreme <=> ?)',
    [extreme, `${ruleId}:${deviceRowId}`, extreme],
  )) as { affectedRows: number };
  const event = affectedRows === 0 ? null : await openEventOf(connection, ruleId, deviceRowId);
  return event === null ? [] : [event];
}

/** Closes one event at a time, by hand; null where it is closed already or gone. */
export async function closeEvent(
  connection: Connection,
  { event: id, at, by = '', remark = '' }: { event: number; at: number; by?: string; remark?: string },
): Promise<EventRow | null> {
  const { affectedRows } = (await connection.query(
    "UPDATE events SET closedAt = ?, openKey = NULL, closedBy = ?, remark = IF(? = '', remark, ?) WHERE id = ? AND closedAt IS NULL",
    [at, by, remark, remark, id],
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

/** How a rule's value is called where it is made of several readings, or says where something is; undefined where it is the reading. */
export function measuredBy(
  rule: RuleRow,
  stream: Datastream | undefined,
  device: string,
  { reading }: Pick<Manner, 'reading'>,
): (value: number) => Measured | undefined {
  const { conditions } = definitionOf(rule);
  // Of several conditions it is not said here whose value it is.
  const { sort, settings } =
    (conditions.length === 1 && readCondition(conditions[0]!.sort, conditions[0]!.settings)) || {};
  return (value) =>
    stream === undefined
      ? undefined
      : sort?.measured?.(settings!, value, {
          of: `${stream.title} of ${device}`,
          show: (one) => reading(stream, one),
        });
}

/** What is said of an event that opened or closed, in the manner of whom it is said to. */
const wording =
  ({ rule, entry, stream, transition }: Happened, event: EventRow, others: Others) =>
  (manner: Manner): Wording => {
    const { when, reading: written } = manner;
    const opened = transition.kind === 'opened';
    const measured = measuredBy(rule, stream, entry.name, manner);
    const sentence = sentenceOf(rule, whom(rule, entry), entry.streams, others, manner);
    const show = (value: number | null): string =>
      value === null
        ? ''
        : stream === undefined || rule.sort === 'refused'
          ? String(value)
          : (measured(value)?.short ?? written(stream, value));
    const reading = show(transition.value);
    const named = transition.value === null ? undefined : measured(transition.value)?.sentence;
    const about = [entry.name, reading].filter((part) => part !== '').join(', ');
    const subject = opened
      ? `${rule.severity}: ${rule.title} (${about})`
      : `closed: ${rule.title} (${about})`;
    const { message } = moreOf(rule);
    const said = fillText(message, {
      value: reading,
      device: entry.name,
      datastream: stream?.title ?? rule.streamKey,
      rule: rule.title,
      severity: rule.severity,
      since: when(event.openedAt),
    });
    const what =
      stream === undefined || reading === ''
        ? `${entry.name}: ${rule.title}`
        : `${stream.title} of ${entry.name}`;
    const lines = opened
      ? [
          said !== ''
            ? said
            : (named ?? (reading === '' || stream === undefined ? `${what}.` : `${what} is ${reading}.`)),
          `Opened ${when(event.openedAt)}.`,
        ]
      : [
          reading === '' || stream === undefined
            ? `${what}: over.`
            : named === undefined
              ? `${what} is back: ${reading}.`
              : `It is back. ${named}`,
          `Opened ${when(event.openedAt)}, closed ${when(transition.at)}, after ${showDuration(transition.at - event.openedAt)}.`,
          ...(transition.extreme === null || stream === undefined
            ? []
            : [`Peak value meanwhile: ${show(transition.extreme)}.`]),
        ];
    return {
      subject: subject.slice(0, 200),
      text: [...lines, '', opened ? sentence : event.sentence].join('\n'),
    };
  };

/** Tells the pages of the workspace. */
export function announceEvents(bus: Bus, events: readonly EventRow[]): void {
  const workspaces = new Map<number, number[]>();
  for (const { workspaceId, id } of events)
    workspaces.set(workspaceId, [...(workspaces.get(workspaceId) ?? []), id]);
  for (const [workspaceId, ids] of workspaces)
    // A page that hears of many reads its lists once all the same.
    for (const id of ids.length > MOST_NAMED ? ids.slice(-1) : ids)
      bus.emit('live', { workspaceId, message: { type: 'changed', what: 'events', id } });
}
