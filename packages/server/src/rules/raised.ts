import { indexNames, refusal, showDuration, type Fact, type KeyedFact, type Refusal } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import { Op } from 'sequelize';
import type { JournalWriter } from '../journal/writer';
import type { DeviceEntry } from '../registry';
import type { EventRow, RuleRow } from '../store/models';
import { listIn } from '../store/rows';
import type { Store } from '../store/store';
import { queueActions } from '../alerts/actions';
import { queueAlerts } from '../alerts/telling';
import { whom } from './definition';
import { insertEvent, newEvent, openEventOf, sentenceOf } from './events';
import type { FactRule } from './watches';
import { now as clockNow } from '../clock';

const LONGEST_TEXT = 300;

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
          [Op.or]: [{ deviceRowId: entry.rowId }, { kindId: entry.kindId }, { label: [...entry.labels] }],
        } as never,
      });
      if (!known.some(({ streamKey }) => streamKey === key)) return unknownEvent(entry, key, known);
      await journal.ready();
      journal.addFact(entry.workspaceId, {
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
  { rule, condition, entry }: FactRule & { entry: DeviceEntry },
  { kind, key, text, at }: KeyedFact,
): Promise<EventRow[]> {
  const facts = condition.sort.facts!;
  if (kind === facts.closes) {
    const open = await openEventOf(connection, rule.id, entry.rowId);
    if (open === null) return [];
    await connection.query('UPDATE events SET closedAt = ?, openKey = NULL WHERE id = ?', [at, open.id]);
    await queueAlerts(connection, rule, open, 'closed', {
      subject: `closed: ${rule.title} (${entry.name})`,
      text: [facts.closed(key, entry.name, showDuration(at - open.openedAt)), ...(text ? [text] : [])].join(
        '\n',
      ),
    });
    await queueActions(connection, rule, open, 'closed');
    return [{ ...open, closedAt: at }];
  }
  const sentence = sentenceOf(rule, whom(rule, entry), entry.streams, () => undefined);
  const event = await insertEvent(connection, {
    ...newEvent(rule, entry, at),
    sentence: (text === ''
      ? sentence
      : `${sentence} ${kind === 'raised' ? `The device says: ${text}` : `${text}.`}`
    ).slice(0, 1000),
    value: null,
    extreme: null,
  });
  if (event === null) return [];
  await queueAlerts(connection, rule, event, 'opened', {
    subject: `${rule.severity}: ${rule.title} (${entry.name})`,
    text: [facts.opened(key, entry.name), ...(text ? [text] : []), '', sentence].join('\n'),
  });
  await queueActions(connection, rule, event, 'opened');
  return [event];
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
  const nearest = indexNames(keys.map((one) => ({ key: one, aliases: [], pin: null }))).nearest(key);
  const hint =
    nearest === undefined
      ? `No event of this key is defined for ${entry.name}; there ${list.length === 1 ? 'is' : 'are'} ${list.join(', ')}.`
      : `No event of this key is defined for ${entry.name}. The nearest is "${nearest}".`;
  return refusal(key, 'unknown-event', hint);
}
