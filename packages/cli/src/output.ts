import { Command } from 'commander';
import { colours } from './colours';

/** Prints lines to standard output. */
export function say(text: string): void {
  process.stdout.write(`${text}\n`);
}

/** Prints a value as JSON where --json was given, otherwise as the text made of it. */
export function print<T>(command: Command, value: T, text: (value: T) => string): void {
  say(command.optsWithGlobals<{ json?: boolean }>().json ? JSON.stringify(value, null, 2) : text(value));
}

/** Says that something is done: as JSON its facts, otherwise a sentence. */
export function done(command: Command, facts: Record<string, unknown>, text: string): void {
  print(command, facts, () => text);
}

/** A word of a table in the colour of what it means, on a terminal that has colours (NO_COLOR is obeyed). */
function coloured(cell: string): string {
  if (/^(open|no reading since|not heard since|refused|expired|✗)(?!\w)/.test(cell.trim()))
    return colours.red(cell);
  if (/^(online|applied|confirmed)(?!\w)/.test(cell.trim())) return colours.green(cell);
  return cell;
}

/** A number, with a unit or as a length of time; not a date, and not a sentence that begins with one. */
const NUMBER = /^(–|-?[\d.,]+( \S+)?( [\d.]+ \S+)*)$/;

/** Rows as a table with aligned columns; numbers to the right, but for the first column, which names the row. */
export function table(head: string[], rows: (string | number | null)[][], empty: string): string {
  if (rows.length === 0) return empty;
  const cells = rows.map((row) => row.map((cell) => (cell === null ? '–' : String(cell))));
  const widths = head.map((name, i) =>
    Math.max(name.length, ...cells.map((row) => [...(row[i] ?? '')].length)),
  );
  const right = head.map((_, i) => i > 0 && cells.every((row) => NUMBER.test(row[i] ?? '–')));
  const line = (row: string[], paint: (cell: string) => string): string => {
    const last = row.findLastIndex((cell) => cell !== '');
    return row
      .slice(0, last + 1)
      .map((cell, i) => {
        const room = ' '.repeat(widths[i]! - [...cell].length);
        return right[i] ? room + paint(cell) : paint(cell) + (i === last ? '' : room);
      })
      .join('   ');
  };
  return [line(head, colours.bold), ...cells.map((row) => line(row, coloured))].join('\n');
}

/** A time as people read it, in local time. */
export function showTime(at: number | null): string {
  if (at === null) return 'never';
  const date = new Date(at);
  const two = (part: number): string => String(part).padStart(2, '0');
  return `${date.getFullYear()}-${two(date.getMonth() + 1)}-${two(date.getDate())} ${two(date.getHours())}:${two(date.getMinutes())}:${two(date.getSeconds())}`;
}

/** A whole number from 1 on, as somebody writes it for `what`. Throws RangeError with what is expected. */
export function readCount(text: string, what: string): number {
  if (!/^[1-9]\d{0,8}$/.test(text))
    throw new RangeError(`${what} is a whole number from 1 on; "${text}" is not.`);
  return Number(text);
}

/** A number as somebody writes it for `what`. Throws RangeError with what is expected. */
export function readNumber(text: string, what: string): number {
  const number = Number(text);
  if (text.trim() === '' || !Number.isFinite(number))
    throw new RangeError(`${what} is a number; "${text}" is not.`);
  return number;
}

/** A length of time such as 90s, 10min, 24h, 7d, in ms. Throws RangeError with what is expected. */
export function readDuration(text: string): number {
  const match = /^(\d+(?:\.\d+)?)\s*(ms|s|min|m|h|d)$/.exec(text.trim());
  const sizes: Record<string, number> = {
    ms: 1,
    s: 1000,
    min: 60_000,
    m: 60_000,
    h: 3_600_000,
    d: 86_400_000,
  };
  if (match === null) throw new RangeError(`"${text}" is not a length of time; write 90s, 10min, 24h or 7d.`);
  return Math.round(Number(match[1]) * sizes[match[2]!]!);
}

/** A time in ISO 8601, in epoch ms; null where none is given. Throws with what is expected. */
export function readMoment(text: string | undefined): number | null {
  if (text === undefined) return null;
  const at = Date.parse(text);
  if (Number.isNaN(at)) throw new RangeError(`"${text}" is not a time such as 2026-03-01T10:00Z.`);
  return at;
}
