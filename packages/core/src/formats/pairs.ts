import { refusal, type Refusal } from '../readings/refusals';
import { isReserved, readNumberOfMessage, type DecodedReport } from './report';

/** Decodes a report given as name=value pairs: a one-line GET, or words of a command line. */
export function decodePairs(pairs: Iterable<[string, string]>): DecodedReport | Refusal {
  const values: [string, unknown][] = [];
  let at: unknown;
  let number: number | null = null;
  for (const [name, raw] of pairs) {
    if (name === 'at') at = raw;
    else if (name === 'n') number = readNumberOfMessage(raw);
    else if (!isReserved(name)) values.push([name, raw]);
  }
  if (values.length === 0)
    return refusal('', 'unreadable', 'There is no value in the message; add one, such as level=-121.');
  return { rows: [{ at, values }], number };
}

/** Decodes one plain value, as MQTT carries it on a topic of its own. */
export function decodePlain(name: string, text: string): DecodedReport {
  return { rows: [{ at: undefined, values: [[name, text]] }], number: null };
}
