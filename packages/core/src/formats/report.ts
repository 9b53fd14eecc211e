import { foldName, LONGEST_NAME, RESERVED_NAMES, type NameIndex } from '../readings/names';
import { refusal, showRaw, type Refusal } from '../readings/refusals';
import { AHEAD_MS, readAt, TIME_NAMES } from '../readings/time';
import { isReportable, type Datastream } from '../readings/types';
import { isTaken, takeValue, type TakenValue } from '../readings/value';
import { DEEPEST, refuseCount, tooDeep } from './bounds';

/** Refusals of one message that are told; the others are counted. */
export const MOST_REFUSALS = 50;
/** Refusals for which the nearest known name is looked for. */
const MOST_NEAREST = 20;

/** One row of a report as it came: its time, if it names one, and its values by name. */
export interface ReportRow {
  at: unknown;
  values: [name: string, raw: unknown, unit?: string][];
  /** A time that was given to it here, where it names none; taken as it is. */
  givenAt?: number;
  /** Its value came as a text where numbers have a field of their own. */
  isText?: boolean;
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
  /** The first refusals. */
  refused: Refusal[];
  /** How many there were in all. */
  refusedCount: number;
}

/** The refusals of one message: the first are kept, all are counted. */
export class RefusalList {
  readonly told: Refusal[] = [];
  count = 0;

  add(refused: Refusal): void {
    if (++this.count <= MOST_REFUSALS) this.told.push(refused);
  }

  /** The same where making it is work: only done for those that are told. */
  addLater(make: () => Refusal): void {
    if (this.count < MOST_REFUSALS) this.add(make());
    else this.count++;
  }
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
  const taking = new ReportTaker(index, report.refused ?? []);
  for (const row of report.rows) taking.row(row, receivedMs);
  return taking.result();
}

/** Takes a report row by row, so that a long one can be taken in several turns. */
export class ReportTaker<S extends Datastream> {
  readonly #index: NameIndex<S>;
  readonly #accepted: AcceptedValue<S>[] = [];
  readonly #refused = new RefusalList();

  constructor(index: NameIndex<S>, refused: readonly Refusal[]) {
    this.#index = index;
    for (const one of refused) this.#refused.add(one);
  }

  /** `aheadMs`: how far ahead of the time of arrival a row may lie. */
  row(row: ReportRow, receivedMs: number, aheadMs = AHEAD_MS): void {
    const at = row.givenAt ?? (row.at === undefined ? receivedMs : readAt(row.at, receivedMs, aheadMs));
    if (typeof at !== 'number') {
      this.#refused.add(at);
      for (const [name] of row.values)
        this.#refused.addLater(() => refusal(name, at.reason, `The time of its row was refused: ${at.hint}`));
      return;
    }
    // The way of every value: without an iterator for each.
    const { values } = row;
    for (let i = 0; i < values.length; i++) {
      const one = values[i]!;
      if (row.isText !== undefined && this.#isNumber(one[0]))
        this.#refused.add(
          refusal(one[0], 'wrong-type', `A number is expected; ${showRaw(one[1])} came as a text ("vs").`),
        );
      else this.#value(one[0], one[1], one[2], at);
    }
  }

