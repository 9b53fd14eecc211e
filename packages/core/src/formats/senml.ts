import { decode } from 'cborg';
import { refusal, showRaw, type Refusal } from '../readings/refusals';
import { refuseCborShape, refuseCount, refuseShape } from './bounds';
import type { DecodedReport, ReportRow } from './report';

/** Labels of SenML in JSON, and their numbers in CBOR (RFC 8428 §4.3, §6). */
const CBOR_LABELS = new Map<unknown, string>([
  [-1, 'bver'],
  [-2, 'bn'],
  [-3, 'bt'],
  [-4, 'bu'],
  [-5, 'bv'],
  [-6, 'bs'],
  [0, 'n'],
  [1, 'u'],
  [2, 'v'],
  [3, 'vs'],
  [4, 'vb'],
  [5, 's'],
  [6, 't'],
  [7, 'ut'],
  [8, 'vd'],
]);
/** Fields that say nothing about the records that follow. */
const PLAIN = new Set(['n', 'u', 'v', 'vs', 'vb', 'vd', 's', 't']);
/** The name of a label; a number that came as a text means the same. */
const labelOf = (label: unknown): string =>
  CBOR_LABELS.get(typeof label === 'string' && /^-?\d$/.test(label) ? Number(label) : label) ?? String(label);
const KNOWN = new Set(CBOR_LABELS.values());
const VALUES = ['v', 'vs', 'vb', 'vd'] as const;
const SORTS: Partial<Record<string, { is: string; words: string }>> = {
  v: { is: 'number', words: 'numbers' },
  vs: { is: 'string', words: 'texts' },
  vb: { is: 'boolean', words: 'true and false' },
};
/** Times below this many seconds are relative to now (RFC 8428 §4.5.3). */
export const RELATIVE_BELOW_S = 2 ** 28;
const NEWEST_VERSION = 10;
/** Version 10 with the feature of secondary units (RFC 9100 §2, §4: bit 4), whose units are read anyway. */
const SECONDARY_UNITS = 26;
const isKnownVersion = (value: unknown): boolean =>
  typeof value === 'number' && (value <= NEWEST_VERSION || value === SECONDARY_UNITS);
/** Letters of a base name and a name together: a device and a datastream, with room. */
const LONGEST_WHOLE_NAME = 200;
const TAG_DECIMAL_FRACTION = 4;

type SenmlRecord = Record<string, unknown>;

/** True where a parsed JSON value is a SenML pack rather than rows of names and values. */
export function looksLikeSenml(parsed: unknown): parsed is SenmlRecord[] {
  return (
    Array.isArray(parsed) &&
    parsed.some(
      (record: unknown) =>
        record !== null &&
        typeof record === 'object' &&
        (('bn' in record && typeof record.bn === 'string') ||
          ('n' in record &&
            typeof record.n === 'string' &&
            [...VALUES, 's'].some((label) => label in record))),
    )
  );
}

/** Decodes SenML in JSON (RFC 8428 §5). Refuses with unreadable, no-meaning or too-large. */
export function decodeSenmlJson(text: string, receivedMs: number): DecodedReport | Refusal {
  let pack: unknown;
  try {
    pack = JSON.parse(text);
  } catch {
    return refusal('', 'unreadable', 'The text is not whole JSON; it may have been cut off.');
  }
  return refuseShape(pack) ?? resolveSenml(pack, receivedMs);
}

/** Decodes SenML in CBOR (RFC 8428 §6). Refuses with unreadable, no-meaning or too-large. */
export function decodeSenmlCbor(bytes: Uint8Array, receivedMs: number): DecodedReport | Refusal {
  const shape = refuseCborShape(bytes);
  if (shape !== null) return shape;
  let pack: unknown;
  try {
    pack = decode(bytes, {
      useMaps: true,
      allowIndefinite: true,
      allowBigInt: false,
      tags: Object.assign([], {
        [TAG_DECIMAL_FRACTION]: (inner: () => unknown) => {
          const [exponent, mantissa] = inner() as [number, number];
          return Number(`${mantissa}e${exponent}`);
        },
      }),
    });
  } catch (error) {
    return refusal('', 'unreadable', `The bytes are not whole CBOR: ${(error as Error).message}.`);
  }
  if (!Array.isArray(pack)) return notAPack();
  return resolveSenml(
    pack.map((record: unknown) =>
      record instanceof Map
        ? Object.fromEntries([...record].map(([label, value]) => [labelOf(label), value]))
        : record,
    ),
    receivedMs,
  );
}

/**
 * Resolves a pack: base fields, relative times, units (RFC 8428 §4.6). A sum goes to the datastream `<name>_sum`.
 * Fields that mean nothing here are refused by name; one that must be understood refuses the whole pack (§4.4).
 */
