import { isRefusal, refusal, type Refusal } from './refusals';
import { showUnit } from './units';
import type { Datastream } from './types';

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

/** A value as it is kept, and whether it lies outside the range of a datastream that only marks. */
export interface TakenValue {
  value: number;
  outOfRange: boolean;
}

/**
 * Turns a value as it came (JSON value or text) into the value that is kept.
 * Refuses with wrong-type, not-finite or out-of-range; `name` is the name the message used.
 */
export function takeValue(stream: Datastream, raw: unknown, name: string = stream.key): TakenValue | Refusal {
  const number = stream.type === 'boolean' ? readBoolean(raw, name) : readNumber(raw, name);
  if (typeof number !== 'number') return number;
  if (stream.type === 'integer' && !Number.isSafeInteger(number))
    return refusal(
      name,
      'wrong-type',
      `"${stream.key}" takes whole numbers; ${number} is not one. Round it, or make the datastream a number.`,
    );
  return takeRange(stream, number + 0, name);
}

/** True for a value that was taken rather than refused. */
export function isTaken(outcome: TakenValue | Refusal): outcome is TakenValue {
  return !isRefusal(outcome);
}

function readNumber(raw: unknown, name: string): number | Refusal {
  if (typeof raw === 'number') return Number.isFinite(raw) ? raw || 0 : refusal(name, 'not-finite');
  if (raw === null || raw === undefined) return refusal(name, 'not-finite');
  if (typeof raw === 'string') {
    const text = raw.trim();
    if (NOT_FINITE_WORDS.has(text.toLowerCase())) return refusal(name, 'not-finite');
    const value = NUMBER_PATTERN.test(text) ? Number(text) : Number.NaN;
    if (Number.isFinite(value)) return value || 0;
  }
  return refusal(name, 'wrong-type', `A number is expected; ${quote(raw)} is not one.`);
}

function readBoolean(raw: unknown, name: string): number | Refusal {
  if (raw === true || raw === 1) return 1;
  if (raw === false || raw === 0) return 0;
  if (raw === null || raw === undefined) return refusal(name, 'not-finite');
  if (typeof raw === 'number' && !Number.isFinite(raw)) return refusal(name, 'not-finite');
  if (typeof raw === 'string') {
    const text = raw.trim().toLowerCase();
    if (TRUE_WORDS.has(text)) return 1;
    if (FALSE_WORDS.has(text)) return 0;
    if (NOT_FINITE_WORDS.has(text)) return refusal(name, 'not-finite');
  }
  return refusal(
    name,
    'wrong-type',
    `true or false is expected (also 1/0, on/off, yes/no); ${quote(raw)} is neither.`,
  );
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

function quote(raw: unknown): string {
  const text = JSON.stringify(raw) ?? String(raw);
  return text.length > 40 ? `${text.slice(0, 40)}…` : text;
}

/** A value as people read it, without its unit: decimals of the datastream, on/off for booleans. */
export function showValue(stream: Pick<Datastream, 'type' | 'decimals'>, value: number): string {
  if (stream.type === 'boolean') return value === 0 ? 'off' : 'on';
  if (stream.type === 'integer') return String(Math.round(value));
  const text =
    stream.decimals === null ? String(Number(value.toPrecision(6))) : value.toFixed(stream.decimals);
  return text === '-0' || /^-0\.0+$/.test(text) ? text.slice(1) : text;
}

/** A value with its unit, as people read it. */
export function showReading(stream: Pick<Datastream, 'type' | 'decimals' | 'unit'>, value: number): string {
  const unit = showUnit(stream.unit);
  return unit ? `${showValue(stream, value)} ${unit}` : showValue(stream, value);
}

/** A value as a device is told it: numbers plain, booleans `1` and `0`. */
export function wireValue(value: number): string {
  return String(value);
}
