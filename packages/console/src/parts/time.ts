const two = (part: number): string => String(part).padStart(2, '0');

/** Time of day; with the date when it is not today. */
export function showClock(at: number, now: number): string {
  const date = new Date(at);
  const clock = `${two(date.getHours())}:${two(date.getMinutes())}`;
  return date.toDateString() === new Date(now).toDateString()
    ? clock
    : `${date.getDate()} ${date.toLocaleString('en', { month: 'short' })} ${clock}`;
}

/** Time of day with seconds. */
export function showSeconds(at: number): string {
  const date = new Date(at);
  return `${two(date.getHours())}:${two(date.getMinutes())}:${two(date.getSeconds())}`;
}

/** How long ago, in the largest whole unit. */
export function showAgo(at: number, now: number): string {
  const seconds = Math.max(0, Math.round((now - at) / 1000));
  if (seconds < 60) return `${seconds} s ago`;
  if (seconds < 3600) return `${Math.floor(seconds / 60)} min ago`;
  if (seconds < 86_400) return `${Math.floor(seconds / 3600)} h ago`;
  return `${Math.floor(seconds / 86_400)} d ago`;
}
