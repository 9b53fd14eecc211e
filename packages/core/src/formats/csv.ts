import { counted } from '../words';
import Papa from 'papaparse';
import { refusal, type Refusal } from '../readings/refusals';
import { refuseCount, refuseTableSize } from './bounds';
import type { DecodedReport, ReportRow } from './report';

/** A table of texts: a header row of names, and rows of as many cells. */
export interface Table {
  names: string[];
  rows: string[][];
}

/** Reads CSV (RFC 4180, also with semicolons or tabs). Gives what is wrong in words where it is no whole table. */
export function parseTable(text: string): Table | string {
  const { data, errors } = Papa.parse<string[]>(text.trim(), { skipEmptyLines: 'greedy' });
  const [header, ...rows] = data;
  const quotes = errors.find(({ type }) => type === 'Quotes');
  if (quotes !== undefined) return `Row ${(quotes.row ?? 0) + 1}: ${quotes.message}.`;
  if (header === undefined || rows.length === 0)
    return 'A header row of names and at least one row of values are expected.';
  const names = header.map((name) => name.trim());
  if (names.some((name) => name === '')) return 'A column of the header row has no name.';
  for (const [i, cells] of rows.entries())
    if (cells.length !== names.length)
      return `Row ${i + 2} has ${counted(cells.length, 'cell')}, but the header has ${names.length}.`;
  return { names, rows };
}

/**
 * Decodes a CSV report: a header row of names, then a row a time. A column `at` carries the times. An empty cell is no
 * value. Refuses with unreadable or too-large.
 */
export function decodeCsvReport(text: string): DecodedReport | Refusal {
  const large = refuseTableSize(text);
  if (large !== null) return large;
  const table = parseTable(text);
  if (typeof table === 'string') return refusal('', 'unreadable', table);
  const { names } = table;
  const rows: ReportRow[] = [];
  let count = 0;
  for (const cells of table.rows) {
    const values: ReportRow['values'] = [];
    let at: unknown;
    for (const [column, name] of names.entries()) {
      const cell = cells[column]!.trim();
      if (name === 'at') at = cell;
      else if (cell !== '') values.push([name, cell]);
    }
    count += values.length;
    if (values.length > 0) rows.push({ at: at === '' ? undefined : at, values });
  }
  if (count === 0) return refusal('', 'unreadable', 'There is no value in the message.');
  return refuseCount(count) ?? { rows, number: null };
}
