import { fillText, showDuration } from '@peatmoor/core';
import { now as clockNow } from '../clock';
import { shownReading } from '../history/newest';
import { moreOf } from '../rules/definition';
import { measuredBy } from '../rules/events';
import type { AlertPhase, AlertRow, EventRow, RuleRow } from '../store/models';
import type { Recent } from '../history/recent';
import type { Registry } from '../registry';
import { findOne } from '../store/rows';
import { mannerOf, type Manner, type Reader } from './manner';
import type { Store } from '../store/store';

/** What is about an event as it is now, and not as it was when it was queued: quiet hours or a server may have held it up. */
const OF_NOW: ReadonlySet<AlertPhase> = new Set(['reminder', 'escalated']);
const BEGINNINGS: Partial<Record<AlertPhase, string>> = {
  reminder: 'still open',
  escalated: 'not acknowledged',
};

/** Where it is known how things are now. */
export interface Known {
  store: Store;
  registry: Pick<Registry, 'byRow'>;
  recent: Pick<Recent, 'newest'>;
}

/** An alert as it is sent: a reminder and an escalation say all that the first alert said, and how it is now. */
export async function asSent(
  known: Known,
  alert: AlertRow,
  event: EventRow,
  rule: RuleRow | null,
  reader: Reader,
): Promise<AlertRow> {
  if (!OF_NOW.has(alert.phase) || rule === null) return alert;
  const workspace = await findOne(known.store.models.workspaces, { id: event.workspaceId });
  const manner = mannerOf(reader, workspace?.zone ?? 'UTC');
  const { when } = manner;
  const { title, now, before } = await valuesOf(known, event, rule, manner);
  const open = showDuration(clockNow() - event.openedAt);
  const said = fillText(moreOf(rule).message, {
    value: now,
    device: event.deviceName,
    datastream: title,
    rule: rule.title,
    severity: rule.severity,
    since: when(event.openedAt),
  });
  const lines = [
    said,
    now === '' ? '' : `${title} of ${event.deviceName} is ${now} now.`,
    before === '' ? '' : `When it opened: ${before}.`,
    `Open since ${when(event.openedAt)}, for ${open}, and nobody has acknowledged it.`,
  ].filter((line) => line !== '');
  const about = [event.deviceName, now, open].filter((part) => part !== '').join(', ');
  return {
    ...alert,
    subject: `${BEGINNINGS[alert.phase]}: ${event.title} (${about})`.slice(0, 200),
    text: [...lines, '', event.sentence].join('\n'),
  };
}

/** The title of what an event is about, its newest value and when that was, and the value of when it opened; empty where there is none. */
export async function valuesOf(
  { registry, recent }: Known,
  { workspaceId, deviceRowId, deviceName, streamKey, value }: EventRow,
  rule: RuleRow | null,
  manner: Manner,
): Promise<{ title: string; now: string; at: number | null; before: string }> {
  const entry = await registry.byRow(deviceRowId);
  const stream = entry?.workspaceId === workspaceId ? entry.names.find(streamKey) : undefined;
  if (stream === undefined) return { title: streamKey, now: '', at: null, before: '' };
  const newest = recent.newest(stream.seriesId);
  const now = newest && shownReading(stream, newest.at, newest.value).value;
  return {
    title: stream.title,
    at: newest?.at ?? null,
    now: typeof now === 'number' || typeof now === 'string' ? manner.reading(stream, now) : '',
    before:
      value === null
        ? ''
        : ((rule && measuredBy(rule, stream, deviceName, manner)(value)?.short) ??
          manner.reading(stream, value)),
  };
}
