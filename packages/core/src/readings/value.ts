import { counted } from '../words';
import { readImage } from './image';
import { isRefusal, refusal, showRaw, type Refusal } from './refusals';
import { readLocation, showLocation } from './location';
import { convertUnit, showUnit } from './units';
import type { Datastream, ImageFacts, ImageValue, Location, Value } from './types';

const TRUE_WORDS = new Set(['true', '1', 'on', 'yes']);
const FALSE_WORDS = new Set(['false', '0', 'off', 'no']);
const NOT_FINITE_WORDS = new Set([
  '',
  'nan',
  'null',
  'none',
  'inf',
  '-inf',
  '+inf',
  'infinity',
  '-infinity',
  '+infinity',
]);
const NUMBER_PATTERN = /^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$/;
/** Bytes of a text at the most. */
export const LONGEST_TEXT = 4096;
/** Letters of anything that is no text, image or location: a longer one is no number and no word. */
const LONGEST_WORD = 400;
/** Choices that a hint names. */
const SHOWN_CHOICES = 12;

/** A value as it is kept, and whether it lies outside the range of a datastream that only marks. */
export interface TakenValue {
  value: number | string | Location | ImageValue;
  outOfRange: boolean;
}

/**
 * Turns a value as it came (JSON value or text) into the value that is kept; `unit` is the one it came with, if any.
 * Refuses with wrong-type, wrong-unit, not-finite, out-of-range or too-long; `name` is the name the message used.
 */
export function takeValue(
  stream: Datastream,
  raw: unknown,
  name: string = stream.key,
  unit?: string,
): TakenValue | Refusal {
  if (stream.type !== 'number' && stream.type !== 'integer') {
    const value = readOther(stream, raw, name);
    return typeof value === 'object' && isRefusal(value) ? value : { value, outOfRange: false };
  }
  const number = readNumber(raw, name);
  if (typeof number !== 'number') return number;
  const sent = unit ?? stream.sentUnit ?? undefined;
  const converted = sent === undefined ? number : inStreamUnit(stream, number, sent, name);
  if (typeof converted !== 'number') return converted;
  if (stream.type === 'integer' && !Number.isSafeInteger(converted))
    return refusal(
      name,
      'wrong-type',
      `"${stream.key}" takes whole numbers; ${converted} is not one. Round it, or make the datastream a number.`,
    );
  const taken = takeRange(stream, converted + 0, name);
  // Readings are nearly always kept in the unit that is shown.
  return stream.keptUnit == null || isRefusal(taken)
    ? taken
    : asKept(stream, taken as TakenNumber, { number, sent, converted });
}

type TakenNumber = TakenValue & { value: number };

/** A taken number in the unit in which readings are kept. One that was not limited to the range goes there straight. */
function asKept(
  { unit, keptUnit }: Datastream,
  taken: TakenNumber,
  { number, sent = unit ?? '', converted }: { number: number; sent: string | undefined; converted: number },
): TakenValue {
  if (keptUnit == null || unit === null || keptUnit === unit) return taken;
  const value =
    taken.value === converted + 0
      ? convertUnit(number, sent, keptUnit)
      : convertUnit(taken.value, unit, keptUnit);
  return { ...taken, value: value ?? taken.value };
}

/** True for a value that was taken rather than refused. */
export function isTaken(outcome: TakenValue | Refusal): outcome is TakenValue {
  return !isRefusal(outcome);
}

function readOther(stream: Datastream, raw: unknown, name: string): TakenValue['value'] | Refusal {
  switch (stream.type) {
    case 'boolean':
      return readBoolean(raw, name);
    case 'choice':
      return readChoice(stream, raw, name);
    case 'colour':
      return readColour(raw, name);
    case 'location':
      return readLocation(raw, name);
    case 'image':
      return readImage(raw, name);
    default:
      return readText(raw, name);
  }
}

function inStreamUnit(stream: Datastream, value: number, unit: string, name: string): number | Refusal {
  if (stream.unit === null || stream.unit === unit) return value;
  const converted = convertUnit(value, unit, stream.unit);
  return (
    converted ??
    refusal(
      name,
      'wrong-unit',
      `It came in "${unit.slice(0, 20)}", and "${stream.key}" is in ${showUnit(stream.unit) || stream.unit}; these measure different quantities.`,
    )
  );
}

