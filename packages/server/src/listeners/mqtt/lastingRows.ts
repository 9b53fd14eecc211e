import { setTimeout as sleep } from 'node:timers/promises';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import { SupersededError, type OpenNumber } from '../../journal/openNumbers';
import { inRawTransaction, seeingAll, type Store } from '../../store/store';

/** Sessions that outlast their connection, for each device, and how long. */
export const MOST_LASTING = 5;

/** What goes on of a session: its filters with their QoS, the numbers of QoS 2 messages that are taken and not released, and which connection of it this is. */
export interface Lasting {
  filters: Record<string, 0 | 1 | 2>;
  numbers: number[];
  epoch: number;
}

/** What sessions have that outlast their connection, where they may go on at another node. */
export interface LastingRows {
  /** A session that goes on; it has a row from now on. */
  restore(deviceRowId: number, client: string): Promise<Lasting>;
  keep(deviceRowId: number, client: string, filters: Record<string, number>): void;
  /** One that begins anew: what was kept of it is forgotten. */
  forget(deviceRowId: number, client: string): void;
  /**
   * A board has released a number. Resolves once no node takes a new message under it for the old one; rejects with SupersededError where
   * the session has gone on at another connection meanwhile: there the board must release it, for here nothing was freed.
   */
  release(number: OpenNumber): Promise<void>;
  stop(): Promise<void>;
}

interface Release {
  number: OpenNumber;
  done: () => void;
  fail: (error: Error) => void;
}

const sessionOf = ({ deviceRowId, client }: Pick<OpenNumber, 'deviceRowId' | 'client'>): string =>
  `${deviceRowId} ${client}`;

/** Which connection of each of some sessions is the newest, by their names. */
async function epochsOf(connection: Connection, lot: readonly Release[]): Promise<Map<string, number>> {
  const rows = (await connection.query(
    'SELECT deviceRowId, client, epoch FROM lastingSessions WHERE deviceRowId IN (?)',
    [[...new Set(lot.map(({ number }) => number.deviceRowId))]],
  )) as { deviceRowId: number; client: string; epoch: number }[];
  return new Map(rows.map((row) => [sessionOf(row), Number(row.epoch)]));
}

const WRITE_MS = 200;
const AGAIN_MS = 300;

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
  const writeNow = (): Promise<void> => (writing = writing.then(write));
  const timer = setInterval(() => void writeNow(), WRITE_MS);

  const read = (deviceRowId: number, client: string): Promise<Lasting> =>
    store.withConnection(async (connection) => {
      // What an older one left goes with it.
      await connection.execute(
        'DELETE FROM lastingSessions WHERE deviceRowId = ? AND client = ? AND at < NOW(3) - INTERVAL 1 DAY',
        [deviceRowId, client],
      );
      // From here on nothing is taken any more that came by a connection before.
      await connection.execute(
        `INSERT INTO lastingSessions (deviceRowId, client, filters, at, epoch) VALUES (?, ?, '{}', NOW(3), UNIX_TIMESTAMP())
          ON DUPLICATE KEY UPDATE at = NOW(3), epoch = GREATEST(epoch + 1, UNIX_TIMESTAMP())`,
        [deviceRowId, client],
      );
      // It was at another node a moment ago perhaps.
      const rows = await seeingAll(
        connection,
        async () =>
          (await connection.execute(
            `SELECT s.filters, s.epoch, n.number FROM lastingSessions s LEFT JOIN openNumbers n ON n.deviceRowId = s.deviceRowId AND n.client = s.client
              WHERE s.deviceRowId = ? AND s.client = ?`,
            [deviceRowId, client],
          )) as { filters: string; epoch: number; number: number | null }[],
      );
      const [row] = rows;
      if (row === undefined) throw new Error('the session was taken away meanwhile');
      return {
        filters: JSON.parse(row.filters) as Lasting['filters'],
        epoch: Number(row.epoch),
        numbers: rows.flatMap(({ number }) => (number === null ? [] : [Number(number)])),
      };
    });

  let stopped = false;
  let releases: Release[] = [];
  let releasing = false;
  /** All that came meanwhile in one go; nobody is told before it is done. */
  const releaseAll = async (): Promise<void> => {
    releasing = true;
    while (releases.length > 0) {
      const lot = releases;
      releases = [];
      const rows = lot.map(({ number }) => [number.deviceRowId, number.client, number.number, number.epoch]);
      try {
        const epochs = await store.withConnection((connection) =>
          // At a node of the database that is a moment behind there would be nothing to delete, and the number be told to be free.
          seeingAll(connection, async () => {
            await connection.batch(
              // One that waited, and whose board has gone on elsewhere, frees nothing: the number may be of a new message there.
              `DELETE FROM openNumbers WHERE deviceRowId = ? AND client = ? AND number = ?
              AND EXISTS (SELECT 1 FROM lastingSessions s WHERE s.deviceRowId = openNumbers.deviceRowId AND s.client = openNumbers.client AND s.epoch = ?)`,
              rows,
            );
            return epochsOf(connection, lot);
          }),
        );
        for (const { number, done, fail } of lot)
          if (epochs.get(sessionOf(number)) === number.epoch) done();
          else fail(new SupersededError('the session goes on elsewhere'));
      } catch (error) {
        releases.unshift(...lot);
        if (stopped) break;
        log.debug({ err: error }, 'released numbers are written down later');
        await sleep(AGAIN_MS);
      }
    }
    releasing = false;
  };
  return {
    async restore(deviceRowId, client) {
      const name = `${deviceRowId} ${client}`;
      const known = waiting.get(name);
      if (known?.filters === null) {
        await writeNow();
        if (waiting.get(name)?.filters === null)
          throw new Error('what is to be forgotten of a session cannot be written');
      }
      const lasting = await read(deviceRowId, client);
      if (typeof known?.filters === 'string')
        lasting.filters = JSON.parse(known.filters) as Lasting['filters'];
      return lasting;
    },
    keep: (deviceRowId, client, filters) => put(deviceRowId, client, JSON.stringify(filters)),
    forget: (deviceRowId, client) => put(deviceRowId, client, null),
    release: (number) =>
      new Promise((done, fail) => {
        releases.push({ number, done, fail });
        if (!releasing) void releaseAll();
      }),
    async stop() {
      stopped = true;
      clearInterval(timer);
      await writing;
      await write();
    },
  };
}
