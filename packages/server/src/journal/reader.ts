import type { Connection } from 'mariadb';
import { unpackBatch, type Batch } from '@peatmoor/core';

/** Those who read the journal and keep how far they have come. Rows go once all of them have read them. */
export const READERS = ['folding', 'rules', 'computing'] as const;
export type Reader = (typeof READERS)[number];

export interface JournalEntry {
  writer: number;
  seq: number;
  batch: Batch;
}

interface Row {
  writer: number;
  seq: number;
  body: Buffer;
}

/**
 * The next entries after a reader's offset, in order for each writer; at most `most`. `reached` tells of writers of which
 * more was read in this transaction already.
 */
export async function readJournal(
  connection: Connection,
  reader: Reader,
  most: number,
  reached: ReadonlyMap<number, number> = new Map(),
): Promise<JournalEntry[]> {
  const offsets = (await connection.query(
    'SELECT w.id AS writer, COALESCE(o.seq, 0) AS seq FROM journalWriters w LEFT JOIN journalOffsets o ON o.writer = w.id AND o.reader = ? ORDER BY w.id',
    [reader],
  )) as { writer: number; seq: number }[];
  const entries: JournalEntry[] = [];
  for (const { writer, seq } of offsets) {
    const rows = (await connection.execute(
      'SELECT writer, seq, body FROM journal WHERE writer = ? AND seq > ? ORDER BY seq LIMIT ?',
      [writer, reached.get(writer) ?? seq, most - entries.length],
    )) as Row[];
    for (const row of rows) entries.push({ writer, seq: Number(row.seq), batch: unpackBatch(row.body) });
    if (entries.length >= most) break;
  }
  return entries;
}

/** Keeps how far a reader has come; to be called in the transaction of what it did. */
export async function keepOffsets(
  connection: Connection,
  reader: Reader,
  entries: readonly Pick<JournalEntry, 'writer' | 'seq'>[],
): Promise<Map<number, number>> {
  const reached = new Map<number, number>();
  for (const { writer, seq } of entries) reached.set(writer, Math.max(seq, reached.get(writer) ?? 0));
  for (const [writer, seq] of reached)
    await connection.execute(
      'INSERT INTO journalOffsets (reader, writer, seq) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE seq = GREATEST(seq, VALUES(seq))',
      [reader, writer, seq],
    );
  return reached;
}

/** Moves a reader that has nothing to do past everything that is in the journal now. */
export async function passJournal(connection: Connection, reader: Reader): Promise<void> {
  await connection.execute(
    'INSERT INTO journalOffsets (reader, writer, seq) SELECT ?, writer, MAX(seq) FROM journal GROUP BY writer ON DUPLICATE KEY UPDATE seq = GREATEST(seq, VALUES(seq))',
    [reader],
  );
}

/** How many commits each reader has still to read. */
export async function readersBehind(connection: Connection): Promise<Record<Reader, number>> {
  const rows = (await connection.query(
    `SELECT r.reader, COALESCE(SUM(GREATEST(0, CAST(j.newest AS SIGNED) - COALESCE(o.seq, j.oldest - 1))), 0) AS commits
      FROM (${READERS.map((reader) => `SELECT '${reader}' AS reader`).join(' UNION ALL ')}) r
      CROSS JOIN (SELECT writer, MAX(seq) AS newest, MIN(seq) AS oldest FROM journal GROUP BY writer) j
      LEFT JOIN journalOffsets o ON o.reader = r.reader AND o.writer = j.writer GROUP BY r.reader`,
  )) as { reader: Reader; commits: number }[];
  return Object.fromEntries(
    READERS.map((reader) => [reader, Number(rows.find((row) => row.reader === reader)?.commits ?? 0)]),
  ) as Record<Reader, number>;
}

/** Deletes journal rows that every reader has read, and writers of long ago that have none left. */
export async function trimJournal(connection: Connection, current: readonly number[]): Promise<void> {
  const rows = (await connection.query(
    'SELECT writer, MIN(seq) AS seq, COUNT(*) AS readers FROM journalOffsets GROUP BY writer',
  )) as {
    writer: number;
    seq: number;
    readers: number;
  }[];
  for (const { writer, seq, readers } of rows)
    if (Number(readers) === READERS.length)
      await connection.execute('DELETE FROM journal WHERE writer = ? AND seq <= ?', [writer, seq]);
  const old = (await connection.query(
    'SELECT id FROM journalWriters w WHERE startedAt < ? AND id NOT IN (?) AND NOT EXISTS (SELECT 1 FROM journal j WHERE j.writer = w.id)',
    [Date.now() - 86_400_000, [...current]],
  )) as { id: number }[];
  for (const { id } of old) {
    await connection.execute('DELETE FROM journalOffsets WHERE writer = ?', [id]);
    await connection.execute('DELETE FROM journalWriters WHERE id = ?', [id]);
  }
}
