import type { CommandState } from '@peatmoor/core';
import type { Logger } from 'pino';
import { now as clockNow } from '../clock';
import { valueOf } from '../commands/life';
import type { DeviceEntry } from '../registry';
import type { CommandRow } from '../store/models';
import { findAll, findOne } from '../store/rows';
import { inRawTransaction, type Store } from '../store/store';
import type { Manner } from './manner';
import { queueAlerts } from './telling';

/** What became of something wanted, as an alert says it. */
const WORDS: Record<CommandState, string> = {
  waiting: 'the board has not been told yet',
  sent: 'the board has been told',
  applied: 'the board says that it did',
  confirmed: 'confirmed',
  'not-confirmed': 'not confirmed',
  refused: 'refused by the board',
  expired: 'over before it was told',
  'not-known': 'nobody knows whether it was done',
};
/** Values that one alert tells of. */
const MOST_TOLD = 6;
/** It is told again that something was not done after this, in ms: a board may refuse it every minute. */
const AGAIN_MS = 600_000;

const saidOf = ({ state, note }: Pick<CommandRow, 'state' | 'note'>): string =>
  `${WORDS[state]}${note === '' ? '' : ` (${note})`}`;

/**
 * What was done for events, a line for each value that was wanted, by the number of the event: "Pump told off at 14:02:11: confirmed". A
 * message may be of several workspaces: to somebody who is of each of them.
 */
export async function doneFor(
  store: Store,
  events: readonly { id: number; workspaceId: number }[],
  mannerIn: (zone: string) => Manner,
): Promise<Map<number, string[]>> {
  const { models } = store;
  const result = new Map<number, string[]>();
  const workspaceId = [...new Set(events.map((event) => event.workspaceId))];
  const eventId = events.map(({ id }) => id);
  const rows = await findAll(models.commands, {
    where: { workspaceId, eventId },
    order: ['id'],
    limit: 200,
  });
  if (rows.length === 0) return result;
  const streamIds = [...new Set(rows.map((row) => row.streamId))];
  const streams = await findAll(models.streams, { where: { workspaceId, id: streamIds } });
  const rowIds = [...new Set(rows.map((row) => row.deviceRowId))];
  const devices = await findAll(models.devices, {
    where: { workspaceId, rowId: rowIds },
    attributes: ['rowId', 'name'],
  });
  const workspaces = await findAll(models.workspaces, { where: { id: workspaceId } });
  for (const row of rows) {
    const stream = streams.find(({ id }) => id === row.streamId);
    const device = devices.find(({ rowId }) => rowId === row.deviceRowId);
    if (stream === undefined || device === undefined) continue;
    const { reading, clock } = mannerIn(workspaces.find(({ id }) => id === row.workspaceId)?.zone ?? 'UTC');
    const line = `${stream.title} of ${device.name} told ${reading(stream, valueOf(row))} at ${clock(row.createdAt)}: ${saidOf(row)}.`;
    result.set(row.eventId!, [...(result.get(row.eventId!) ?? []), line].slice(-MOST_TOLD));
  }
  return result;
}

/** Tells those whom a rule alerts, as urgent, that what it wanted was not done. */
export type TellUndone = (entry: DeviceEntry, row: CommandRow) => void;

export function createTellUndone(store: Store, onAlerts: () => void, log: Logger): TellUndone {
  const tell = async (entry: DeviceEntry, row: CommandRow): Promise<void> => {
    const event = await findOne(store.models.events, { id: row.eventId!, workspaceId: entry.workspaceId });
    const rule =
      event && (await findOne(store.models.rules, { id: event.ruleId, workspaceId: entry.workspaceId }));
    if (event === null || rule === null) return;
    const [before] = await findAll(store.models.alerts, {
      where: { eventId: event.id, phase: 'undone' },
      order: [['id', 'DESC']],
      limit: 1,
    });
    if (before !== undefined && clockNow() - before.queuedAt < AGAIN_MS) return;
    const stream = entry.streams.find(({ streamId }) => streamId === row.streamId);
    const wish = ({ reading }: Manner): string =>
      `${stream?.title ?? 'A control'} of ${entry.name} was told ${stream === undefined ? valueOf(row) : reading(stream, valueOf(row))}`;
    await inRawTransaction(store, (connection) =>
      queueAlerts(connection, { ...rule, severity: 'urgent' }, event, 'undone', (manner) => ({
        subject: `urgent: not done: ${event.title} (${stream?.title ?? ''} of ${entry.name})`,
        text: `${wish(manner)}: ${saidOf(row)}.\n\n${event.sentence}`,
      })),
    );
    onAlerts();
  };
  return (entry, row) =>
    void tell(entry, row).catch((error: Error) =>
      log.warn({ err: error, command: row.id }, 'nobody could be told that something was not done'),
    );
}