  #isNumber(name: string): boolean {
    const type = this.#index.find(name)?.type;
    return type === 'number' || type === 'integer' || type === 'boolean';
  }

  result(): TakenReport<S> {
    const accepted = withoutRepeats(this.#accepted, this.#refused);
    return { accepted, refused: this.#refused.told, refusedCount: this.#refused.count };
  }

  #value(name: string, raw: unknown, unit: string | undefined, at: number): void {
    const stream = this.#index.find(name);
    if (isObject(raw) && stream?.type !== 'location') {
      // An object that looks like a place, where the kind has a datastream for each of its parts.
      for (const [part, value] of Object.entries(raw))
        if (isObject(value)) this.#refused.add(tooDeep(name));
        else this.#value(`${name}_${part}`, value, undefined, at);
      return;
    }
    if (stream === undefined)
      this.#refused.addLater(() => unknownName(this.#index, name, this.#refused.count));
    else if (!isReportable(stream)) this.#refused.addLater(() => notReportable(name, stream));
    else {
      const taken = takeValue(stream, raw, name, unit);
      if (isTaken(taken))
        this.#accepted.push({ stream, at, value: taken.value, outOfRange: taken.outOfRange });
      else this.#refused.add(taken);
    }
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

function unknownName(index: NameIndex<unknown>, name: string, before: number): Refusal {
  if (name.length > LONGEST_NAME)
    return refusal(name, 'too-long', `A name has ${LONGEST_NAME} letters at most.`);
  const nearest = before < MOST_NEAREST ? index.nearest(name) : undefined;
  const hint =
    nearest === undefined ? undefined : `No datastream is called "${name}"; the nearest is "${nearest}".`;
  return refusal(name, 'unknown-name', hint);
}

/** What was accepted, each name and time once; of different values for one name and time all are refused. */
function withoutRepeats<S extends Datastream>(
  accepted: AcceptedValue<S>[],
  refused: RefusalList,
): AcceptedValue<S>[] {
  if (accepted.length <= 1 || inOrder(accepted)) return accepted;
  const seen = new Map<string, AcceptedValue<S>>();
  const conflicting = new Set<string>();
  for (const entry of accepted) {
    const id = `${entry.stream.key}@${entry.at}`;
    const earlier = seen.get(id);
    if (earlier === undefined) seen.set(id, entry);
    else if (!sameValue(earlier.value, entry.value)) conflicting.add(id);
  }
  if (seen.size === accepted.length) return accepted;
  for (const id of conflicting) {
    refused.add(refusal(seen.get(id)!.stream.key, 'repeated-name'));
    seen.delete(id);
  }
  return [...seen.values()];
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
  if (a === b) return true;
  if (typeof a !== 'object' || typeof b !== 'object') return false;
  if ('bytes' in a)
    return 'bytes' in b && a.size === b.size && a.bytes.every((byte, i) => byte === b.bytes[i]);
  return 'lat' in b && a.lat === b.lat && a.lon === b.lon && a.alt === b.alt;
}

/** Lays nested objects flat: `{"accel":{"x":1}}` gives `accel_x`; an object with lat and lon stays whole. Refuses depths beyond eight, and too many values. */
export function flattenRow(row: Record<string, unknown>): ReportRow | Refusal {
  const values: [string, unknown][] = [];
  const walk = (object: Record<string, unknown>, prefix: string, depth: number): Refusal | null => {
    if (depth >= DEEPEST) return tooDeep(prefix);
    for (const [name, raw] of Object.entries(object)) {
      if (depth === 0 && (name === 'at' || name === 'n')) continue;
      if (isObject(raw) && !isPlace(raw)) {
        const deeper = walk(raw, `${prefix}${name}_`, depth + 1);
        if (deeper !== null) return deeper;
      } else values.push([prefix + name, raw]);
    }
    return refuseCount(values.length);
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

const TIMES: ReadonlySet<string> = new Set(TIME_NAMES);

/**
 * Takes the time of rows that name it otherwise than `at`: `time`, `timestamp` or `date` in any case, beside other values and
 * where no datastream is called so. A reading is never kept at the time it came while its own stood beside it.
 */
export function takeTimes<S>(rows: readonly ReportRow[], index: NameIndex<S>): void {
  for (const row of rows) {
    if ((row.at !== undefined && row.at !== null && row.at !== '') || row.givenAt !== undefined) continue;
    if (row.values.length < 2) continue;
    const found = row.values.filter(([name]) => isTimeName(name) && index.find(name) === undefined);
    if (found.length === 0) continue;
    const of = (name: string): unknown => found.find(([one]) => one.toLowerCase() === name)?.[1];
    const [date, time] = [of('date'), of('time')];
    row.at =
      typeof date === 'string' &&
      typeof time === 'string' &&
      !found.some(([name]) => /^(at|timestamp)$/i.test(name))
        ? `${date.trim()}T${time.trim()}`
        : found[0]![1];
    row.values = row.values.filter((value) => !found.includes(value));
  }
}

/** Quick for the many names that are none. */
function isTimeName(name: string): boolean {
  const first = name.charCodeAt(0) | 32;
  return (first === 116 || first === 100 || first === 97) && name.length < 10 && TIMES.has(foldName(name));
}

/**
 * Puts latitude and longitude that came as two numbers of one time (by their units, as SenML has them) into the one datastream
 * for locations that there is, unless the kind has datastreams for the numbers themselves.
 */
export function joinPlaces<S extends Pick<Datastream, 'key' | 'type' | 'direction' | 'computation'>>(
  rows: ReportRow[],
  index: NameIndex<S>,
  streams: readonly S[],
): void {
  const isPart = (row: ReportRow, unit: 'lat' | 'lon'): boolean =>
    row.values.length === 1 && row.values[0]![2] === unit && index.find(row.values[0]![0]) === undefined;
  if (!rows.some((row) => isPart(row, 'lat'))) return;
  const places = streams.filter((stream) => stream.type === 'location' && isReportable(stream));
  if (places.length !== 1) return;
  const longitudes = new Map<string, ReportRow>();
  const time = (row: ReportRow): string => `${String(row.at)} ${row.device ?? ''}`;
  for (const row of rows) if (isPart(row, 'lon')) longitudes.set(time(row), row);
  const joined = new Set<ReportRow>();
  for (const row of rows) {
    const other = isPart(row, 'lat') ? longitudes.get(time(row)) : undefined;
    if (other === undefined) continue;
    row.values = [[places[0]!.key, { lat: row.values[0]![1], lon: other.values[0]![1] }]];
    joined.add(other);
  }
  if (joined.size > 0) rows.splice(0, rows.length, ...rows.filter((row) => !joined.has(row)));
}

/** True where a name in a message is the device's own: its ID, its serial text, or a device URN (RFC 9039) that ends with one. */
export function isOwnName(named: string, { id, serial }: { id: string; serial: string | null }): boolean {
  const plain = named.replace(/^urn:dev:[a-z]+:/i, '').toLowerCase();
  return plain === id || (serial !== null && plain === serial.toLowerCase());
}
