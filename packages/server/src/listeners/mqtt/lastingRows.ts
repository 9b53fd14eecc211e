import type { Logger } from 'pino';
import { inRawTransaction, type Store } from '../../store/store';
import { MOST_LASTING } from './lasting';

/** Subscriptions of sessions that outlast their connection, where they may go on at another node. */
export interface LastingRows {
  /** The filters of a session with their QoS; null for none. */
  restore(deviceRowId: number, client: string): Promise<Record<string, 0 | 1 | 2> | null>;
  keep(deviceRowId: number, client: string, filters: Record<string, number>): void;
  /** One that begins anew: what was kept of it is forgotten. */
  forget(deviceRowId: number, client: string): void;
  stop(): Promise<void>;
}

const WRITE_MS = 200;

/** Where one node is all there is, the memory of the library is enough. */
export const NO_ROWS: LastingRows = {
  restore: () => Promise.resolve(null),
  keep: () => undefined,
  forget: () => undefined,
  stop: () => Promise.resolve(),
};

export function createLastingRows(store: Store, log: Logger): LastingRows {
  const waiting = new Map<string, { deviceRowId: number; client: string; filters: string | null }>();
  const put = (deviceRowId: number, client: string, filters: string | null): void =>
    void waiting.set(`${deviceRowId} ${client}`, { deviceRowId, client, filters });
  const write = async (): Promise<void> => {
    if (waiting.size === 0) return;
    const lot = [...waiting.values()].sort((a, b) => a.deviceRowId - b.deviceRowId);
    waiting.clear();
    const gone = lot.flatMap(({ deviceRowId, client, filters }) =>
      filters === null ? [[deviceRowId, client]] : [],
    );
    const kept = lot.flatMap(({ deviceRowId, client, filters }) =>
      filters === null ? [] : [[deviceRowId, client, filters]],
    );
    try {
      await inRawTransaction(store, async (connection) => {
        if (gone.length > 0)
          await connection.batch('DELETE FROM lastingSessions WHERE deviceRowId = ? AND client = ?', gone);
        if (kept.length === 0) return;
        await connection.batch(
          'INSERT INTO lastingSessions (deviceRowId, client, filters, at) VALUES (?, ?, ?, NOW(3)) ON DUPLICATE KEY UPDATE filters = VALUES(filters), at = NOW(3)',
          kept,
        );
        for (const deviceRowId of new Set(kept.map(([id]) => id)))
          await connection.query(
            `DELETE FROM lastingSessions WHERE deviceRowId = ? AND (at < NOW(3) - INTERVAL 1 DAY OR client NOT IN
              (SELECT client FROM (SELECT client FROM lastingSessions WHERE deviceRowId = ? ORDER BY at DESC LIMIT ?) AS newest))`,
            [deviceRowId, deviceRowId, MOST_LASTING],
          );
      });
    } catch (error) {
      for (const one of lot) {
        const name = `${one.deviceRowId} ${one.client}`;
        if (!waiting.has(name)) waiting.set(name, one);
      }
      log.debug({ err: error }, 'subscriptions are written down later');
    }
  };
  let writing = Promise.resolve();
  const timer = setInterval(() => (writing = writing.then(write)), WRITE_MS);
  return {
    async restore(deviceRowId, client) {
      const known = waiting.get(`${deviceRowId} ${client}`);
      if (known !== undefined)
        return known.filters === null ? null : (JSON.parse(known.filters) as Record<string, 0 | 1 | 2>);
      return store.withConnection(async (connection) => {
        const [row] = (await connection.execute(
          'SELECT filters FROM lastingSessions WHERE deviceRowId = ? AND client = ? AND at > NOW(3) - INTERVAL 1 DAY',
          [deviceRowId, client],
        )) as { filters: string }[];
        return row === undefined ? null : (JSON.parse(row.filters) as Record<string, 0 | 1 | 2>);
      });
    },
    keep: (deviceRowId, client, filters) => put(deviceRowId, client, JSON.stringify(filters)),
    forget: (deviceRowId, client) => put(deviceRowId, client, null),
    async stop() {
      clearInterval(timer);
      await writing;
      await write();
    },
  };
}