function readNumber(raw: unknown, name: string): number | Refusal {
  if (typeof raw === 'number') return Number.isFinite(raw) ? raw || 0 : refusal(name, 'not-finite');
  if (raw === null || raw === undefined) return refusal(name, 'not-finite');
  if (typeof raw === 'string' && raw.length <= LONGEST_WORD) {
    const text = raw.trim();
    if (NOT_FINITE_WORDS.has(text.toLowerCase())) return refusal(name, 'not-finite');
    const value = NUMBER_PATTERN.test(text) ? Number(text) : Number.NaN;
    if (Number.isFinite(value)) return value || 0;
  }
  return refusal(name, 'wrong-type', `A number is expected; ${showRaw(raw)} is not one.`);
}

function readBoolean(raw: unknown, name: string): number | Refusal {
  if (raw === true || raw === 1) return 1;
  if (raw === false || raw === 0) return 0;
  if (raw === null || raw === undefined) return refusal(name, 'not-finite');
  if (typeof raw === 'number' && !Number.isFinite(raw)) return refusal(name, 'not-finite');
  if (typeof raw === 'string' && raw.length <= LONGEST_WORD) {
    const text = raw.trim().toLowerCase();
    if (TRUE_WORDS.has(text)) return 1;
    if (FALSE_WORDS.has(text)) return 0;
    if (NOT_FINITE_WORDS.has(text)) return refusal(name, 'not-finite');
  }
  return refusal(
    name,
    'wrong-type',
    `true or false is expected (also 1/0, on/off, yes/no); ${showRaw(raw)} is neither.`,
  );
}

function readChoice({ key, choices }: Datastream, raw: unknown, name: string): number | Refusal {
  if (raw === null || raw === undefined) return refusal(name, 'not-finite');
  const { places, list } = foldedChoices(choices);
  const place =
    typeof raw === 'object' ? undefined : places.get(String(raw).slice(0, LONGEST_WORD).trim().toLowerCase());
  if (place !== undefined) return place;
  return refusal(name, 'wrong-type', `"${key}" is one of ${list}; ${showRaw(raw)} is none of them.`);
}

/** The places of choices by their folded texts (of two alike the first), and a list for hints. */
interface FoldedChoices {
  places: ReadonlyMap<string, number>;
  list: string;
}
/** Worked out once for each list of choices: a message may have ten thousand values. */
const knownChoices = new WeakMap<readonly string[], FoldedChoices>();

function foldedChoices(choices: readonly string[]): FoldedChoices {
  let known = knownChoices.get(choices);
  if (known === undefined) {
    const shown = choices.slice(0, SHOWN_CHOICES).map((choice) => `"${choice}"`);
    const more = choices.length > SHOWN_CHOICES ? ` and ${choices.length - SHOWN_CHOICES} more` : '';
    known = {
      places: new Map(choices.map((choice, i): [string, number] => [choice.toLowerCase(), i]).reverse()),
      list: shown.join(', ') + more,
    };
    knownChoices.set(choices, known);
  }
  return known;
}

function readColour(raw: unknown, name: string): number | Refusal {
  if (raw === null || raw === undefined) return refusal(name, 'not-finite');
  if (typeof raw === 'number' && Number.isInteger(raw) && raw >= 0 && raw <= 0xffffff) return raw;
  const digits =
    typeof raw === 'string' && raw.length <= LONGEST_WORD
      ? /^#?([0-9a-f]{6}|[0-9a-f]{3})$/i.exec(raw.trim())?.[1]
      : undefined;
  if (digits === undefined)
    return refusal(name, 'wrong-type', `A colour such as "#74487a" is expected; ${showRaw(raw)} is none.`);
  return Number.parseInt(digits.length === 3 ? digits.replace(/./g, '$&$&') : digits, 16);
}

function readText(raw: unknown, name: string): string | Refusal {
  if (raw === null || raw === undefined) return refusal(name, 'not-finite');
  if (typeof raw === 'object')
    return refusal(name, 'wrong-type', `A text is expected; ${showRaw(raw)} is none.`);
  const text = String(raw);
  // A letter takes four bytes at the most, and one at the least.
  const bytes = text.length * 4 <= LONGEST_TEXT ? 0 : new TextEncoder().encode(text).length;
  return bytes > LONGEST_TEXT
    ? refusal(name, 'too-long', `The text has ${counted(bytes, 'byte')}; ${LONGEST_TEXT} are kept at most.`)
    : text;
}

