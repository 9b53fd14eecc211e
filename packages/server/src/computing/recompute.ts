import { setTimeout as sleep } from 'node:timers/promises';
import {
  computeOn,
  exactFrom,
  DAY_MS,
  EMPTY_COLUMNS,
  lookBackMs,
  mergeColumns,
  sliceColumns,
  type Carry,
  type Columns,
  type Sample,
} from '@peatmoor/core';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import { takeSeries, writeDays } from '../history/chunks';
import type { Folding } from '../history/folding';
import type { HistoryReader } from '../history/read';
import type { Recent } from '../history/recent';
import type { DeviceEntry, DeviceStream, Registry } from '../registry';
import type { RecomputationRow } from '../store/models';
import { inRawTransaction, type Store } from '../store/store';
import { enqueueRecomputation, nextRecomputation } from './jobs';
import { targetsOf, type Target } from './targets';
import { inputsOver, newestOf } from './work';
import type { Computing } from './worker';
import { now as clockNow } from '../clock';

const LOOK_MS = 20_000;
/** Requests that come together are one piece of work. */
const SOON_MS = 300;
const TELL_MS = 400;
/** A recomputation that fails is tried again: the database may have been away. */
const MOST_FAILURES = 3;
const RETRY_MS = 2000;
/** How often it is looked whether what waits is to be done here by now. */
const NOT_MINE_MS = 1000;

/** Works computed datastreams out anew over history, one after the other, each in steps of a day. */
export interface Recomputing {
  /** Asks for a computed datastream of some devices to be worked out over all their history. */
  request(targets: readonly Target[], from: number, userName: string): Promise<void>;
  /** The same for everything that is computed from a datastream whose past changed. */
  pastChanged(entry: DeviceEntry, stream: DeviceStream, from: number, userName: string): Promise<void>;
  stop(): Promise<void>;
}

interface Parts {
  store: Store;
  registry: Registry;
  history: HistoryReader;
  recent: Recent;
  folding: Folding;
  worker: Computing;
  bus: Bus;
  log: Logger;
}

export function startRecomputing(parts: Parts): Recomputing {
  const { store, registry, worker, bus, log } = parts;
  const { recomputations } = store.models;
  let stopped = false;
  let running: Promise<void> | null = null;

  const tell = (row: RecomputationRow): void =>
    bus.emit('live', {
      workspaceId: row.workspaceId,
      message: { type: 'changed', what: 'recomputations', id: row.streamId },
    });
  const note = async (row: RecomputationRow, change: Partial<RecomputationRow>): Promise<void> => {
    await recomputations.update(change, { where: { id: row.id } });
    tell(row);
  };
  const run = async (row: RecomputationRow): Promise<void> => {
    const entry = await registry.byRow(row.deviceRowId);
    const target = entry && targetsOf(entry).find(({ stream }) => stream.streamId === row.streamId);
    if (!target)
      return note(row, { state: 'failed', note: 'It is not computed any more.', endedAt: clockNow() });
    let told = 0;
    const from = row.fromAt ?? -Infinity;
    await recomputeTarget(
      parts,
      target,
      from,
      () => stopped || !isMine(row),
      async (doneDays, days) => {
        if (clockNow() - told < TELL_MS) return;
        told = clockNow();
        await note(row, { doneDays, days });
      },
    );
    if (stopped || !isMine(row)) return void begun.delete(row.id);
    begun.delete(row.id);
    const days = await recomputations.findByPk(row.id, { raw: true });
    await note(row, {
      state: 'done',
      endedAt: clockNow(),
      doneDays: (days as unknown as RecomputationRow).days,
    });
    await recomputing.pastChanged(target.entry, target.stream, from, row.userName);
  };
  // It belongs to whoever computes for the workspace, who alone knows what comes late meanwhile.
  const isMine = ({ workspaceId }: RecomputationRow): boolean => worker.holds(workspaceId);
  /** Those that were begun here; what another service, or one before, has left half done is begun again. */
  const begun = new Set<number>();
  const failed = new Map<number, number>();
  let later: NodeJS.Timeout | undefined;
  const look = async (): Promise<void> => {
    for (;;) {
      const { next: row, others } = await nextRecomputation(store, { ...worker.held(), begun });
      if (row === undefined) {
        // It may become ours: work is taken over, at the start too.
        if (others) later = setTimeout(begin, NOT_MINE_MS);
        return;
      }
      if (stopped) return;
      begun.add(row.id);
      await note(row, { state: 'running' });
      try {
        await run(row);
      } catch (error) {
        begun.delete(row.id);
        log.warn({ err: error }, 'a recomputation failed');
        const failures = (failed.get(row.id) ?? 0) + 1;
        failed.set(row.id, failures);
        const reason = 'It failed three times; why is in the log of the service. Ask for it again.';
        if (failures < MOST_FAILURES) await note(row, { state: 'waiting' });
        else await note(row, { state: 'failed', note: reason, endedAt: clockNow() });
        await sleep(RETRY_MS);
      }
      if (stopped) return;
    }
  };
  const begin = (): void => {
    running ??= look()
      .catch((error: Error) => {
        begun.clear();
        log.debug({ err: error }, 'recomputing waits');
      })
      .finally(() => (running = null));
  };
  const timer = setInterval(begin, LOOK_MS);
  let soon: NodeJS.Timeout | null = null;
  const beginSoon = (): void => {
    if (soon !== null) clearTimeout(soon);
    soon = stopped
      ? null
      : setTimeout(() => {
          // What is under way may have looked just before.
          if (running !== null) void running.then(beginSoon);
          else begin();
        }, SOON_MS);
  };
  bus.on('recompute', beginSoon);
  // What waits from before is gone on with at once.
  beginSoon();

  const recomputing: Recomputing = {
    async request(targets, from, userName) {
      await inRawTransaction(store, async (connection) => {
        for (const target of targets) await enqueueRecomputation(connection, target, from, userName);
      });
      beginSoon();
    },
    async pastChanged(entry, stream, from, userName) {
      const current = (await registry.byRow(entry.rowId)) ?? entry;
      const reading = targetsOf(current).filter(({ inputs }) =>
        inputs.some(({ streamId }) => streamId === stream.streamId),
      );
      if (reading.length > 0) await recomputing.request(reading, from, userName);
    },
    async stop() {
      stopped = true;
      clearInterval(timer);
      clearTimeout(later);
      if (soon !== null) clearTimeout(soon);
      await running;
    },
  };
  return recomputing;
}

