/**
 * A backup is the SQL that MariaDB's own program writes, compressed, with lines of Peatmoor's in it that are comments to everybody else:
 * first what it is, last what was counted. One that was cut off has no last line.
 */
const MARK = '-- Peatmoor ';

/** What a backup is: said before all else. */
export interface BackupHead {
  format: 1;
  /** Version of the program that made it. */
  version: string;
  /** When, epoch ms. */
  madeAt: number;
  /** The migrations that its tables have been through. */
  migrations: string[];
  /** Settings of the program that made it, by their names. */
  settings: Record<string, string>;
}

/** Rows and a checksum of a table, or of one series in it. */
export interface Counted {
  rows: number;
  sum: number;
}

/** What was counted in the same moment that the dump is of; null where both could not be of one moment. */
export interface BackupEnd {
  tables: Record<string, Record<string, Counted>> | null;
}

/** A file of the data folder: certificates and the like. */
export interface BackupFile {
  path: string;
  body: string;
}

export type Marked =
  | { kind: 'head'; value: BackupHead }
  | { kind: 'file'; value: BackupFile }
  | { kind: 'end'; value: BackupEnd };

export function writeMark({ kind, value }: Marked): string {
  return `${MARK}${kind} ${JSON.stringify(value)}\n`;
}

/** What a line of a backup says to Peatmoor; null for one that is for the database. */
export function readMark(line: string): Marked | null {
  const found = /^-- Peatmoor (head|file|end) (\{.*\})$/.exec(line);
  if (found === null) return null;
  return { kind: found[1], value: JSON.parse(found[2]!) as unknown } as Marked;
}