function takeRange(stream: Datastream, value: number, name: string): TakenValue | Refusal {
  const { min, max, rangePolicy } = stream;
  const low = min !== null && value < min;
  const high = max !== null && value > max;
  if (!low && !high) return { value, outOfRange: false };
  if (rangePolicy === 'limit') return { value: low ? min : max!, outOfRange: false };
  if (rangePolicy === 'mark') return { value, outOfRange: true };
  const unit = showUnit(stream.unit);
  const bound = low ? `below ${min}` : `above ${max}`;
  return refusal(
    name,
    'out-of-range',
    `${value} is ${bound}${unit && ` ${unit}`}. Check the sensor, or widen the range of "${stream.key}".`,
  );
}

type Shown = Pick<Datastream, 'type' | 'decimals'> & { choices?: readonly string[] };

/** A value as people read it, without its unit: decimals of the datastream, on/off, the choice, `#rrggbb`. */
export function showValue(stream: Shown, value: Value): string {
  if (typeof value === 'string') return value;
  if (typeof value === 'object') return 'lat' in value ? showLocation(value) : showImage(value);
  if (stream.type === 'boolean') return value === 0 ? 'off' : 'on';
  if (stream.type === 'choice') return stream.choices?.[value] ?? `choice ${value}`;
  if (stream.type === 'colour') return `#${value.toString(16).padStart(6, '0')}`;
  if (stream.type === 'integer') return String(Math.round(value));
  const text = stream.decimals === null ? shortest(value) : value.toFixed(stream.decimals);
  return text === '-0' || /^-0\.0+$/.test(text) ? text.slice(1) : text;
}

/** A number with the digits it came with, never in powers of ten where people can still read it plain. */
function shortest(value: number): string {
  const text = String(Number(value.toPrecision(15)));
  return /e/.test(text) && Math.abs(value) < 1e21 && Math.abs(value) >= 1e-7 ? value.toFixed(0) : text;
}

/**
 * A mean without its unit, as people read it: of booleans the share of the readings that were on; of whole numbers, which
 * have no decimals of their own, with two, or as many as three digits take.
 */
export function meanValue(stream: Shown, mean: number): string {
  if (stream.type === 'boolean') return `${Math.round(mean * 1000) / 10} %`;
  if (stream.type === 'integer')
    return String(Number(Math.abs(mean) < 1 ? mean.toPrecision(3) : mean.toFixed(2)));
  return stream.decimals === null ? String(Number(mean.toPrecision(6))) : showValue(stream, mean);
}

/** A sum of values as text: of whole numbers a whole one, of on and off how often it was on. */
export function sumValue(stream: Shown, sum: number): string {
  if (stream.type === 'boolean') return String(sum);
  return stream.type === 'number' && stream.decimals === null
    ? String(Number(sum.toPrecision(12)))
    : showValue(stream, sum);
}

/** A sum with its unit. */
export function showSum(stream: Shown & Pick<Datastream, 'unit'>, sum: number): string {
  return [sumValue(stream, sum), showUnit(stream.unit)].filter(Boolean).join(' ');
}

/** A mean with its unit. */
export function showMean(stream: Shown & Pick<Datastream, 'unit'>, mean: number): string {
  return [meanValue(stream, mean), showUnit(stream.unit)].filter(Boolean).join(' ');
}

function showImage({ type, size }: ImageFacts): string {
  return `${type.slice(6).toUpperCase()} image, ${Math.max(1, Math.round(size / 1024))} KB`;
}

/** A value with its unit, as people read it. */
export function showReading(stream: Shown & Pick<Datastream, 'unit'>, value: Value): string {
  const unit = showUnit(stream.unit);
  return unit ? `${showValue(stream, value)} ${unit}` : showValue(stream, value);
}

/** A value as a device is told it: numbers plain, booleans `1` and `0`, choices and colours as text. */
export function wireValue(stream: Shown, value: number | string): string {
  return stream.type === 'choice' || stream.type === 'colour' ? showValue(stream, value) : String(value);
}
