const two = (part: number): string => String(part).padStart(2, '0');

/** A time as a field of date and time wants it, in local time: 2026-11-26T09:30:00. */
export function toLocal(at: number): string {
  const date = new Date(at);
  return `${date.getFullYear()}-${two(date.getMonth() + 1)}-${two(date.getDate())}T${two(date.getHours())}:${two(date.getMinutes())}:${two(date.getSeconds())}`;
}

/** The time in such a field, epoch ms; null where it is none. */
export function fromLocal(text: string): number | null {
  const at = new Date(text).getTime();
  return Number.isNaN(at) ? null : at;
}