/** Makes all outputs of a target from a time on anew, replacing what there is; the last step leaves no gap to what follows live. */
async function recomputeTarget(
  { store, history, recent, folding, worker }: Parts,
  target: Target,
  asked: number,
  stopped: () => boolean,
  progress: (done: number, all: number) => Promise<void>,
): Promise<void> {
  const { stream, computing, inputs } = target;
  const from = exactFrom(computing.computation, asked);
  const own = { seriesId: stream.seriesId, calibrations: [] };
  worker.watchDisturbance(stream.seriesId);
  await folding.settled();
  const daysFrom = (start: number): Promise<number[]> =>
    store.withConnection(async (connection) => {
      const ids = [stream, ...inputs].map(({ seriesId }) => seriesId).join(',');
      const rows = (await connection.query(
        `SELECT DISTINCT day FROM chunks WHERE seriesId IN (${ids}) AND day >= ? ORDER BY day`,
        [Math.floor(Math.max(start, -8.64e15) / DAY_MS)],
      )) as { day: number }[];
      return rows.map(({ day }) => day);
    });
  let carry: Carry | null = null;
  let prior: Sample | null = Number.isFinite(from) ? await history.nearest(own, from, 'before') : null;
  let before = Number.isFinite(from) ? await inputsOver(history, target, from, from - 1, Infinity) : null;

  const step = async (day: number): Promise<void> => {
    const start = Math.max(from, day * DAY_MS);
    const end = (day + 1) * DAY_MS;
    const material = new Map<string, Columns>();
    for (const input of inputs) {
      const earlier = before?.get(input.key) ?? EMPTY_COLUMNS;
      let columns = earlier;
      for await (const [part] of history.parts([input], start, end)) columns = mergeColumns(columns, part!);
      material.set(input.key, columns);
    }
    const made = computeOn(computing, { inputs: material, from: start, prior, carry });
    let columns = made.outputs;
    prior = newestOf(columns) ?? prior;
    ({ carry } = made);
    before = new Map(
      [...material].map(([key, one]) => {
        const last = one.times.at(-1);
        return [
          key,
          last === undefined
            ? one
            : sliceColumns(one, Math.min(last, end - lookBackMs(computing.computation)), Infinity),
        ];
      }),
    );
    if (start > day * DAY_MS)
      for await (const [kept] of history.parts([own], day * DAY_MS, start))
        columns = mergeColumns(kept!, columns);
    await inRawTransaction(store, async (connection) => {
      const there = await takeSeries(connection, [stream.seriesId]);
      if (there.length > 0) await writeDays(connection, [{ id: stream.seriesId, day, columns }]);
    });
  };

  const days = await daysFrom(from);
  for (const [i, day] of days.slice(0, -1).entries()) {
    if (stopped()) return;
    await worker.alone(stream.seriesId, () => step(day));
    await progress(i + 1, days.length);
  }
  const last = (days.at(-1) ?? Math.floor(clockNow() / DAY_MS)) * DAY_MS;
  await worker.alone(stream.seriesId, () =>
    folding.alone(async () => {
      for (const day of await daysFrom(Math.max(last, from))) await step(day);
      recent.forgetNewest(stream.seriesId);
      const newest = await history.nearest(own, Infinity, 'before');
      await inRawTransaction(store, (connection) =>
        connection.query('UPDATE series SET newestAt = ?, newestValue = ? WHERE id = ?', [
          newest?.at ?? null,
          newest?.value ?? null,
          stream.seriesId,
        ]),
      );
      if (newest !== null) recent.noteNewest(stream.seriesId, newest.at, newest.value);
    }),
  );
  await progress(days.length, days.length);
  const disturbedFrom = worker.disturbance(stream.seriesId);
  if (disturbedFrom !== null && disturbedFrom < last)
    await inRawTransaction(store, (connection) =>
      enqueueRecomputation(connection, target, disturbedFrom, ''),
    );
}
