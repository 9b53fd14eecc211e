import { refusal, type Refusal } from '../readings/refusals';
import { looksLikeSenml, resolveSenml } from './senml';
import { MOST_VALUES, refuseCount, refuseShape } from './bounds';
import { flattenRow, readNumberOfMessage, type DecodedReport, type ReportRow } from './report';

/**
 * Decodes a JSON report: an object of name → value with optional `at` and `n`, or an array of such rows, or a SenML
 * pack, told by its fields. `receivedMs` is what relative times of SenML count from.
 * Refuses with unreadable, saying where the text stops being JSON; or too-large beyond 10,000 values.
 */
export function decodeJsonReport(text: string, receivedMs: number): DecodedReport | Refusal {
  let parsed: unknown;
  try {
    parsed = JSON.parse(text);
  } catch (error) {
    return refusal('', 'unreadable', unreadableHint(text, error as Error));
  }
  const flat = flatRow(parsed);
  if (flat !== null) return flat;
  const shape = refuseShape(parsed);
  if (shape !== null) return shape;
  if (looksLikeSenml(parsed)) return resolveSenml(parsed, receivedMs);
  const objects = Array.isArray(parsed) ? parsed : [parsed];
  if (objects.length === 0) return refusal('', 'unreadable', 'The array is empty: there is no value in it.');
  const rows: ReportRow[] = [];
  let count = 0;
  for (const object of objects) {
    if (object === null || typeof object !== 'object' || Array.isArray(object))
      return refusal(
        '',
        'unreadable',
        'An object of name and value is expected, such as {"level": -121}, or an array of such objects.',
      );
    const row = flattenRow(object as Record<string, unknown>);
    if ('reason' in row) return row;
    count += row.values.length;
    rows.push(row);
    const many = refuseCount(Math.max(count, rows.length));
    if (many !== null) return many;
  }
  if (count === 0) return refusal('', 'unreadable', 'There is no value in the message.');
  return { rows, number: readNumberOfMessage((objects[0] as { n?: unknown }).n) };
}

/** The plain case, done without a detour: one object without anything nested. Null for all others. */
function flatRow(parsed: unknown): DecodedReport | null {
  if (parsed === null || typeof parsed !== 'object' || Array.isArray(parsed)) return null;
  const row = parsed as Record<string, unknown>;
  const values: ReportRow['values'] = [];
  for (const name in row) {
    const raw = row[name];
    if (typeof raw === 'object' && raw !== null) return null;
    if (name !== 'at' && name !== 'n') values.push([name, raw]);
  }
  if (values.length === 0 || values.length > MOST_VALUES) return null;
  return { rows: [{ at: row.at, values }], number: readNumberOfMessage(row.n) };
}

function unreadableHint(text: string, error: Error): string {
  if (text.trim() === '') return 'The message is empty.';
  if (/[“”]/.test(text)) return 'The text has curly quotation marks; JSON wants straight ones (").';
  if (/\b(nan|inf(inity)?)\b/i.test(text))
    return 'JSON knows no NaN or Infinity. Leave a value out when the sensor has none.';
  if (/^\s*\{\s*'/.test(text)) return 'JSON wants double quotation marks (") around names, not single ones.';
  const position = /position (\d+)/.exec(error.message)?.[1];
  return position === undefined
    ? 'The text is not whole JSON; it may have been cut off.'
    : `The text is not JSON at character ${Number(position) + 1}: …${text.slice(Math.max(0, Number(position) - 12), Number(position) + 12)}…`;
}
