import { foldName, RESERVED_NAMES, type NameIndex } from '../readings/names';
import { refusal, type Refusal } from '../readings/refusals';
import { readAt } from '../readings/time';
import { isReportable, type Datastream } from '../readings/types';
import { isTaken, takeValue, type TakenValue } from '../readings/value';

/** Values in one message at the most. */
export const MOST_VALUES = 10_000;

/** One row of a report as it came: its time, if it names one, and its values by name. */
export interface ReportRow {
  at: unknown;
  values: [name: string, raw: unknown, unit?: string][];
  /** For whom it speaks, where it names another than the device that sends it: a sub-device's ID or serial text. */
  device?: string;
}

/** A report after decoding, before anything is known about the kind. */
export interface DecodedReport {
  rows: ReportRow[];
  /** The board's own message number, if it sent one as `n`. */
  number: number | null;
  /** Parts that could not be taken whatever the kind: fields without a meaning here. */
  refused?: Refusal[];
}

/** A value that was taken: its datastream, when it was measured (epoch ms), and the value that is kept. */
export interface AcceptedValue<S> {
  stream: S;
  at: number;
  value: TakenValue['value'];
  outOfRange: boolean;
}

export interface TakenReport<S> {
  accepted: AcceptedValue<S>[];
  refused: Refusal[];
}

/**
 * Matches a decoded report with a kind's datastreams. Good values are accepted though a neighbour is bad.
 * A name that comes twice for one time is accepted once if the values agree; otherwise both are refused.
 */
export function takeReport<S extends Datastream>(
  index: NameIndex<S>,
  report: DecodedReport,
  receivedMs: number,
): TakenReport<S> {
  const accepted: AcceptedValue<S>[] = [];
  const refused: Refusal[] = [...(report.refused ?? [])];
  for (const row of report.rows) {
    const at = row.at === undefined ? receivedMs : readAt(row.at, receivedMs);
    if (typeof at !== 'number') {
      refused.push(at);
      for (const [name] of row.values)
        refused.push(refusal(name, at.reason, `The time of its row was refused: ${at.hint}`));
      continue;
    }
    for (const [name, raw, unit] of row.values) takeInto(index, name, raw, unit, at, accepted, refused);
  }
  return accepted.length > 1 ? withoutRepeats(accepted, refused) : { accepted, refused };
}

function takeInto<S extends Datastream>(
  index: NameIndex<S>,
  name: string,
  raw: unknown,
  unit: string | undefined,
  at: number,
  accepted: AcceptedValue<S>[],
  refused: Refusal[],
): void {
  const stream = index.find(name);
  if (isObject(raw) && stream?.type !== 'location') {
    // An object that looks like a place, where the kind has a datastream for each of its parts.
    for (const [part, value] of Object.entries(raw))
      takeInto(index, `${name}_${part}`, value, undefined, at, accepted, refused);
    return;
  }
  if (stream === undefined) refused.push(unknownName(index, name));
  else if (!isReportable(stream)) refused.push(notReportable(name, stream));
  else {
    const taken = takeValue(stream, raw, name, unit);
    if (isTaken(taken)) accepted.push({ stream, at, value: taken.value, outOfRange: taken.outOfRange });
    else refused.push(taken);
  }
}

function notReportable(name: string, stream: Datastream): Refusal {
  if (stream.computation === null) return refusal(name, 'not-reportable');
  return refusal(
    name,
    'not-reportable',
    `"${stream.key}" is computed from other datastreams here; the device need not report it.`,
  );
}

function isObject(raw: unknown): raw is Record<string, unknown> {
  return raw !== null && typeof raw === 'object' && !Array.isArray(raw) && !(raw instanceof Uint8Array);
}

function unknownName(index: NameIndex<unknown>, name: string): Refusal {
  if (name.length > 80) return refusal(name, 'too-long', 'A name has 40 letters at most.');
  const nearest = index.nearest(name);
  const hint =
    nearest === undefined ? undefined : `No datastream is called "${name}"; the nearest is "${nearest}".`;
  return refusal(name, 'unknown-name', hint);
}

function withoutRepeats<S extends Datastream>(
  accepted: AcceptedValue<S>[],
  refused: Refusal[],
): TakenReport<S> {
  if (inOrder(accepted)) return { accepted, refused };
  const seen = new Map<string, AcceptedValue<S>>();
  const conflicting = new Set<string>();
  for (const entry of accepted) {
    const id = `${entry.stream.key}@${entry.at}`;
    const earlier = seen.get(id);
    if (earlier === undefined) seen.set(id, entry);
    else if (!sameValue(earlier.value, entry.value)) conflicting.add(id);
  }
  if (seen.size === accepted.length) return { accepted, refused };
  for (const id of conflicting) {
    refused.push(refusal(seen.get(id)!.stream.key, 'repeated-name'));
    seen.delete(id);
  }
  return { accepted: [...seen.values()], refused };
}

/** True where the times of each datastream only grow: then nothing can come twice, and nothing needs remembering. */
function inOrder<S>(accepted: readonly AcceptedValue<S>[]): boolean {
  const newest = new Map<S, number>();
  for (const { stream, at } of accepted) {
    const before = newest.get(stream);
    if (before !== undefined && at <= before) return false;
    newest.set(stream, at);
  }
  return true;
}

function sameValue(a: TakenValue['value'], b: TakenValue['value']): boolean {
  return a === b || (typeof a === 'object' && JSON.stringify(a) === JSON.stringify(b));
}

/** Lays nested objects flat: `{"accel":{"x":1}}` gives `accel_x`; an object with lat and lon stays whole. Returns a refusal for depths beyond five or too many values. */
export function flattenRow(row: Record<string, unknown>): ReportRow | Refusal {
  const values: [string, unknown][] = [];
  const walk = (object: Record<string, unknown>, prefix: string, depth: number): Refusal | null => {
    if (depth > 5) return refusal(prefix, 'unreadable', 'Objects are nested more than five deep.');
    for (const [name, raw] of Object.entries(object)) {
      if (depth === 0 && (name === 'at' || name === 'n')) continue;
      if (isObject(raw) && !isPlace(raw)) {
        const deeper = walk(raw, `${prefix}${name}_`, depth + 1);
        if (deeper !== null) return deeper;
      } else values.push([prefix + name, raw]);
    }
    return null;
  };
  const wrong = walk(row, '', 0);
  return wrong ?? { at: row.at, values };
}

function isPlace(raw: Record<string, unknown>): boolean {
  return ('lat' in raw || 'latitude' in raw) && ('lon' in raw || 'lng' in raw || 'longitude' in raw);
}

/** Reads the board's own message number; anything but a whole number from 0 counts as none. */
export function readNumberOfMessage(raw: unknown): number | null {
  const number = typeof raw === 'string' && /^\d{1,15}$/.test(raw) ? Number(raw) : raw;
  return typeof number === 'number' && Number.isSafeInteger(number) && number >= 0 ? number : null;
}

/** True for names that steer a message instead of carrying a value. */
export function isReserved(name: string): boolean {
  return RESERVED_NAMES.has(foldName(name));
}
