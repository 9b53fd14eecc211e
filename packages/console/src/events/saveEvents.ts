import { sheetCell } from '@peatmoor/core';
import type { Event } from '@peatmoor/contract';
import { saveFile } from '../charts/saving';

/** Saves what is listed, a row an event. */
export function saveEvents(events: readonly Event[]): void {
  const time = (at: number | null): string => (at === null ? '' : new Date(at).toISOString());
  const rows = [
    [
      'event',
      'title',
      'severity',
      'device',
      'datastream',
      'opened',
      'closed',
      'value',
      'peak',
      'acknowledged',
      'by',
      'remark',
    ],
    ...events.map((one) => [
      one.id,
      one.title,
      one.severity,
      one.deviceId,
      one.stream,
      time(one.openedAt),
      time(one.closedAt),
      one.value,
      one.extreme,
      time(one.acknowledgedAt),
      one.acknowledgedBy,
      one.remark,
    ]),
  ];
  const text = rows.map((row) => row.map((cell) => sheetCell(String(cell ?? ''))).join(',')).join('\r\n');
  saveFile('events.csv', text, 'text/csv');
}
