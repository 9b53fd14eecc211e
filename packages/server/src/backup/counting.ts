import type { Connection } from 'mariadb';
import { counted as inWords } from '@peatmoor/core';
import { group } from 'd3-array';
import type { BackupEnd, Counted } from './marks';

interface Column {
  tableName: string;
  name: string;
  type: string;
}

const BYTES = /char|text|blob|binary|json/;
/** What belongs to the service that runs, and changes by itself. */
const PASSING = new Set(['leases', 'journalWriters', 'limits', 'repeats']);

/** Counts rows and makes a checksum of each table; of those with series, of each series. `onTable` hears how far it is, from 0 to 1. */
export async function countAll(
  connection: Connection,
  onTable: (part: number) => void = () => undefined,
): Promise<NonNullable<BackupEnd['tables']>> {
  const columns = (await connection.query(
    `SELECT TABLE_NAME AS tableName, COLUMN_NAME AS name, DATA_TYPE AS type FROM information_schema.COLUMNS
      WHERE TABLE_SCHEMA = DATABASE() ORDER BY TABLE_NAME, COLUMN_NAME`,
  )) as Column[];
  const tables = group(columns, ({ tableName }) => tableName);
  const counted: NonNullable<BackupEnd['tables']> = {};
  let done = 0;
  for (const [table, ofTable] of tables) {
    if (!PASSING.has(table)) counted[table] = await countTable(connection, table, ofTable);
    onTable(++done / tables.size);
  }
  return counted;
}

async function countTable(
  connection: Connection,
  table: string,
  columns: readonly Column[],
): Promise<Record<string, Counted>> {
  // Lengths go along, so that what is moved from one column to the next is seen.
  const texts = columns.map(({ name, type }) =>
    BYTES.test(type) ? `COALESCE(HEX(\`${name}\`), '~')` : `COALESCE(CAST(\`${name}\` AS CHAR), '~')`,
  );
  const series = columns.some(({ name }) => name === 'seriesId') ? 'seriesId' : "''";
  const rows = (await connection.query(
    `SELECT ${series} AS part, COUNT(*) AS counted, BIT_XOR(CRC32(CONCAT_WS('|', ${texts.join(', ')}))) AS sum FROM \`${table}\` GROUP BY part`,
  )) as { part: string | number; counted: number; sum: number }[];
  return Object.fromEntries(
    rows.map(({ part, counted, sum }) => [String(part), { rows: Number(counted), sum: Number(sum) }]),
  );
}

/** Where two countings differ, in words; empty where they do not. */
export function differences(
  before: NonNullable<BackupEnd['tables']>,
  after: NonNullable<BackupEnd['tables']>,
): string[] {
  return Object.entries(before).flatMap(([table, parts]) =>
    [...new Set([...Object.keys(parts), ...Object.keys(after[table] ?? {})])].flatMap((part) => {
      const [a, b] = [parts[part], after[table]?.[part]];
      if (a !== undefined && b !== undefined && a.rows === b.rows && a.sum === b.sum) return [];
      const place = part === '' ? table : `${table} of series ${part}`;
      return [
        a?.rows === b?.rows
          ? `${place}: ${inWords(a?.rows ?? 0, 'row')}, not the same`
          : `${place}: ${inWords(a?.rows ?? 0, 'row')} before, ${b?.rows ?? 0} after`,
      ];
    }),
  );
}
