import { QueryTypes, type Sequelize } from 'sequelize';

/** A table that is in a database while a backup is brought back into it. */
export const UNFINISHED_TABLE = 'restoreUnfinished';

/** Throws an Error with a sentence where a restore into this database was interrupted. */
export async function refuseUnfinished(sequelize: Sequelize): Promise<void> {
  const found = await sequelize.query(
    'SELECT 1 FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ?',
    { replacements: [UNFINISHED_TABLE], type: QueryTypes.SELECT },
  );
  if (found.length > 0)
    throw new Error(
      'A backup is being restored into this database, or a restore was interrupted. Wait for it, or run "peatmoor restore" again: it begins anew.',
    );
}
