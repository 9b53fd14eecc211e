import type { Connection } from 'mariadb';
import { now as clockNow } from '../clock';

/** What could not be handled, kept with its bytes so that a person can look at it; everything else goes on. */
export interface SetAside {
  what: 'journal' | 'chunk' | 'readings';
  /** Where it was, in words: writer and number, or series and day. */
  place: string;
  reason: string;
  body: Uint8Array | null;
}

/** Writes it down, in the caller's transaction. */
export async function setAside(
  connection: Connection,
  { what, place, reason, body }: SetAside,
): Promise<void> {
  await connection.execute(
    'INSERT INTO setAside (what, place, reason, madeAt, body) VALUES (?, ?, ?, ?, ?)',
    [
      what,
      place.slice(0, 80),
      reason.slice(0, 300),
      clockNow(),
      body === null ? null : Buffer.from(body.buffer, body.byteOffset, body.byteLength),
    ],
  );
}

/** How many there are since a time (epoch ms), and the newest. */
export async function countSetAside(
  connection: Connection,
  since = 0,
): Promise<{ count: number; newest: Omit<SetAside, 'body'> | null }> {
  const [row] = (await connection.query('SELECT COUNT(*) AS count FROM setAside WHERE madeAt >= ?', [
    since,
  ])) as { count: number }[];
  const count = Number(row!.count);
  if (count === 0) return { count, newest: null };
  const [newest] = (await connection.query(
    'SELECT what, place, reason FROM setAside ORDER BY id DESC LIMIT 1',
  )) as Omit<SetAside, 'body'>[];
  return { count, newest: newest ?? null };
}
