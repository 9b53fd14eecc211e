import type { Connection } from 'mariadb';
import type { Target } from './targets';
import { now as clockNow } from '../clock';

/**
 * Asks for a target to be worked out anew over history, from a time on (epoch ms, -Infinity for all). Where one waits
 * already, that one begins earlier. In the caller's transaction.
 */
export async function enqueueRecomputation(
  connection: Connection,
  { entry, stream }: Pick<Target, 'entry' | 'stream'>,
  from: number,
  userName: string,
): Promise<void> {
  const fromAt = Number.isFinite(from) ? from : null;
  const changed = (await connection.query(
    `UPDATE recomputations SET fromAt = ${fromAt === null ? 'NULL' : 'LEAST(fromAt, ?)'} WHERE seriesId = ? AND state = 'waiting'`,
    fromAt === null ? [stream.seriesId] : [fromAt, stream.seriesId],
  )) as { affectedRows: number };
  if (changed.affectedRows > 0) return;
  await connection.query(
    `INSERT INTO recomputations (workspaceId, deviceRowId, streamId, seriesId, fromAt, state, doneDays, days, note, userName, madeAt)
      VALUES (?, ?, ?, ?, ?, 'waiting', 0, 0, '', ?, ?)`,
    [entry.workspaceId, entry.rowId, stream.streamId, stream.seriesId, fromAt, userName, clockNow()],
  );
}
