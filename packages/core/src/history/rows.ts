import { DateTime } from 'luxon';
import type { Columns } from './series';

/** A message as a row: its time, and the value of each column or null. */
export interface TimedRow {
  at: number;
  values: (number | null)[];
}

/** Lays ordered columns side by side: a row for each time, in order of time. */
export function* rowsByTime(columns: readonly Columns[]): Generator<TimedRow> {
  const places = columns.map(() => 0);
  for (;;) {
    let at = Infinity;
    for (const [i, { times }] of columns.entries())
      if (places[i]! < times.length) at = Math.min(at, times[places[i]!]!);
    if (at === Infinity) return;
    const values = columns.map(({ times, values: list }, i) => {
      const place = places[i]!;
      if (times[place] !== at) return null;
      places[i] = place + 1;
      return list[place]!;
    });
    yield { at, values };
  }
}

/** Heading of the times in a table whose values were made right by a calibration: bringing them back would correct them twice. */
export const RIGHT_TIME = 'at (values made right)';

/** A cell of CSV (RFC 4180), quoted where it must be. */
export function csvCell(text: string): string {
  return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

/** A text that a spreadsheet would run as a formula, disarmed already or not. */
const ARMED = /^'*[\s\0]*[=+@\-\t\r]/;
const NEGATIVE = /^-[\d.]+(e[+-]?\d+)?$/i;

/** A cell for a spreadsheet: a text that it would run as a formula is disarmed; a plain number stays one. */
export function sheetCell(text: string): string {
  return csvCell(ARMED.test(text) && !NEGATIVE.test(text) ? `'${text}` : text);
}

/** The text of a cell that sheetCell wrote. */
export function fromSheetCell(text: string): string {
  return text.startsWith("'") && ARMED.test(text) ? text.slice(1) : text;
}

/** Date, time of day and offset from UTC of a moment in a time zone, as a sheet shows them: the offset tells doubled hours apart. */
export function sheetTime(at: number, zone: string): [date: string, time: string, offset: string] {
  const moment = DateTime.fromMillis(at, { zone });
  return [moment.toFormat('yyyy-MM-dd'), moment.toFormat('HH:mm:ss.SSS'), moment.toFormat('ZZ')];
}
