import { refusal, type Refusal } from './refusals';

export const OLDEST_MS = 10 * 366 * 86_400_000;
export const AHEAD_MS = 5 * 60_000;

/** Names of the time of a reading beside `at`, where no datastream is called so; the surest first. */
export const TIME_NAMES = ['at', 'timestamp', 'datetime', 'date_time', 'date', 'time'] as const;

const ISO_PATTERN = /^\d{4}-\d\d-\d\d([T ]\d\d:\d\d(:\d\d(\.\d{1,9})?)?(Z|[+-]\d\d:?\d\d)?)?$/;

/**
 * Reads an `at`: ISO 8601 text (UTC where no zone is given) epoch milliseconds, or epoch seconds (ten digits, perhaps with a fraction).
 * Absent gives `receivedMs`; `aheadMs`: how far ahead of that a time may lie. Refuses with wrong-type, too-old or in-the-future.
 */
export function readAt(raw: unknown, receivedMs: number, aheadMs = AHEAD_MS): number | Refusal {
  if (raw === undefined || raw === null || raw === '') return receivedMs;
  const at = toMs(raw);
  if (at === null)
    return refusal(
      'at',
      'wrong-type',
      'A time in ISO 8601 (2026-05-01T12:00:00Z) or in milliseconds since 1970 is expected.',
    );
  if (at < receivedMs - OLDEST_MS) return refusal('at', 'too-old');
  return at > receivedMs + aheadMs ? refusal('at', 'in-the-future') : at;
}

/** Ten digits before the point are seconds since 1970, with their fractions; all else is milliseconds. */
const fromNumber = (at: number): number => Math.round(at >= 1e9 && at < 1e10 ? at * 1000 : at);

function toMs(raw: unknown): number | null {
  if (typeof raw === 'number') return Number.isFinite(raw) ? fromNumber(raw) : null;
  if (typeof raw !== 'string') return null;
  if (raw.length > 60) return null;
  const text = raw.trim();
  if (/^\d{1,15}(\.\d{1,9})?$/.test(text)) return fromNumber(Number(text));
  if (!ISO_PATTERN.test(text)) return null;
  const zoned = /(Z|[+-]\d\d:?\d\d)$/.test(text) || text.length === 10;
  const ms = Date.parse(zoned ? text : `${text.replace(' ', 'T')}Z`);
  // 30 February is no day, though some read it as 2 March.
  const day = Number(text.slice(8, 10));
  const month = Date.UTC(Number(text.slice(0, 4)), Number(text.slice(5, 7)) - 1, day);
  return Number.isNaN(ms) || new Date(month).getUTCDate() !== day ? null : ms;
}
