import type { Event } from '@peatmoor/contract';

/** Saves what is listed, a row an event. */
export function saveEvents(events: readonly Event[]): void {
  const time = (at: number | null): string => (at === null ? '' : new Date(at).toISOString());
  const cell = (text: string | number | null): string => {
    const one = String(text ?? '');
    // A sheet reads what begins like this as a formula.
    const safe = /^[=+\-@\t]/.test(one) && Number.isNaN(Number(one)) ? `'${one}` : one;
    return /[",\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
  };
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
      'furthest',
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
  const link = document.createElement('a');
  link.href = URL.createObjectURL(
    new Blob([rows.map((row) => row.map(cell).join(',')).join('\r\n')], { type: 'text/csv' }),
  );
  link.download = 'events.csv';
  link.click();
  URL.revokeObjectURL(link.href);
}
