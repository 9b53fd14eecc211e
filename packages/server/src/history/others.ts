import type { ImageType, Value } from '@peatmoor/core';
import type { DeviceStream } from '../registry';
import type { Store } from '../store/store';

/** Readings of a datastream of texts, locations or images with from ≤ time < to; images by type and size only. */
export async function readOthers(
  store: Store,
  { seriesId, type }: Pick<DeviceStream, 'seriesId' | 'type'>,
  from: number,
  to: number,
  limit: number,
  order: 'newest first' | 'oldest first' = 'newest first',
): Promise<{ at: number; value: Value }[]> {
  const [table, columns] =
    type === 'text'
      ? ['texts', 'body']
      : type === 'location'
        ? ['locations', 'lat, lon, alt']
        : ['images', 'type, LENGTH(body) AS size'];
  const rows = await store.withConnection(
    async (connection) =>
      (await connection.execute(
        `SELECT at, ${columns} FROM ${table} WHERE seriesId = ? AND at >= ? AND at < ? ORDER BY at ${order === 'newest first' ? 'DESC' : 'ASC'} LIMIT ?`,
        [seriesId, from, to, limit],
      )) as {
        at: number;
        body: string;
        lat: number;
        lon: number;
        alt: number | null;
        type: ImageType;
        size: number;
      }[],
  );
  return rows.map(({ at, body, lat, lon, alt, type: kind, size }) => ({
    at: Number(at),
    value:
      type === 'text' ? body : type === 'location' ? { lat, lon, alt } : { type: kind, size: Number(size) },
  }));
}

/** Notes what is the newest reading of such a datastream now, after some were deleted. */
export async function settleNewest(
  store: Store,
  stream: Pick<DeviceStream, 'seriesId' | 'type'>,
): Promise<void> {
  const [newest] = await readOthers(store, stream, 0, 8.64e15, 1);
  await store.withConnection((connection) =>
    connection.execute('UPDATE series SET newestAt = ?, newestOther = ? WHERE id = ?', [
      newest?.at ?? null,
      newest === undefined ? null : JSON.stringify(newest.value),
      stream.seriesId,
    ]),
  );
}
