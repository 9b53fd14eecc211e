import { showRaw, withoutSecrets, type DecodedReport, type Refusal, type TakenReport } from '@peatmoor/core';
import type { Arrival } from '@peatmoor/contract';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import { factsOf } from '../journal/others';
import { createSaving } from '../journal/saving';
import type { DeviceEntry, DeviceStream } from '../registry';
import type { ArrivalRow } from '../store/models';
import { findAll } from '../store/rows';
import type { Store } from '../store/store';
import type { MessageFacts } from './message';
import { showPayload, strikeSecrets } from './payload';
import { shownTime, type Times } from './times';
import type { DeviceFact } from '../journal/telling';
import { now as clockNow } from '../clock';
import { stoodStill, wentOn } from '../standing';

/** Messages kept for each device. */
export const KEPT_ARRIVALS = 200;
/** Bytes of a refused message that are kept, so that it can be taken again. */
export const MOST_KEPT_BYTES = 64 * 1024;
/** Arrivals of one device shown live and written down in a second at the most; the rest is only in memory. */
const MOST_A_SECOND = 20;
const MOST_WAITING = 5000;
/** Time between two writings down, in ms; whoever reads a list has it done first. */
const SAVE_MS = 15_000;
/** Beside other nodes, as lists are read at any of them. */
const SAVE_BESIDE_OTHERS_MS = 700;
/** Messages of a device after which the oldest are deleted again. */
const TRIM_AFTER = 50;
/** Bytes of messages that may wait to be written down; of more only what became of them is kept. */
const MOST_WAITING_BYTES = 16 * 1024 * 1024;
/** Values and refusals of one message that are listed. */
const SHOWN_VALUES = 40;

type Outcome = Pick<Arrival, 'number' | 'accepted' | 'acceptedCount' | 'refused' | 'refusedCount'>;

export interface ArrivalBook {
  /** Something else is being written just now: what waits long enough is written beside it. */
  beside(): void;
  /** True where one more arrival of this device is noted in this second; asked before the work of noting it. */
  admits(entry: DeviceEntry): boolean;
  /** Notes a report: what was accepted of it, and what refused. `at` is the time of its rows that named none. */
  note(
    entry: DeviceEntry,
    decoded: DecodedReport,
    facts: MessageFacts,
    taken: TakenReport<DeviceStream>,
    at: number | null,
  ): void;
  /** Notes a message that was refused as a whole, if one more is noted in this second. */
  refuse(entry: DeviceEntry, refused: readonly Refusal[], facts: MessageFacts): void;
  /** Writes down what waits to be, so that a list has it. */
  save(): Promise<void>;
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
  rowsAt: number | null;
  /** True once the journal was told what was refused of it. */
  told: boolean;
}

interface Parts {
  store: Store;
  bus: Bus;
  times: Times;
  tell: (fact: DeviceFact) => void;
  log: Logger;
  hasOthers: () => boolean;
}

