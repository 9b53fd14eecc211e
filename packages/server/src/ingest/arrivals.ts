import type { Arrival } from '@peatmoor/contract';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import type { DeviceEntry } from '../registry';
import type { ArrivalRow } from '../store/models';
import { findAll, listIn } from '../store/rows';
import type { Store } from '../store/store';
import type { MessageFacts } from './message';
import { showPayload } from './payload';

/** Messages kept for each device. */
export const KEPT_ARRIVALS = 200;
/** Bytes of a refused message that are kept, so that it can be taken again. */
export const MOST_KEPT_BYTES = 64 * 1024;
/** Arrivals of one device shown live and written down in a second at the most; the rest is only in memory. */
const MOST_A_SECOND = 20;
const MOST_WAITING = 5000;

export type Outcome = Pick<Arrival, 'number' | 'accepted' | 'acceptedCount' | 'refused' | 'refusedCount'>;

export interface ArrivalBook {
  /** True where one more arrival of this device is noted in this second; asked before the work of noting it. */
  admits(entry: DeviceEntry): boolean;
  record(entry: DeviceEntry, facts: MessageFacts, outcome: Outcome): void;
  /** Newest first, of one device or of a whole workspace. */
  list(workspaceId: number, deviceRowId: number | null): Promise<Arrival[]>;
  /** The refused messages of a device that are kept whole, the oldest first. */
  refused(entry: DeviceEntry): Promise<ArrivalRow[]>;
  /** Forgets that a message was refused: it has been taken again. */
  settle(workspaceId: number, ids: readonly number[]): Promise<void>;
  stop(): Promise<void>;
}

interface Waiting {
  entry: DeviceEntry;
  arrival: Arrival;
  form: string;
  raw: Buffer | null;
}

/** Keeps the newest messages of each device: live at once, in the records within a second. */
export function startArrivals(store: Store, bus: Bus, log: Logger): ArrivalBook {
  let counter = 0;
  const start = Date.now().toString(36);
  let waiting: Waiting[] = [];
  const inSecond = new Map<number, number>();

  const write = async (): Promise<void> => {
    inSecond.clear();
    if (waiting.length === 0) return;
    const batch = waiting;
    waiting = [];
    const devices = new Set(batch.map(({ entry }) => entry.rowId));
    await store
      .withConnection(async (connection) => {
        await connection.batch(
          'INSERT INTO arrivals (workspaceId, deviceRowId, receivedAt, body, form, raw) VALUES (?, ?, ?, ?, ?, ?)',
          batch.map(({ entry, arrival, form, raw }) => [
            entry.workspaceId,
            entry.rowId,
            arrival.receivedAt,
            JSON.stringify(arrival),
            form.slice(0, 80),
            raw,
          ]),
        );
        for (const rowId of devices)
          await connection.query(
            'DELETE FROM arrivals WHERE deviceRowId = ? AND id < COALESCE((SELECT MIN(id) FROM (SELECT id FROM arrivals WHERE deviceRowId = ? ORDER BY id DESC LIMIT ?) AS kept), 0)',
            [rowId, rowId, KEPT_ARRIVALS],
          );
      })
      .catch((error: Error) => {
        waiting = [...batch, ...waiting].slice(-MOST_WAITING);
        log.debug({ error: error.message }, 'arrivals wait');
      });
  };
  let writing: Promise<void> = Promise.resolve();
  const save = (): Promise<void> => (writing = writing.then(write));
  const timer = setInterval(() => void save(), 1000);
  return {
    admits(entry) {
      const count = (inSecond.get(entry.rowId) ?? 0) + 1;
      inSecond.set(entry.rowId, count);
      return count <= MOST_A_SECOND;
    },
    record(entry, { way, from, size, receivedAt, form, raw }, outcome) {
      const arrival: Arrival = {
        ...outcome,
        id: `${start}-${++counter}`,
        deviceId: entry.id,
        way,
        from,
        size,
        receivedAt,
        form,
        payload: showPayload(raw),
      };
      const keep = raw !== null && outcome.refusedCount > 0 && raw.length <= MOST_KEPT_BYTES;
      waiting.push({ entry, arrival, form, raw: keep ? Buffer.from(raw) : null });
      if (waiting.length > MOST_WAITING) waiting.shift();
      bus.emit('live', { workspaceId: entry.workspaceId, message: { type: 'arrival', arrival } });
    },
    async list(workspaceId, deviceRowId) {
      const mine = waiting
        .filter(({ entry }) =>
          deviceRowId === null ? entry.workspaceId === workspaceId : entry.rowId === deviceRowId,
        )
        .map(({ arrival }) => arrival);
      const rows = await listIn(store.models.arrivals, workspaceId, {
        where: deviceRowId === null ? {} : { deviceRowId },
        order: [['id', 'DESC']],
        limit: KEPT_ARRIVALS,
      });
      const known = new Map<string, Arrival>();
      for (const arrival of [...mine.reverse(), ...rows.map(({ body }) => body as Arrival)])
        known.set(arrival.id, arrival);
      return [...known.values()].slice(0, KEPT_ARRIVALS);
    },
    async refused(entry) {
      await save();
      const rows = await findAll(store.models.arrivals, {
        where: { deviceRowId: entry.rowId, workspaceId: entry.workspaceId },
        order: [['id', 'ASC']],
      });
      return rows.filter(({ raw }) => raw !== null);
    },
    async settle(workspaceId, ids) {
      if (ids.length > 0)
        await store.models.arrivals.update({ raw: null }, { where: { workspaceId, id: [...ids] } });
    },
    async stop() {
      clearInterval(timer);
      await save();
    },
  };
}
