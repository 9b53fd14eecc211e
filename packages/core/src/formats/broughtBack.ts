import { exactTime } from '../readings/exactTime';
import { sheetCell } from '../history/rows';
import { looksLikeSenml, RELATIVE_BELOW_S } from './senml';

const STEPS = 1024;

/** What cannot be brought in, in a sentence. */
export class TableError extends Error {}

type Rows = Map<string, string>[];

/**
 * The table (CSV with a header row) of an export in JSON or SenML, so that it can be brought back as one in CSV can; any other text as it
 * is. Times keep their place between the milliseconds. Throws TableError where it cannot be read.
 */
export function asTable(text: string): string {
  if (!/^\s*\[/.test(text)) return text;
  let parsed: unknown;
  try {
    parsed = JSON.parse(text);
  } catch {
    throw new TableError('The file begins like JSON, and is not whole JSON; it may have been cut off.');
  }
  if (!Array.isArray(parsed) || parsed.some((one) => one === null || typeof one !== 'object'))
    throw new TableError('An array of objects is expected, as an export in JSON or SenML holds it.');
  const rows = looksLikeSenml(parsed) ? rowsOfPack(parsed) : rowsOfObjects(parsed as object[]);
  const columns = new Set(['at']);
  for (const row of rows) for (const name of row.keys()) columns.add(name);
  return [
    [...columns].map(sheetCell).join(','),
    ...rows.map((row) => [...columns].map((name) => row.get(name) ?? '').join(',')),
  ].join('\n');
}

function rowsOfObjects(objects: readonly object[]): Rows {
  return objects.map(
    (object) =>
      new Map(
        Object.entries(object).flatMap(([name, value]): [string, string][] =>
          value === null || name === 'n' ? [] : [[name, cellOf(value)]],
        ),
      ),
  );
}

/** Values of one time that stand beside each other are one row. */
function rowsOfPack(pack: readonly Record<string, unknown>[]): Rows {
  const rows: Rows = [];
  const base = { bn: '', bt: 0, bu: null as unknown, bv: 0 };
  const devices = new Set<string>();
  for (const record of pack) {
    for (const label of ['bn', 'bt', 'bu', 'bv'] as const)
      if (label in record) Object.assign(base, { [label]: record[label] });
    const value =
      typeof record.v === 'number' ? record.v + base.bv : (record.v ?? record.vs ?? record.vb ?? null);
    if (value === null) continue;
    const whole = `${base.bn}${typeof record.n === 'string' ? record.n : ''}`;
    const cut = Math.max(whole.lastIndexOf('/'), whole.lastIndexOf(':'));
    devices.add(whole.slice(0, Math.max(0, cut)));
    if (devices.size > 1)
      throw new TableError(
        `The file holds readings of several devices: ${[...devices].slice(0, 3).join(', ')}. Bring in those of one at a time.`,
      );
    const unit = record.u ?? base.bu;
    const name = whole.slice(cut + 1);
    const heading = typeof unit === 'string' && typeof value === 'number' ? `${name} (${unit})` : name;
    const at = timeOf(base.bt + (typeof record.t === 'number' ? record.t : 0));
    const last = rows.at(-1);
    if (last?.get('at') === at && !last.has(heading)) last.set(heading, cellOf(value));
    else
      rows.push(
        new Map([
          ['at', at],
          [heading, cellOf(value)],
        ]),
      );
  }
  return rows;
}

function timeOf(seconds: number): string {
  if (seconds === 0) return '';
  if (!(seconds >= RELATIVE_BELOW_S && seconds < 1e11))
    throw new TableError('The file has times that count from when it was sent; an export names each time.');
  return exactTime(Math.round(seconds * 1000 * STEPS) / STEPS);
}

function cellOf(value: unknown): string {
  if (typeof value === 'string') return sheetCell(value);
  if (typeof value !== 'object') return String(value);
  const { lat, lon, alt } = value as Record<string, unknown>;
  if (typeof lat !== 'number' || typeof lon !== 'number') return sheetCell(JSON.stringify(value));
  return sheetCell([lat, lon, ...(typeof alt === 'number' ? [alt] : [])].join(','));
}