/** Keeps the newest messages of each device: live at once, in the records within a few seconds. */
export function startArrivals({ store, bus, times, tell, log, hasOthers }: Parts): ArrivalBook {
  let counter = 0;
  const start = clockNow().toString(36);
  let waiting: Waiting[] = [];
  let waitingBytes = 0;
  const inSecond = new Map<number, number>();
  const sinceTrimmed = new Map<number, number>();
  const trimmed = new Set<number>();

  /** How much was refused of each device, once a second. */
  const tellRefused = (batch: readonly Waiting[]): void => {
    const counts = new Map<number, number>();
    for (const { entry, arrival, told } of batch)
      if (arrival.refusedCount > 0 && !told)
        counts.set(entry.rowId, (counts.get(entry.rowId) ?? 0) + arrival.refusedCount);
    for (const one of batch) one.told = true;
    for (const [device, count] of counts) tell({ kind: 'refused', device, at: clockNow(), count });
  };
  const write = async (): Promise<void> => {
    if (waiting.length === 0) return;
    const batch = waiting;
    waiting = [];
    waitingBytes = 0;
    tellRefused(batch);
    const counts = new Map<number, number>();
    for (const { entry } of batch) counts.set(entry.rowId, (counts.get(entry.rowId) ?? 0) + 1);
    await store
      .withConnection(async (connection) => {
        // Written some time later: a device may be gone since, or in another workspace.
        const owners = (await connection.query('SELECT rowId, workspaceId FROM devices WHERE rowId IN (?)', [
          [...counts.keys()],
        ])) as { rowId: number; workspaceId: number }[];
        const workspaces = new Map(owners.map(({ rowId, workspaceId }) => [rowId, workspaceId]));
        const there = batch.filter(({ entry }) => workspaces.has(entry.rowId));
        if (there.length === 0) return;
        await connection.beginTransaction();
        await connection.batch(
          'INSERT INTO arrivals (workspaceId, deviceRowId, receivedAt, body, form, raw, rowsAt, refused) VALUES (?, ?, ?, ?, ?, ?, ?, ?)',
          there.map(({ entry, arrival, form, raw, rowsAt }) => [
            workspaces.get(entry.rowId),
            entry.rowId,
            arrival.receivedAt,
            JSON.stringify(arrival),
            form.slice(0, 80),
            raw,
            rowsAt,
            arrival.refusedCount > 0,
          ]),
        );
        for (const [rowId, count] of counts) {
          const more = (sinceTrimmed.get(rowId) ?? 0) + count;
          sinceTrimmed.set(rowId, more % TRIM_AFTER);
          if (more < TRIM_AFTER && trimmed.has(rowId)) continue;
          trimmed.add(rowId);
          await connection.query(
            'DELETE FROM arrivals WHERE deviceRowId = ? AND id < COALESCE((SELECT MIN(id) FROM (SELECT id FROM arrivals WHERE deviceRowId = ? ORDER BY id DESC LIMIT ?) AS kept), 0)',
            [rowId, rowId, KEPT_ARRIVALS],
          );
        }
        await connection.commit();
      })
      .then(() => wentOn('Keeping arrivals'))
      .catch((error: Error) => {
        stoodStill('Keeping arrivals', error);
        waiting = [...batch, ...waiting].slice(-MOST_WAITING);
        waitingBytes = waiting.reduce((sum, one) => sum + (one.raw?.length ?? 0), 0);
        log.debug({ err: error }, 'arrivals wait');
      });
  };
  const record = (
    entry: DeviceEntry,
    { way, from, size, receivedAt, form, raw }: MessageFacts,
    outcome: Outcome,
    at: number | null,
  ): void => {
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
    const kept =
      raw !== null &&
      outcome.refusedCount > 0 &&
      raw.length <= MOST_KEPT_BYTES &&
      waitingBytes + raw.length <= MOST_WAITING_BYTES
        ? strikeSecrets(raw)
        : null;
    // Should it be taken again, its rows without a time have the one they have now.
    const rowsAt = kept === null ? null : (at ?? times.keepFor(entry.rowId, receivedAt));
    waitingBytes += kept?.length ?? 0;
    waiting.push({ entry, arrival, form, raw: kept, rowsAt, told: false });
    if (waiting.length > MOST_WAITING) waitingBytes -= waiting.shift()!.raw?.length ?? 0;
    bus.emit('live', { workspaceId: entry.workspaceId, message: { type: 'arrival', arrival } });
  };
  let writing: Promise<void> = Promise.resolve();
  const save = (): Promise<void> => (writing = writing.then(write));
  const saving = createSaving(save, () => (hasOthers() ? SAVE_BESIDE_OTHERS_MS : SAVE_MS));
  const timer = setInterval(() => {
    inSecond.clear();
    if (waiting.length > MOST_WAITING / 5) void save();
  }, 1000);
  const book: ArrivalBook = {
    beside: saving.beside,
    admits(entry) {
      const count = (inSecond.get(entry.rowId) ?? 0) + 1;
      inSecond.set(entry.rowId, count);
      return count <= MOST_A_SECOND;
    },
    note(entry, decoded, facts, { accepted, refused, refusedCount }, at) {
      record(
        entry,
        facts,
        {
          number: decoded.number,
          accepted: accepted.slice(0, SHOWN_VALUES).map(({ stream, at: time, value }) => ({
            key: stream.key,
            at: shownTime(time),
            value: typeof value === 'number' ? value : factsOf(value),
          })),
          acceptedCount: accepted.length,
          refused: refused
            .slice(0, SHOWN_VALUES)
            .map((one) => ({ ...one, shown: shownValue(decoded, one.name) })),
          refusedCount,
        },
        at,
      );
    },
    refuse(entry, refused, facts) {
      if (!book.admits(entry)) return;
      record(
        entry,
        facts,
        {
          number: null,
          accepted: [],
          acceptedCount: 0,
          refused: refused.map((one) => ({ ...one, shown: '' })),
          refusedCount: refused.length,
        },
        null,
      );
    },
    save,
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
      saving.stop();
      await save();
    },
  };
  return book;
}

function shownValue(decoded: DecodedReport, name: string): string {
  for (const row of decoded.rows)
    for (const [one, raw] of row.values) if (one === name) return withoutSecrets(showRaw(raw)).slice(0, 60);
  return '';
}
