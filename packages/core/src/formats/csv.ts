import Papa from 'papaparse';
import { refusal, type Refusal } from '../readings/refusals';
import { MOST_VALUES, type DecodedReport, type ReportRow } from './report';

/**
 * Decodes a CSV report (RFC 4180, also with semicolons or tabs): a header row of names, then a row a time. A column
 * `at` carries the times. An empty cell is no value. Refuses with unreadable or too-large.
 */
export function decodeCsvReport(text: string): DecodedReport | Refusal {
  const { data, errors } = Papa.parse<string[]>(text.trim(), { skipEmptyLines: 'greedy' });
  const [header, ...lines] = data;
  const quotes = errors.find(({ type }) => type === 'Quotes');
  if (quotes !== undefined)
    return refusal('', 'unreadable', `Row ${(quotes.row ?? 0) + 1}: ${quotes.message}.`);
  if (header === undefined || lines.length === 0)
    return refusal('', 'unreadable', 'A header row of names and at least one row of values are expected.');
  const names = header.map((name) => name.trim());
  if (names.some((name) => name === ''))
    return refusal('', 'unreadable', 'A column of the header row has no name.');
  const rows: ReportRow[] = [];
  let count = 0;
  for (const [i, cells] of lines.entries()) {
    if (cells.length !== names.length)
      return refusal(
        '',
        'unreadable',
        `Row ${i + 2} has ${cells.length} cells, but the header has ${names.length}.`,
      );
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
  if (count > MOST_VALUES)
    return refusal('', 'too-large', `${count} values came in one message; ${MOST_VALUES} are taken at most.`);
  return { rows, number: null };
}
