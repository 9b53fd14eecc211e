import type { Arrival } from '@peatmoor/contract';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import type { DeviceEntry } from '../registry';
import { findAll } from '../store/rows';
import type { Store } from '../store/store';

/** Messages kept for each device. */
export const KEPT_ARRIVALS = 200;
/** Arrivals of one device shown live and written down in a second at the most; the rest is only in memory. */
const MOST_A_SECOND = 20;
const MOST_DETAILS = 40;

export interface ArrivalBook {
  record(entry: DeviceEntry, arrival: Omit<Arrival, 'id' | 'deviceId'>): void;
  list(entry: DeviceEntry): Promise<Arrival[]>;
  stop(): Promise<void>;
}

interface Waiting {
  entry: DeviceEntry;
  arrival: Arrival;
}

/** Keeps the newest messages of each device: live at once, in the records within a second. */
export function startArrivals(store: Store, bus: Bus, log: Logger): ArrivalBook {
  let counter = 0;
  const start = Date.now().toString(36);
  let waiting: Waiting[] = [];
  const inSecond = new Map<number, number>();

  const save = async (): Promise<void> => {
    inSecond.clear();
    if (waiting.length === 0) return;
    const batch = waiting;
    waiting = [];
    const rows = batch.map(({ entry, arrival }) => [
      entry.workspaceId,
      entry.rowId,
      arrival.receivedAt,
      JSON.stringify(arrival),
    ]);
    const devices = new Set(batch.map(({ entry }) => entry.rowId));
    await store
      .withConnection(async (connection) => {
        await connection.batch(
          'INSERT INTO arrivals (workspaceId, deviceRowId, receivedAt, body) VALUES (?, ?, ?, ?)',
          rows,
        );
        for (const rowId of devices)
          await connection.query(
            'DELETE FROM arrivals WHERE deviceRowId = ? AND id < COALESCE((SELECT MIN(id) FROM (SELECT id FROM arrivals WHERE deviceRowId = ? ORDER BY id DESC LIMIT ?) AS kept), 0)',
            [rowId, rowId, KEPT_ARRIVALS],
          );
      })
      .catch((error: Error) => {
        waiting = [...batch, ...waiting].slice(-5000);
        log.debug({ error: error.message }, 'arrivals wait');
      });
  };
  const timer = setInterval(() => void save(), 1000);
  return {
    record(entry, facts) {
      const count = (inSecond.get(entry.rowId) ?? 0) + 1;
      inSecond.set(entry.rowId, count);
      if (count > MOST_A_SECOND) return;
      const arrival: Arrival = {
        ...facts,
        id: `${start}-${++counter}`,
        deviceId: entry.id,
        accepted: facts.accepted.slice(0, MOST_DETAILS),
        refused: facts.refused.slice(0, MOST_DETAILS),
      };
      waiting.push({ entry, arrival });
      bus.emit('live', { workspaceId: entry.workspaceId, message: { type: 'arrival', arrival } });
    },
    async list(entry) {
      const mine = waiting.filter((one) => one.entry.rowId === entry.rowId).map(({ arrival }) => arrival);
      const rows = await findAll(store.models.arrivals, {
        where: { deviceRowId: entry.rowId, workspaceId: entry.workspaceId },
        order: [['id', 'DESC']],
        limit: KEPT_ARRIVALS,
      });
      const known = new Map<string, Arrival>();
      for (const arrival of [...mine.reverse(), ...rows.map(({ body }) => body as Arrival)])
        known.set(arrival.id, arrival);
      return [...known.values()].slice(0, KEPT_ARRIVALS);
    },
    async stop() {
      clearInterval(timer);
      await save();
    },
  };
}
