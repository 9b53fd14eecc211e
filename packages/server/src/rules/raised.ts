import { refusal, showDuration, type Fact, type KeyedFact, type Refusal } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import { Op } from 'sequelize';
import type { JournalWriter } from '../journal/writer';
import type { DeviceEntry } from '../registry';
import type { EventRow, RuleRow } from '../store/models';
import { listIn } from '../store/rows';
import type { Store } from '../store/store';
import { insertEvent, openEventOf, queueAlerts, whom, type Happened } from './events';
import { now as clockNow } from '../clock';

const LONGEST_TEXT = 300;
/** Mails that events of one rule and device may cause in a minute; what opens beyond is written down all the same. */
const MOST_ALERTS = 6;
const ALERTS_WITHIN_MS = 60_000;

type Raised = Extract<Fact, { kind: 'raised' | 'cleared' }>;

/** Events that a device opens and closes itself. */
export interface RaisedEvents {
  /** Journals that a device raises or clears a key; refuses one that no rule of the device or its kind knows. Resolves once it is durable. */
  say(entry: DeviceEntry, kind: Raised['kind'], key: string, text: string): Promise<Refusal | null>;
}

export function createRaisedEvents(store: Store, journal: JournalWriter): RaisedEvents {
  return {
    async say(entry, kind, key, text) {
      const known = await listIn(store.models.rules, entry.workspaceId, {
        where: {
          sort: 'raised',
          active: true,
          [Op.or]: [{ deviceRowId: entry.rowId }, { kindId: entry.kindId }],
        } as never,
      });
      if (!known.some(({ streamKey }) => streamKey === key)) return unknownEvent(entry, key, known);
      await journal.ready();
      journal.addFact({
        kind,
        device: entry.rowId,
        at: clockNow(),
        key,
        text: text.slice(0, LONGEST_TEXT),
      });
      await new Promise<void>((resolve) => journal.onDurable(() => resolve()));
      return null;
    },
  };
}

/** Opens or closes the event of a rule for a fact that it watches, in the transaction of the one who reads the journal. */
export async function writeFact(
  connection: Connection,
  { rule, condition, entry }: Pick<Happened, 'rule' | 'condition' | 'entry'>,
  { kind, key, text, at }: KeyedFact,
): Promise<EventRow[]> {
  const facts = condition.sort.facts!;
  if (kind === facts.closes) {
    const open = await openEventOf(connection, rule.id, entry.rowId);
    if (open === null) return [];
    await connection.query('UPDATE events SET closedAt = ?, openKey = NULL WHERE id = ?', [at, open.id]);
    await tell(connection, rule, open, 'closed', {
      subject: `closed: ${rule.title} (${entry.name})`,
      text: [facts.closed(key, entry.name, showDuration(at - open.openedAt)), ...(text ? [text] : [])].join(
        '\n',
      ),
    });
    return [{ ...open, closedAt: at }];
  }
  const stream = entry.streams.find((one) => one.key === key);
  const sentence = condition.sort.sentence(condition.settings, { stream, key, whom: whom(rule, entry) });
  const event = await insertEvent(connection, {
    workspaceId: rule.workspaceId,
    ruleId: rule.id,
    deviceRowId: entry.rowId,
    title: rule.title,
    sentence: (text === ''
      ? sentence
      : `${sentence} ${kind === 'raised' ? `The device says: ${text}` : `${text}.`}`
    ).slice(0, 400),
    severity: rule.severity,
    deviceName: entry.name,
    deviceId: entry.id,
    streamKey: key,
    openedAt: at,
    closedAt: null,
    value: 0,
    extreme: 0,
    acknowledgedAt: null,
    acknowledgedBy: '',
  });
  if (event === null) return [];
  await tell(connection, rule, event, 'opened', {
    subject: `${rule.severity}: ${rule.title} (${entry.name})`,
    text: [facts.opened(key, entry.name), ...(text ? [text] : []), '', sentence].join('\n'),
  });
  return [event];
}

/** Puts alerts into the outbox, while the device does not cause a flood of them. */
async function tell(
  connection: Connection,
  rule: RuleRow,
  event: EventRow,
  phase: 'opened' | 'closed',
  { subject, text }: { subject: string; text: string },
): Promise<void> {
  if (rule.recipients.length === 0) return;
  const [row] = (await connection.query(
    `SELECT COUNT(DISTINCT a.eventId, a.phase) AS count FROM events e JOIN alerts a ON a.eventId = e.id
      WHERE e.ruleId = ? AND e.deviceRowId = ? AND e.openedAt > ?`,
    [rule.id, event.deviceRowId, event.openedAt - ALERTS_WITHIN_MS],
  )) as { count: number }[];
  if (Number(row!.count) >= MOST_ALERTS) return;
  await queueAlerts(connection, rule, event, phase, { subject: subject.slice(0, 200), text });
}

function unknownEvent(entry: DeviceEntry, key: string, known: readonly RuleRow[]): Refusal {
  const keys = [...new Set(known.map(({ streamKey }) => streamKey))];
  if (keys.length === 0)
    return refusal(
      key,
      'unknown-event',
      `No event rule of ${entry.name} is raised by the device. Write one under Events, with the key "${key.slice(0, 40)}".`,
    );
  const list = keys.slice(0, 12).map((one) => `"${one}"`);
  const hint = `No event of this key is defined for ${entry.name}; there ${list.length === 1 ? 'is' : 'are'} ${list.join(', ')}.`;
  return refusal(key, 'unknown-event', hint);
}
