import type { Connection } from 'mariadb';
import { unpackBatch, type Commit } from '@peatmoor/core';

/** Those who read the journal and keep how far they have come. Rows go once all of them have read them. */
export const READERS = ['folding', 'rules', 'computing'] as const;
export type Reader = (typeof READERS)[number];

/** A place in the journal: commits of one writer in one part are numbered without a gap. */
export interface JournalPlace {
  writer: number;
  part: number;
  seq: number;
}

export interface JournalEntry extends JournalPlace, Commit {
  /** When it was committed, epoch ms: when its readings came. */
  at: number;
}

/** An entry that cannot be read: its bytes are damaged. */
export interface DamagedEntry extends JournalPlace {
  body: Buffer;
  reason: string;
}

/** What the next look at the journal gives. */
export interface Looked {
  entries: JournalEntry[];
  damaged: DamagedEntry[];
  /** True where there may be more. */
  more: boolean;
}

/** One number for a writer in a part, for maps. */
export const lineOf = ({ writer, part }: Pick<JournalPlace, 'writer' | 'part'>): string =>
  `${writer}/${part}`;

/** One of those who read the journal: each reads a part of it, or one all of them. */
export interface ReaderPart {
  reader: Reader;
  part: number | 'all';
}

/**
 * The next entries of a part after a reader's offsets, at most `most` of each writer: in order for each of them, and all together in
 * the order in which they were committed, so that a device that comes to another node is read in its order. `reached` tells of places
 * up to which was read in this transaction already.
 */
export async function readJournal(
  connection: Connection,
  { reader, part }: ReaderPart,
  most: number,
  reached: ReadonlyMap<string, number> = new Map(),
): Promise<Looked> {
  // Only those with something to read; the names of writers alone come from the key, not from the rows.
  const lines = (await connection.query(
    `SELECT j.writer, j.part, COALESCE(o.seq, 0) AS seq, j.newest FROM (SELECT writer, part, MAX(seq) AS newest FROM journal GROUP BY writer, part${having(part)}) j
      LEFT JOIN journalOffsets o ON o.writer = j.writer AND o.part = j.part AND o.reader = ? WHERE j.newest > COALESCE(o.seq, 0) ORDER BY j.writer, j.part`,
    [reader],
  )) as (JournalPlace & { newest: number })[];
  const open = lines.flatMap(({ writer, part, seq, newest }): Line[] => {
    const from = Math.max(Number(seq), reached.get(lineOf({ writer, part })) ?? 0);
    return Number(newest) <= from ? [] : [{ writer, part, from, to: Number(newest) }];
  });
  const looked: Looked = { entries: [], damaged: [], more: false };
  const rows: Row[] = [];
  // What is behind the end of a line that was not read whole waits for the next look, of all lines.
  let until = Infinity;
  for (const line of open) {
    const read = await readLine(connection, line, most);
    rows.push(...read);
    if (read.length < most) continue;
    looked.more = true;
    until = Math.min(until, read.at(-1)!.order);
  }
  // Within a line the order holds anyway; sorting is stable.
  if (open.length > 1) rows.sort((a, b) => a.order - b.order);
  for (const { place, body, order } of rows) {
    if (order > until) break;
    try {
      looked.entries.push({ ...place, ...unpackBatch(body), at: order });
    } catch (error) {
      looked.damaged.push({ ...place, body, reason: (error as Error).message });
    }
  }
  return looked;
}

/** Lines of one part, found by their names alone. */
const having = (part: ReaderPart['part']): string => (part === 'all' ? '' : ` HAVING part = ${part}`);

interface Line {
  writer: number;
  part: number;
  from: number;
  /** Up to here it was there when all lines were looked at: what came since may follow something of another line that is not read. */
  to: number;
}

interface Row {
  place: JournalPlace;
  body: Buffer;
  /** When it was committed, epoch ms; never less than of those before it in its line. */
  order: number;
}

async function readLine(
  connection: Connection,
  { writer, part, from, to }: Line,
  most: number,
): Promise<Row[]> {
  const rows = (await connection.execute(
    'SELECT seq, committedAt, body FROM journal WHERE writer = ? AND part = ? AND seq > ? AND seq <= ? ORDER BY seq LIMIT ?',
    [writer, part, from, to, most],
  )) as { seq: number; committedAt: number; body: Buffer }[];
  let order = -Infinity;
  return rows.map(({ seq, committedAt, body }) => {
    order = Math.max(order, Number(committedAt));
    return { place: { writer, part, seq: Number(seq) }, body, order };
  });
}

