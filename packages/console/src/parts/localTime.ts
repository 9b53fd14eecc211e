import { dates } from './time';

const two = (part: number): string => String(part).padStart(2, '0');

/** A time as a field of date and time wants it, by the clock of whoever looks: 2026-11-26T09:30:00. */
export function toLocal(at: number): string {
  const date = dates().dateOf(at);
  return `${date.getFullYear()}-${two(date.getMonth() + 1)}-${two(date.getDate())}T${two(date.getHours())}:${two(date.getMinutes())}:${two(date.getSeconds())}`;
}

/** The time in such a field, or of one day, epoch ms; one that names its zone goes by that. Null where it is none. */
export function fromLocal(text: string): number | null {
  const parts = /^(\d{4,6})-(\d\d)-(\d\d)(?:[T ](\d\d):(\d\d)(?::(\d\d))?)?$/.exec(text.trim());
  if (parts === null) return numberOrNull(Date.parse(text));
  const [year, month, day, ...clock] = parts.slice(1).map((part) => Number(part ?? 0)) as Parts;
  return numberOrNull(dates().timeOf(year, month - 1, day, ...clock));
}
type Parts = [year: number, month: number, day: number, hour: number, minute: number, second: number];

const numberOrNull = (at: number): number | null => (Number.isNaN(at) ? null : at);
