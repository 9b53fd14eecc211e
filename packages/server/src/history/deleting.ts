import type { Transaction } from 'sequelize';
import type { Store } from '../store/store';

/** Deletes series with all their readings, in the caller's transaction. */
export async function deleteSeries(
  store: Store,
  ids: readonly number[],
  transaction: Transaction,
): Promise<void> {
  if (ids.length === 0) return;
  // First of all: whoever folds them waits here, or is waited for, and then finds them gone.
  await store.models.series.destroy({ where: { id: [...ids] }, transaction });
  for (const table of ['chunks', 'texts', 'locations', 'images'])
    await store.sequelize.query(`DELETE FROM ${table} WHERE seriesId IN (?)`, {
      replacements: [ids],
      transaction,
    });
}
