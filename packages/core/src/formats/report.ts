import { foldName, RESERVED_NAMES, type NameIndex } from '../readings/names';
import { isRefusal, refusal, type Refusal } from '../readings/refusals';
import { readAt } from '../readings/time';
import { isReportable, type Datastream } from '../readings/types';
import { isTaken, takeValue } from '../readings/value';

/** Values in one message at the most. */
export const MOST_VALUES = 10_000;

/** One row of a report as it came: its time, if it names one, and its values by name. */
export interface ReportRow {
  at: unknown;
  values: [name: string, raw: unknown][];
}

/** A report after decoding, before anything is known about the kind. */
export interface DecodedReport {
  rows: ReportRow[];
  /** The board's own message number, if it sent one as `n`. */
  number: number | null;
}

/** A value that was taken: its datastream, when it was measured (epoch ms), and the value that is kept. */
export interface AcceptedValue<S> {
  stream: S;
  at: number;
  value: number;
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
  const refused: Refusal[] = [];
  for (const row of report.rows) {
    const at = row.at === undefined ? receivedMs : readAt(row.at, receivedMs);
    if (typeof at !== 'number') {
      refused.push(at);
      for (const [name] of row.values)
        refused.push(refusal(name, at.reason, `The time of its row was refused: ${at.hint}`));
      continue;
    }
    for (const [name, raw] of row.values) {
      const outcome = takeOne(index, name, raw, at);
      if (isRefusal(outcome)) refused.push(outcome);
      else accepted.push(outcome);
    }
  }
  return accepted.length > 1 ? withoutRepeats(accepted, refused) : { accepted, refused };
}

function takeOne<S extends Datastream>(
  index: NameIndex<S>,
  name: string,
  raw: unknown,
  at: number,
): AcceptedValue<S> | Refusal {
  const stream = index.find(name);
  if (stream === undefined) return unknownName(index, name);
  if (!isReportable(stream)) return refusal(name, 'not-reportable');
  const taken = takeValue(stream, raw, name);
  return isTaken(taken) ? { stream, at, value: taken.value, outOfRange: taken.outOfRange } : taken;
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
  const seen = new Map<string, AcceptedValue<S>>();
  const conflicting = new Set<string>();
  for (const entry of accepted) {
    const id = `${entry.stream.key}@${entry.at}`;
    const earlier = seen.get(id);
    if (earlier === undefined) seen.set(id, entry);
    else if (earlier.value !== entry.value) conflicting.add(id);
  }
  if (seen.size === accepted.length) return { accepted, refused };
  for (const id of conflicting) {
    refused.push(refusal(seen.get(id)!.stream.key, 'repeated-name'));
    seen.delete(id);
  }
  return { accepted: [...seen.values()], refused };
}

/** Lays nested objects flat: `{"accel":{"x":1}}` gives `accel_x`. Returns a refusal for depths beyond five or too many values. */
export function flattenRow(row: Record<string, unknown>): ReportRow | Refusal {
  const values: [string, unknown][] = [];
  const walk = (object: Record<string, unknown>, prefix: string, depth: number): Refusal | null => {
    if (depth > 5) return refusal(prefix, 'unreadable', 'Objects are nested more than five deep.');
    for (const [name, raw] of Object.entries(object)) {
      if (depth === 0 && (name === 'at' || name === 'n')) continue;
      if (raw !== null && typeof raw === 'object' && !Array.isArray(raw)) {
        const deeper = walk(raw as Record<string, unknown>, `${prefix}${name}_`, depth + 1);
        if (deeper !== null) return deeper;
      } else values.push([prefix + name, raw]);
    }
    return null;
  };
  const wrong = walk(row, '', 0);
  return wrong ?? { at: row.at, values };
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
