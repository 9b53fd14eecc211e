import { DAY_MS, EMPTY_COLUMNS, firstAtOrAfter, isNumeric, mergeColumns, type Columns } from '@peatmoor/core';
import type { DeviceEntry, DeviceStream } from '../registry';
import { inRawTransaction, type Store } from '../store/store';
import type { Connection } from 'mariadb';
import { readable, takeSeries, writeDays, type ChunkPlace } from './chunks';
import type { Folding } from './folding';
import { settleNewest } from './others';
import type { HistoryReader } from './read';

/** From ≤ time < to, epoch ms; infinite where there is no bound. */
export interface Period {
  from: number;
  to: number;
}

/** Deleting readings by hand. */
export interface Corrections {
  /** How many readings lie in a period. */
  count(entry: DeviceEntry, stream: DeviceStream, period: Period): Promise<number>;
  /** Deletes them, with what was rolled up from them; returns how many. */
  remove(entry: DeviceEntry, stream: DeviceStream, period: Period): Promise<number>;
}

const TABLES = { text: 'texts', location: 'locations', image: 'images' } as const;
const OLDEST = -8_640_000_000_000_000;

export function createCorrections(store: Store, folding: Folding, history: HistoryReader): Corrections {
  const tableOf = (stream: DeviceStream): string => TABLES[stream.type as keyof typeof TABLES];
  const bounds = ({ from, to }: Period): [number, number] => [Math.max(from, OLDEST), Math.min(to, -OLDEST)];
  return {
    async count(entry, stream, period) {
      const [from, to] = bounds(period);
      if (!isNumeric(stream))
        return store.withConnection(async (connection) => {
          const [row] = (await connection.query(
            `SELECT COUNT(*) AS count FROM ${tableOf(stream)} WHERE seriesId = ? AND at >= ? AND at < ?`,
            [stream.seriesId, from, to],
          )) as { count: number }[];
          return Number(row!.count);
        });
      let count = 0;
      for await (const [part] of history.parts([stream], from, to)) count += part!.times.length;
      return count;
    },
    async remove(entry, stream, period) {
      const [from, to] = bounds(period);
      // What is still in the journal is folded first; meanwhile nothing else is.
      const removed = await folding.alone(() =>
        inRawTransaction(store, async (connection) => {
          let count = 0;
          await takeSeries(connection, [stream.seriesId]);
          if (isNumeric(stream)) {
            const rows = (await connection.query(
              'SELECT seriesId, day, part, body FROM chunks WHERE seriesId = ? AND day BETWEEN ? AND ? ORDER BY day, part',
              [stream.seriesId, Math.floor(from / DAY_MS), Math.floor((to - 1) / DAY_MS)],
            )) as (ChunkPlace & { body: Buffer })[];
            const days = new Map<number, Columns>();
            for (const row of rows)
              days.set(
                row.day,
                mergeColumns(
                  days.get(row.day) ?? EMPTY_COLUMNS,
                  await readable(connection, row, row.body, null),
                ),
              );
            for (const [day, before] of days) {
              const columns = without(before, from, to);
              if (columns.times.length === before.times.length) continue;
              count += before.times.length - columns.times.length;
              await writeDays(connection, [{ id: stream.seriesId, day, columns }]);
            }
            const last = await newestOf(connection, stream.seriesId);
            await connection.query('UPDATE series SET newestAt = ?, newestValue = ? WHERE id = ?', [
              last?.times.at(-1) ?? null,
              last?.values.at(-1) ?? null,
              stream.seriesId,
            ]);
            return count;
          }
          const result = (await connection.query(
            `DELETE FROM ${tableOf(stream)} WHERE seriesId = ? AND at >= ? AND at < ?`,
            [stream.seriesId, from, to],
          )) as { affectedRows: number };
          return result.affectedRows;
        }),
      );
      if (!isNumeric(stream)) await settleNewest(store, stream);
      return removed;
    },
  };
}

function without({ times, values }: Columns, from: number, to: number): Columns {
  const start = firstAtOrAfter(times, from);
  const end = firstAtOrAfter(times, to);
  return {
    times: [...times.slice(0, start), ...times.slice(end)],
    values: [...values.slice(0, start), ...values.slice(end)],
  };
}

/** The newest chunk of a series that can be read; those that cannot be are set aside on the way. */
async function newestOf(connection: Connection, seriesId: number): Promise<Columns | undefined> {
  for (;;) {
    const [row] = (await connection.query(
      'SELECT seriesId, day, part, body FROM chunks WHERE seriesId = ? ORDER BY day DESC, part DESC LIMIT 1',
      [seriesId],
    )) as (ChunkPlace & { body: Buffer })[];
    if (row === undefined) return undefined;
    const columns = await readable(connection, row, row.body, null);
    if (columns.times.length > 0) return columns;
  }
}
