import { refusal, type Refusal } from '../readings/refusals';
import { refuseCount } from './bounds';
import { isReserved, readNumberOfMessage, type DecodedReport } from './report';

/** Decodes a report given as name=value pairs: a one-line GET, or words of a command line. */
export function decodePairs(pairs: Iterable<[string, string]>): DecodedReport | Refusal {
  const values: [string, unknown][] = [];
  let at: unknown;
  let number: number | null = null;
  let count = 0;
  for (const [name, raw] of pairs) {
    const many = refuseCount(++count);
    if (many !== null) return many;
    if (name === 'at') at = raw;
    else if (name === 'n') number = readNumberOfMessage(raw);
    else if (!isReserved(name)) values.push([name, raw]);
  }
  if (values.length === 0)
    return refusal('', 'unreadable', 'There is no value in the message; add one, such as level=-121.');
  return { rows: [{ at, values }], number };
}

/** Decodes a form body (application/x-www-form-urlencoded); counted before it is taken apart. */
export function decodeForm(text: string): DecodedReport | Refusal {
  let pairs = 1;
  for (let at = text.indexOf('&'); at >= 0; at = text.indexOf('&', at + 1)) {
    const many = refuseCount(++pairs);
    if (many !== null) return many;
  }
  return decodePairs(new URLSearchParams(text));
}

/** Decodes one plain value, as MQTT carries it on a topic of its own. */
export function decodePlain(name: string, text: string): DecodedReport {
  return { rows: [{ at: undefined, values: [[name, text]] }], number: null };
}
