import type { Transaction } from 'sequelize';
import type { Store } from '../store/store';

/** Deletes series with all their readings, in the caller's transaction. */
export async function deleteSeries(
  store: Store,
  ids: readonly number[],
  transaction: Transaction,
): Promise<void> {
  if (ids.length === 0) return;
  for (const table of ['chunks', 'texts', 'locations', 'images'])
    await store.sequelize.query(`DELETE FROM ${table} WHERE seriesId IN (?)`, {
      replacements: [ids],
      transaction,
    });
  await store.models.series.destroy({ where: { id: [...ids] }, transaction });
}
