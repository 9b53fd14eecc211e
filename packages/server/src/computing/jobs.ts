import type { Connection } from 'mariadb';
import { literal, Op } from 'sequelize';
import type { RecomputationRow } from '../store/models';
import { findAll } from '../store/rows';
import type { Store } from '../store/store';
import type { Target } from './targets';
import { now as clockNow } from '../clock';

/** What of the waiting may be worked out here: of which parts of the journal, of how many, and what is under way here. */
export interface Choice {
  held: readonly number[];
  parts: number;
  begun: ReadonlySet<number>;
}

/**
 * The next recomputation to be worked out here: one that another service, or one before, has left half done, or the oldest that waits.
 * `others`: there are some that are not this service's, yet.
 */
export async function nextRecomputation(
  store: Store,
  { held, parts, begun }: Choice,
): Promise<{ next: RecomputationRow | undefined; others: boolean }> {
  const find = async (more: object): Promise<RecomputationRow | undefined> => {
    for (const state of ['running', 'waiting']) {
      const where = { state, id: { [Op.notIn]: [...begun] }, ...more } as never;
      const [row] = await findAll(store.models.recomputations, { where, order: ['id'], limit: 1 });
      if (row !== undefined) return row;
    }
    return undefined;
  };
  const next =
    held.length === 0
      ? undefined
      : await find({ [Op.and]: literal(`MOD(workspaceId, ${parts}) IN (${held.join()})`) });
  return { next, others: next === undefined && (await find({})) !== undefined };
}

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