/** Keeps how far a reader has come; to be called in the transaction of what it did. */
export async function keepOffsets(
  connection: Connection,
  reader: Reader,
  places: readonly JournalPlace[],
): Promise<JournalPlace[]> {
  const reached = new Map<string, JournalPlace>();
  for (const place of places) {
    const known = reached.get(lineOf(place));
    if (known === undefined || place.seq > known.seq) reached.set(lineOf(place), place);
  }
  for (const { writer, part, seq } of reached.values())
    await connection.execute(
      'INSERT INTO journalOffsets (reader, writer, part, seq) VALUES (?, ?, ?, ?) ON DUPLICATE KEY UPDATE seq = GREATEST(seq, VALUES(seq))',
      [reader, writer, part, seq],
    );
  return [...reached.values()];
}

/** Moves a reader that has nothing to do past everything that is in its part of the journal now. */
export async function passJournal(connection: Connection, { reader, part }: ReaderPart): Promise<void> {
  await connection.execute(
    `INSERT INTO journalOffsets (reader, writer, part, seq) SELECT ?, writer, part, seq FROM (SELECT writer, part, MAX(seq) AS seq FROM journal GROUP BY writer, part${having(part)}) j ON DUPLICATE KEY UPDATE seq = GREATEST(journalOffsets.seq, VALUES(seq))`,
    [reader],
  );
}

/** How far a reader has come, for each writer and part. */
export async function offsetsOf(connection: Connection, reader: Reader): Promise<JournalPlace[]> {
  const rows = (await connection.execute('SELECT writer, part, seq FROM journalOffsets WHERE reader = ?', [
    reader,
  ])) as JournalPlace[];
  return rows.map(({ writer, part, seq }) => ({ writer, part, seq: Number(seq) }));
}

/** How many commits each reader has still to read. */
export async function readersBehind(connection: Connection): Promise<Record<Reader, number>> {
  const rows = (await connection.query(
    `SELECT r.reader, COALESCE(SUM(GREATEST(0, CAST(j.newest AS SIGNED) - COALESCE(o.seq, j.oldest - 1))), 0) AS commits
      FROM (${READERS.map((reader) => `SELECT '${reader}' AS reader`).join(' UNION ALL ')}) r
      CROSS JOIN (SELECT writer, part, MAX(seq) AS newest, MIN(seq) AS oldest FROM journal GROUP BY writer, part) j
      LEFT JOIN journalOffsets o ON o.reader = r.reader AND o.writer = j.writer AND o.part = j.part GROUP BY r.reader`,
  )) as { reader: Reader; commits: number }[];
  return Object.fromEntries(
    READERS.map((reader) => [reader, Number(rows.find((row) => row.reader === reader)?.commits ?? 0)]),
  ) as Record<Reader, number>;
}

/**
 * Deletes journal rows of a part that every reader has read, and what is kept of writers that have been silent for a month. Whether a
 * writer still lives cannot be known (it may be paused): its rows are found by themselves, so nothing it commits later is
 * passed over. What was committed after `before` (epoch ms) stays for the other nodes, which follow it;
 * null where there are none.
 */
export async function trimJournal(
  connection: Connection,
  part: number,
  before: number | null,
): Promise<void> {
  const rows = (await connection.query(
    `SELECT o.writer, o.part, MIN(o.seq) AS seq FROM journalOffsets o
      JOIN (SELECT writer, part FROM journal GROUP BY writer, part${having(part)}) j ON j.writer = o.writer AND j.part = o.part
      GROUP BY o.writer, o.part HAVING COUNT(*) = ?`,
    [READERS.length],
  )) as JournalPlace[];
  for (const { writer, seq } of rows) {
    // Until when somebody was there is known from the newest row; where that goes, it is written down. Several services say so themselves.
    if (before === null)
      await connection.execute(
        `UPDATE journalWriters SET clockAt = GREATEST(COALESCE(clockAt, 0), COALESCE(
        (SELECT committedAt FROM journal WHERE writer = ? AND part = ? AND seq = ?), 0)) WHERE id = ?`,
        [writer, part, seq, writer],
      );
    await connection.execute(
      'DELETE FROM journal WHERE writer = ? AND part = ? AND seq <= ? AND committedAt <= ?',
      [writer, part, seq, before ?? Number.MAX_SAFE_INTEGER],
    );
  }
  // Once for all parts.
  if (part !== 0) return;
  const silent = `SELECT id FROM journalWriters w WHERE COALESCE(heartbeatAt, FROM_UNIXTIME(startedAt / 1000)) < NOW(3) - INTERVAL 30 DAY
    AND NOT EXISTS (SELECT 1 FROM journal j WHERE j.writer = w.id) LIMIT 100`;
  const old = (await connection.query(silent)) as { id: number }[];
  for (const { id } of old) {
    await connection.execute('DELETE FROM journalOffsets WHERE writer = ?', [id]);
    await connection.execute('DELETE FROM journalWriters WHERE id = ?', [id]);
  }
}
