import { DateTime } from 'luxon';
import Papa from 'papaparse';
import { RIGHT_TIME } from '../history/rows';
import { partOfMs } from '../readings/exactTime';
import { foldName, type NameIndex } from '../readings/names';
import { refusal, type Refusal } from '../readings/refusals';
import { TIME_NAMES } from '../readings/time';
import type { Datastream } from '../readings/types';
import { counted } from '../words';
import { refuseTableSize } from './bounds';
import type { ReportRow } from './report';

/** How a table is written, found out from as much of it as there is. */
export interface SheetForm {
  separator: string;
  /** Numbers have a comma before their decimals. */
  decimalComma: boolean;
  /** In dates such as 03/04/2026 the day stands first; null where no date says. */
  dayFirst: boolean | null;
}

/** A row of a table: its line in the file, and either what it says or why it cannot be taken. */
export type SheetRow = { line: number } & (ReportRow | { refused: Refusal });

export interface Sheet {
  /** Rows are read as they are asked for, so that a long table can be read in turns. */
  rows: Iterable<SheetRow>;
  form: SheetForm;
  /** How the rows that were read were read where that was not plain, in sentences. */
  notes: () => string[];
}

/** Letters of a file that are looked at to find out how it is written. */
const LOOKED_AT = 400_000;
const NUMBER_WITH_COMMA = /^[-+]?(\d+|\d{1,3}(\.\d{3})+),\d+(e[-+]?\d+)?$/i;
const DATE_WITH_PARTS = /^(\d{1,2})([./-])(\d{1,2})\2(\d{4})\b/;
const isTimeName = (name: string): boolean => (TIME_NAMES as readonly string[]).includes(name);
const OFFSET_NAMES = ['offset', 'utc_offset', 'zone'];

/**
 * The text of a file's bytes: UTF-8 or UTF-16 by its mark, UTF-8 where it is whole, otherwise Latin-1 as spreadsheets of the
 * West write it.
 */
export function decodeFile(bytes: Uint8Array): string {
  const [first, second] = bytes;
  if (first === 0xff && second === 0xfe) return new TextDecoder('utf-16le').decode(bytes);
  if (first === 0xfe && second === 0xff) return new TextDecoder('utf-16be').decode(bytes);
  // Without a mark: plain letters in two bytes each have every other one empty.
  if (bytes.length > 3 && bytes[1] === 0 && bytes[3] === 0) return new TextDecoder('utf-16le').decode(bytes);
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return new TextDecoder('windows-1252').decode(bytes);
  }
}

/** Finds out how a table is written: from a whole file, or its first part. */
export function sheetForm(text: string): SheetForm {
  const { separator, body } = separatorOf(text.slice(0, LOOKED_AT));
  const cells = Papa.parse<string[]>(body, { delimiter: separator, skipEmptyLines: 'greedy' })
    .data.slice(1)
    .flat();
  let dayFirst: boolean | null = null;
  for (const cell of cells) {
    const [, a, mark, b] = DATE_WITH_PARTS.exec(cell.trim()) ?? [];
    if (a === undefined) continue;
    if (mark === '.' || Number(a) > 12) dayFirst = true;
    else if (Number(b) > 12) dayFirst = false;
    if (dayFirst !== null) break;
  }
  return {
    separator,
    decimalComma: separator !== ',' && cells.some((cell) => NUMBER_WITH_COMMA.test(cell.trim())),
    dayFirst,
  };
}

/** One part of a table: its header row again, some lines, the number of the first, and how much of the file it completes. */
export interface SheetPart {
  header: string;
  lines: string[];
  firstRow: number;
  share: number;
}