export function resolveSenml(pack: unknown, receivedMs: number): DecodedReport | Refusal {
  if (!Array.isArray(pack)) return notAPack();
  if (pack.length === 0) return refusal('', 'unreadable', 'The pack is empty: there is no record in it.');
  const many = refuseCount(pack.length);
  if (many !== null) return many;
  const base = { bn: '', bt: 0, bu: undefined as string | undefined, bv: 0, bs: 0 };
  const rows: ReportRow[] = [];
  const refused = new Map<string, Refusal>();
  for (const record of pack as unknown[]) {
    if (record === null || typeof record !== 'object' || Array.isArray(record)) return notAPack();
    const wrong = takeBase(base, record as SenmlRecord);
    if (wrong !== null) return wrong;
    const row = resolveRecord(base, record as SenmlRecord, receivedMs, refused);
    if (row !== null) rows.push(row);
  }
  if (rows.length === 0 && refused.size === 0)
    return refusal('', 'unreadable', 'There is no value in the pack.');
  return { rows, number: null, refused: [...refused.values()] };
}

interface Base {
  bn: string;
  bt: number;
  bu: string | undefined;
  bv: number;
  bs: number;
}

/** Takes over base fields; refuses the pack for a newer version or a field that must be understood. */
function takeBase(base: Base, record: SenmlRecord): Refusal | null {
  for (const label in record) {
    const value = record[label];
    if (PLAIN.has(label)) continue;
    if (label.endsWith('_'))
      return refusal(
        label,
        'no-meaning',
        `"${label}" must be understood to read this pack, and is not known here.`,
      );
    // What is not known and need not be understood is passed over (RFC 8428 §4.4), and so is an update time.
    if (!KNOWN.has(label)) continue;
    if (label === 'bver' && !isKnownVersion(value))
      return refusal(
        'bver',
        'no-meaning',
        `Version ${showRaw(value)} of SenML is newer than ${NEWEST_VERSION}, which is read here.`,
      );
    if (label === 'bn' || label === 'bu') {
      if (typeof value !== 'string') return refusal(label, 'wrong-type', `"${label}" is a text in SenML.`);
      if (value.length > LONGEST_WHOLE_NAME)
        return refusal(label, 'too-long', `"${label}" has ${LONGEST_WHOLE_NAME} letters at most.`);
      if (label === 'bn') base.bn = value;
      else base.bu = value;
    }
    if (label === 'bt' || label === 'bv' || label === 'bs') {
      if (typeof value !== 'number') return refusal(label, 'wrong-type', `"${label}" is a number in SenML.`);
      base[label] = value;
    }
  }
  return null;
}

function resolveRecord(
  base: Base,
  record: SenmlRecord,
  receivedMs: number,
  refused: Map<string, Refusal>,
): ReportRow | null {
  const present = VALUES.filter((label) => label in record);
  if (present.length === 0 && !('s' in record)) return null;
  const own = typeof record.n === 'string' ? record.n : '';
  if (base.bn.length + own.length > LONGEST_WHOLE_NAME) {
    refused.set(own, refusal(own, 'too-long', `A name has ${LONGEST_WHOLE_NAME} letters at most.`));
    return null;
  }
  const whole = base.bn + own;
  if (present.length > 1) {
    refused.set(whole, refusal(whole, 'repeated-name', 'A SenML record has one value: v, vs, vb or vd.'));
    return null;
  }
  // Each sort of value has a field of its own (RFC 8428 §4.3).
  const [field] = present;
  const sort = field === undefined ? undefined : SORTS[field];
  if (
    field !== undefined &&
    sort !== undefined &&
    typeof record[field] !== sort.is &&
    record[field] !== null
  ) {
    refused.set(
      whole,
      refusal(whole, 'wrong-type', `"${field}" is for ${sort.words}; ${showRaw(record[field])} is not.`),
    );
    return null;
  }
  const cut = Math.max(whole.lastIndexOf(':'), whole.lastIndexOf('/'));
  const name = whole.slice(cut + 1);
  const unit = typeof record.u === 'string' ? record.u : base.bu;
  const values: ReportRow['values'] = present.map((label) => [
    name,
    label === 'v' && typeof record.v === 'number' ? base.bv + record.v : record[label],
    ...(label === 'v' && unit !== undefined ? [unit] : []),
  ]) as ReportRow['values'];
  if ('s' in record)
    values.push([`${name}_sum`, typeof record.s === 'number' ? base.bs + record.s : record.s]);
  const time = base.bt + (typeof record.t === 'number' ? record.t : 0);
  return {
    at: time === 0 ? undefined : toMs(time, receivedMs),
    values,
    ...(field === 'vs' && { isText: true }),
    ...(cut > 0 && { device: whole.slice(0, cut) }),
  };
}

function toMs(seconds: number, receivedMs: number): number {
  return seconds < RELATIVE_BELOW_S ? receivedMs + Math.round(seconds * 1000) : Math.round(seconds * 1000);
}

function notAPack(): Refusal {
  return refusal('', 'unreadable', 'A SenML pack is an array of records, such as [{"n":"level","v":-121}].');
}
