import { inflateRawSync } from 'node:zlib';
import { DAY_MS, rollUp, unpackColumns } from '@peatmoor/core';
import { QueryTypes, type Sequelize } from 'sequelize';

const ROWS_AT_ONCE = 200;

/** Chunks of the first folders had what is rolled up from them in a table of its own: it is worked out from their readings. */
export async function rollUpEarlyChunks(sequelize: Sequelize): Promise<void> {
  await sequelize.query(
    `ALTER TABLE chunks ${['min', 'max', 'sum', 'first', 'last'].map((name) => `ADD COLUMN IF NOT EXISTS ${name} DOUBLE NULL`).join(', ')}`,
  );
  for (;;) {
    const rows = await sequelize.query<{ seriesId: number; day: number; body: Buffer }>(
      `SELECT seriesId, day, body FROM chunks WHERE last IS NULL LIMIT ${ROWS_AT_ONCE}`,
      { type: QueryTypes.SELECT },
    );
    if (rows.length === 0) return;
    for (const { seriesId, day, body } of rows) {
      const [one] = rollUp(unpackColumns(inflateRawSync(body)), DAY_MS);
      if (one === undefined)
        await sequelize.query('DELETE FROM chunks WHERE seriesId = ? AND day = ?', {
          replacements: [seriesId, day],
        });
      else
        await sequelize.query(
          'UPDATE chunks SET min = ?, max = ?, sum = ?, first = ?, last = ? WHERE seriesId = ? AND day = ?',
          { replacements: [one.min, one.max, one.sum, one.first, one.last, seriesId, day] },
        );
    }
  }
}