/** Cuts a table into parts of so many lines, cells and letters at the most. Only a line end outside of quotes ends a row. */
export function* sheetParts(
  text: string,
  { separator }: SheetForm,
  mostLines: number,
  mostCells: number,
  mostLetters: number,
): Generator<SheetPart> {
  const { body, lines: before } = separatorOf(text);
  const rows: string[] = [];
  let open: string | null = null;
  for (const line of body.split(/\r\n|\n|\r/)) {
    const row: string = open === null ? line : `${open}\n${line}`;
    // Quotes come in pairs in a whole row.
    if ((row.match(/"/g)?.length ?? 0) % 2 === 1 && row.length < mostLetters) open = row;
    else {
      open = null;
      rows.push(row);
    }
  }
  if (open !== null) rows.push(open);
  const header = rows.shift() ?? '';
  while (rows.at(-1)?.trim() === '') rows.pop();
  const most = Math.max(1, Math.min(mostLines, Math.floor(mostCells / header.split(separator).length)));
  let lines: string[] = [];
  let letters = 0;
  let firstRow = 2 + before;
  for (const [i, row] of rows.entries()) {
    lines.push(row);
    letters += row.length + 1;
    if (lines.length < most && letters < mostLetters && i < rows.length - 1) continue;
    yield { header, lines, firstRow, share: (i + 1) / rows.length };
    firstRow += lines.length;
    lines = [];
    letters = 0;
  }
  if (rows.length === 0) yield { header, lines, firstRow, share: 1 };
}

/** A first line `sep=;`, as spreadsheets write it, or else what separates the cells of the first rows. */
function separatorOf(text: string): { separator: string; body: string; lines: number } {
  const plain = text.replace(/^\uFEFF/, '');
  const said = /^sep=(.)\r?\n/i.exec(plain);
  if (said !== null) return { separator: said[1]!, body: plain.slice(said[0].length), lines: 1 };
  const { meta } = Papa.parse(plain, { preview: 20, skipEmptyLines: 'greedy' });
  return { separator: meta.delimiter || ',', body: plain, lines: 0 };
}

type Stream = Pick<Datastream, 'key' | 'title' | 'type' | 'direction' | 'computation'>;

/** What a column holds. */
type Column =
  | { is: 'date' | 'time' | 'moment' | 'offset' }
  | { is: 'value'; name: string; unit: string | null }
  | { is: 'computed'; key: string };

/**
 * Reads a table of readings as people and spreadsheets write it: any separator, decimal comma, dates of many forms, headings
 * with units, date and time in columns of their own. `zone`: where clocks without a zone stood. A row that has another number
 * of cells, or a time that nobody can read, is refused alone. Gives what is wrong in words where it is no table at all.
 */
export function readSheet<S extends Stream>(
  text: string,
  index: NameIndex<S>,
  streams: readonly S[],
  { zone, form = sheetForm(text), firstRow = 2 }: { zone: string; form?: SheetForm; firstRow?: number },
): Sheet | string {
  const large = refuseTableSize(text);
  if (large !== null) return large.hint;
  const { body } = separatorOf(text);
  const { data, errors } = Papa.parse<string[]>(body.trim(), {
    delimiter: form.separator,
    skipEmptyLines: 'greedy',
  });
  const quotes = errors.find(({ type }) => type === 'Quotes');
  if (quotes !== undefined) return `Row ${(quotes.row ?? 0) + 1}: ${quotes.message}.`;
  const [header, ...rows] = data;
  if (header === undefined || rows.length === 0)
    return 'A header row of names and at least one row of values are expected.';
  const columns = columnsOf(header, index, streams);
  if (typeof columns === 'string') return columns;
  const noted = { zone: false, day: false };
  const read = (cells: readonly string[], line: number): SheetRow => {
    if (cells.length !== header.length)
      return {
        line,
        refused: refusal(
          '',
          'unreadable',
          `The row has ${counted(cells.length, 'cell')}, but the header has ${header.length}.`,
        ),
      };
    const at = timeOf(cells, columns, zone, form, noted);
    if (typeof at !== 'number') return { line, refused: at };
    const values: ReportRow['values'] = [];
    for (const [i, column] of columns.entries()) {
      const cell = cells[i]!.trim();
      if (column.is !== 'value' || cell === '') continue;
      const value = form.decimalComma && NUMBER_WITH_COMMA.test(cell) ? plainNumber(cell) : cell;
      values.push(column.unit === null ? [column.name, value] : [column.name, value, column.unit]);
    }
    return { line, at, values };
  };
  const computed = columns.flatMap((column) => (column.is === 'computed' ? [column.key] : []));
  return {
    rows: {
      *[Symbol.iterator]() {
        for (const [i, cells] of rows.entries()) yield read(cells, firstRow + i);
      },
    },
    form,
    notes: () => [
      ...(noted.zone ? [`Times without a zone were read in ${zone}.`] : []),
      ...(noted.day && form.dayFirst === null ? ['Dates were read with the day first.'] : []),
      ...(form.decimalComma ? ['Numbers were read with a comma before their decimals.'] : []),
      ...(computed.length > 0 ? [`Computed, so passed over: ${computed.join(', ')}.`] : []),
    ],
  };
}

const plainNumber = (cell: string): string => cell.replaceAll('.', '').replace(',', '.');

function columnsOf<S extends Stream>(
  header: readonly string[],
  index: NameIndex<S>,
  streams: readonly S[],
): Column[] | string {
  const titles = new Map(streams.map((stream) => [foldName(stream.title), stream]));
  const columns: Column[] = [];
  for (const heading of header) {
    const name = heading.trim();
    if (name === '') return 'A column of the header row has no name.';
    if (name.endsWith(RIGHT_TIME.slice(2)))
      return 'The table holds values that calibrations made right; brought back, they would be corrected twice. Export it with values=raw, and import that.';
    const [, plain = name, unit = null] = /^(.*?)\s*\(([^()]*)\)$/.exec(name) ?? [];
    // A datastream may be called as its key, a pin or another name says, or by its title as a sheet writes it.
    const stream =
      index.find(name) ?? titles.get(foldName(name)) ?? titles.get(foldName(plain)) ?? index.find(plain);
    const folded = foldName(plain);
    if (stream?.computation) columns.push({ is: 'computed', key: stream.key });
    else if (stream !== undefined)
      columns.push({ is: 'value', name: stream.key, unit: index.find(name) === undefined ? unit : null });
    else if (OFFSET_NAMES.includes(folded)) columns.push({ is: 'offset' });
    else if (isTimeName(folded))
      columns.push({ is: folded === 'date' || folded === 'time' ? folded : 'moment' });
    else columns.push({ is: 'value', name, unit: null });
  }
  const has = (is: Column['is']): boolean => columns.some((column) => column.is === is);
  // A column `time` beside one `at` or `timestamp` is one more time: the first says when.
  const both = has('date') && has('time') && !has('moment');
  let found = both;
  for (const [i, { is }] of columns.entries()) {
    if (is !== 'date' && is !== 'time' && is !== 'moment') continue;
    if (both) continue;
    columns[i] = found ? { is: 'offset' } : { is: 'moment' };
    found = true;
  }
  return found ? columns : 'No column says when: one called at, time, timestamp or date is needed.';
}

function timeOf(
  cells: readonly string[],
  columns: readonly Column[],
  zone: string,
  form: SheetForm,
  noted: { zone: boolean; day: boolean },
): number | Refusal {
  const of = (is: Column['is']): string =>
    cells[columns.findIndex((column) => column.is === is)]?.trim() ?? '';
  const text = of('moment') || `${of('date')} ${of('time')}`.trim();
  const offset = /^[+-]\d\d:?\d\d$/.exec(of('offset'))?.[0] ?? '';
  if (text === '') return refusal('at', 'wrong-type', 'The row has no time.');
  const at = readMomentOf(text, offset, zone, form, noted);
  return (
    at ??
    refusal(
      'at',
      'wrong-type',
      `"${text.slice(0, 40)}" is not a time such as 2026-05-01T12:00:00Z, 1.5.2026 12:00 or milliseconds since 1970.`,
    )
  );
}

/** Days of spreadsheets are counted from here; a time of day is their fraction. */
const SHEET_EPOCH = { year: 1899, month: 12, day: 30 };

function readMomentOf(
  text: string,
  offset: string,
  zone: string,
  form: SheetForm,
  noted: { zone: boolean; day: boolean },
): number | null {
  if (text.length > 60) return null;
  const plain = text.replace(/^'/, '').replace(/(\d),(\d+)$/, '$1.$2');
  if (/^\d{12,14}(\.\d+)?$/.test(plain)) return Math.round(Number(plain));
  if (/^\d{10}(\.\d+)?$/.test(plain)) return Math.round(Number(plain) * 1000);
  const local = (moment: DateTime): number | null => {
    if (!moment.isValid) return null;
    noted.zone = true;
    return moment.toMillis();
  };
  if (/^[2-9]\d{4}(\.\d+)?$/.test(plain)) {
    const [days, part] = [Math.floor(Number(plain)), Number(plain) % 1];
    const ms = Math.round(part * 86_400_000);
    return local(
      DateTime.fromObject(SHEET_EPOCH, { zone })
        .plus({ days })
        .set({
          hour: Math.floor(ms / 3_600_000),
          minute: Math.floor(ms / 60_000) % 60,
          second: Math.floor(ms / 1000) % 60,
          millisecond: ms % 1000,
        }),
    );
  }
  const parts = DATE_WITH_PARTS.exec(plain);
  let iso = plain.replace(
    /^(\d{4})\/(\d{1,2})\/(\d{1,2})/,
    (_, year: string, month: string, day: string) =>
      `${year}-${month.padStart(2, '0')}-${day.padStart(2, '0')}`,
  );
  if (parts !== null) {
    const [whole, a, , b, year] = parts;
    if (form.dayFirst === null) noted.day = true;
    const [day, month] = (form.dayFirst ?? true) ? [a!, b!] : [b!, a!];
    iso = `${year}-${month.padStart(2, '0')}-${day.padStart(2, '0')}${plain.slice(whole.length)}`;
  }
  const [, date, clock = '', half = '', own = ''] =
    /^(\d{4}-\d\d-\d\d)(?:[T ,]+(\d{1,2}:\d\d(?::\d\d(?:\.\d{1,9})?)?)\s*([ap]\.?m\.?)?)?\s*(Z|UTC|[+-]\d\d:?\d\d)?$/i.exec(
      iso,
    ) ?? [];
  if (date === undefined) return null;
  const [hour = '0', ...rest] = clock.split(':');
  const hours = half === '' ? Number(hour) : (Number(hour) % 12) + (/^p/i.test(half) ? 12 : 0);
  const time = clock === '' ? '00:00' : `${String(hours).padStart(2, '0')}:${rest.join(':')}`;
  const said = (own || offset).replace(/utc/i, 'Z');
  const moment = DateTime.fromISO(`${date}T${time}${said}`, { zone });
  const [, digits = ''] = /\.(\d+)$/.exec(clock) ?? [];
  const ms = said === '' ? local(moment) : moment.isValid ? moment.toMillis() : null;
  return ms === null ? null : ms + partOfMs(digits);
}
