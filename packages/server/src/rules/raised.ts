import { raisedSentence, refusal, showDuration, type Refusal } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import { Op } from 'sequelize';
import type { Bus } from '../bus';
import type { DeviceEntry } from '../registry';
import type { EventRow, RuleRow } from '../store/models';
import { listIn } from '../store/rows';
import { inRawTransaction, type Store } from '../store/store';
import { queueAlerts, whom } from './events';

const LONGEST_TEXT = 300;

/** Events that a device opens and closes itself. */
export interface RaisedEvents {
  /** Opens the event of a key, if it is not open; refuses a key that no rule of the device or its kind knows. */
  raise(entry: DeviceEntry, key: string, text: string): Promise<Refusal | null>;
  clear(entry: DeviceEntry, key: string, text: string): Promise<Refusal | null>;
}

export function createRaisedEvents(store: Store, bus: Bus, onAlerts: () => void): RaisedEvents {
  const rulesOf = async (entry: DeviceEntry): Promise<RuleRow[]> =>
    listIn(store.models.rules, entry.workspaceId, {
      where: {
        comparison: 'raised',
        active: true,
        [Op.or]: [{ deviceRowId: entry.rowId }, { kindId: entry.kindId }],
      } as never,
    });

  const change = async (
    entry: DeviceEntry,
    key: string,
    text: string,
    work: (connection: Connection, rule: RuleRow, note: string) => Promise<boolean>,
  ): Promise<Refusal | null> => {
    const known = await rulesOf(entry);
    const rules = known.filter(({ streamKey }) => streamKey === key);
    if (rules.length === 0) return unknownEvent(entry, key, known);
    const happened = await inRawTransaction(store, async (connection) => {
      // One at a time for each device, so that an event is not opened twice.
      await connection.query('SELECT rowId FROM devices WHERE rowId = ? FOR UPDATE', [entry.rowId]);
      const changes: boolean[] = [];
      for (const rule of rules) changes.push(await work(connection, rule, text.slice(0, LONGEST_TEXT)));
      return changes.some(Boolean);
    });
    if (happened) {
      bus.emit('live', { workspaceId: entry.workspaceId, message: { type: 'changed', what: 'events' } });
      onAlerts();
    }
    return null;
  };

  return {
    raise: (entry, key, text) =>
      change(entry, key, text, async (connection, rule, note) => {
        if ((await openEvent(connection, rule, entry)) !== undefined) return false;
        const now = Date.now();
        const sentence = raisedSentence(key, whom(rule, entry));
        const event: Omit<EventRow, 'id'> = {
          workspaceId: rule.workspaceId,
          ruleId: rule.id,
          deviceRowId: entry.rowId,
          title: rule.title,
          sentence: (note === '' ? sentence : `${sentence} The device says: ${note}`).slice(0, 400),
          severity: rule.severity,
          deviceName: entry.name,
          deviceId: entry.id,
          streamKey: key,
          openedAt: now,
          closedAt: null,
          value: 0,
          extreme: 0,
          acknowledgedAt: null,
          acknowledgedBy: '',
        };
        const names = Object.keys(event);
        const { insertId } = (await connection.query(
          `INSERT INTO events (${names.join(',')}) VALUES (${names.map(() => '?').join(',')})`,
          Object.values(event),
        )) as { insertId: number };
        await tell(connection, rule, insertId, 'opened', {
          subject: `${rule.severity}: ${rule.title} (${entry.name})`,
          text: [`${entry.name} raised "${key}".`, ...(note && [note]), '', sentence].join('\n'),
        });
        return true;
      }),
    clear: (entry, key, text) =>
      change(entry, key, text, async (connection, rule, note) => {
        const event = await openEvent(connection, rule, entry);
        if (event === undefined) return false;
        const now = Date.now();
        await connection.query('UPDATE events SET closedAt = ? WHERE id = ?', [now, event.id]);
        await tell(connection, rule, event.id, 'closed', {
          subject: `closed: ${rule.title} (${entry.name})`,
          text: [
            `${entry.name} cleared "${key}" after ${showDuration(now - event.openedAt)}.`,
            ...(note && [note]),
          ].join('\n'),
        });
        return true;
      }),
  };
}

async function openEvent(
  connection: Connection,
  rule: RuleRow,
  entry: DeviceEntry,
): Promise<EventRow | undefined> {
  const [event] = (await connection.query(
    'SELECT * FROM events WHERE workspaceId = ? AND ruleId = ? AND deviceRowId = ? AND closedAt IS NULL ORDER BY id DESC LIMIT 1',
    [rule.workspaceId, rule.id, entry.rowId],
  )) as EventRow[];
  return event;
}

async function tell(
  connection: Connection,
  rule: RuleRow,
  eventId: number,
  phase: 'opened' | 'closed',
  words: { subject: string; text: string },
): Promise<void> {
  if (rule.emails.length === 0) return;
  const { subject, text } = words;
  await queueAlerts(connection, rule, { id: Number(eventId) }, phase, {
    subject: subject.slice(0, 200),
    text,
  });
}

function unknownEvent(entry: DeviceEntry, key: string, known: readonly RuleRow[]): Refusal {
  const keys = [...new Set(known.map(({ streamKey }) => `"${streamKey}"`))];
  const hint =
    keys.length === 0
      ? `No event rule of ${entry.name} is raised by the device. Write one under Events, with the key "${key.slice(0, 40)}".`
      : `No event of this key is defined for ${entry.name}; there are ${keys.join(', ')}.`;
  return refusal(key, 'unknown-event', hint);
}
