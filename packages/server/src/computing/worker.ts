import { BatchBuilder, calibrate, orderColumns, type Columns } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import type { HistoryReader } from '../history/read';
import type { DerivedWriter } from '../journal/derived';
import { keepOffsets, passJournal, readJournal, type JournalEntry } from '../journal/reader';
import type { Committed } from '../journal/writer';
import type { Registry } from '../registry';
import { inRawTransaction, type Store } from '../store/store';
import { enqueueRecomputation } from './jobs';
import { allTargets, type Target } from './targets';
import { goOn, workOut, type Tail } from './work';

const ENTRIES_AT_ONCE = 100;

export interface ComputingWorker {
  /** Something was committed: look at it soon. */
  wake(): void;
  /** Does something while nothing is being computed; what is remembered of a series is forgotten with it. */
  alone<T>(seriesId: number, work: () => Promise<T>): Promise<T>;
  /** Earliest time from which late readings changed a series while it was worked out anew, and forgets it. */
  disturbance(seriesId: number): number | null;
  watchDisturbance(seriesId: number): void;
  /** Resolves when everything committed up to now has been looked at. */
  settled(): Promise<void>;
  stop(): Promise<void>;
}

interface Parts {
  store: Store;
  registry: Registry;
  history: HistoryReader;
  writer: DerivedWriter;
  bus: Bus;
  log: Logger;
  /** Called with what was computed and committed. */
  onCommit: (committed: Committed) => void;
}

/**
 * The worker that takes the journal to computed datastreams. What it makes is journalled in the transaction that keeps
 * its offset, and read by rules, folding and pages like any other reading; by itself too, for what is computed from it.
 */
export function startComputing({
  store,
  registry,
  history,
  writer,
  bus,
  log,
  onCommit,
}: Parts): ComputingWorker {
  let targets = new Map<number, Target[]>();
  const tails = new Map<number, Tail>();
  const disturbed = new Map<number, number | null>();
  let stale = true;
  let stopped = false;
  let unsure = false;
  let scheduled = false;
  let queue: Promise<unknown> = Promise.resolve();
  bus.on('definitions', () => (stale = true));

  const load = async (): Promise<void> => {
    stale = false;
    tails.clear();
    targets = await allTargets(store, registry);
  };

  /** The readings of these entries that each target reads, true ones, in order of time. */
  const touchedBy = (entries: readonly JournalEntry[]): Map<Target, Map<string, Columns>> => {
    const touched = new Map<Target, Map<string, Columns>>();
    for (const { batch } of entries)
      for (let i = 0; i < batch.series.length; i++)
        for (const target of targets.get(batch.series[i]!) ?? []) {
          const input = target.inputs.find(({ seriesId }) => seriesId === batch.series[i])!;
          let lines = touched.get(target);
          if (lines === undefined) touched.set(target, (lines = new Map()));
          let line = lines.get(input.key);
          if (line === undefined) lines.set(input.key, (line = { times: [], values: [] }));
          line.times.push(batch.times[i]!);
          line.values.push(calibrate(input.calibrations, batch.times[i]!, batch.values[i]!));
        }
    for (const lines of touched.values())
      for (const [key, columns] of lines) lines.set(key, orderColumns(columns));
    return touched;
  };

  const passOnce = async (connection: Connection) => {
    const entries = await readJournal(connection, 'computing', ENTRIES_AT_ONCE);
    const made = new BatchBuilder();
    const kept = new Map<number, Tail | null>();
    const late: [seriesId: number, from: number][] = [];
    for (const [target, fresh] of touchedBy(entries)) {
      const { seriesId } = target.stream;
      const from = Math.min(...[...fresh.values()].map(({ times }) => times[0]!));
      const tail = tails.get(seriesId);
      const inOrder = tail !== undefined && from > tail.newestAt;
      const worked = inOrder ? goOn(target, tail, fresh) : await workOut(history, target, fresh);
      if (worked.tooMuch) await enqueueRecomputation(connection, target, worked.from, '');
      if (!inOrder) late.push([seriesId, from]);
      const { times, values } = worked.outputs;
      for (let i = 0; i < times.length; i++) made.add(seriesId, times[i]!, values[i]!);
      kept.set(seriesId, worked.tail);
    }
    const committed = made.length === 0 ? null : await writer.stage(connection, made);
    await keepOffsets(connection, 'computing', entries);
    return { committed, kept, late, more: entries.length === ENTRIES_AT_ONCE };
  };

  const pass = async (): Promise<void> => {
    for (;;) {
      if (unsure) await store.withConnection((connection) => writer.find(connection));
      unsure = false;
      if (stale) await load();
      if (targets.size === 0)
        return store.withConnection((connection) => passJournal(connection, 'computing'));
      const { committed, kept, late, more } = await inRawTransaction(store, passOnce);
      for (const [seriesId, tail] of kept)
        if (tail === null) tails.delete(seriesId);
        else tails.set(seriesId, tail);
      for (const [seriesId, from] of late)
        if (disturbed.has(seriesId))
          disturbed.set(seriesId, Math.min(disturbed.get(seriesId) ?? Infinity, from));
      if (committed !== null) {
        writer.settle(committed);
        onCommit(committed);
      }
      // What is computed from what was just computed follows in the next round.
      if (!more && committed === null) return;
    }
  };
  const run = <T>(work: () => Promise<T>): Promise<T> => {
    const result = queue.then(work);
    queue = result.catch((error: Error) => {
      unsure = true;
      stale = true;
      tails.clear();
      log.warn({ error: error.message }, 'computing waits');
    });
    return result;
  };
  const look = (): void => {
    if (scheduled || stopped) return;
    scheduled = true;
    setTimeout(() => {
      scheduled = false;
      if (!stopped) run(pass).catch(() => undefined);
    }, 50);
  };
  const timer = setInterval(look, 1000);
  return {
    // While nothing is computed, moving on once a second is enough.
    wake: () => (targets.size > 0 || stale) && look(),
    alone: (seriesId, work) =>
      run(async () => {
        tails.delete(seriesId);
        return work();
      }),
    watchDisturbance: (seriesId) => void disturbed.set(seriesId, null),
    disturbance(seriesId) {
      const from = disturbed.get(seriesId) ?? null;
      disturbed.delete(seriesId);
      return from;
    },
    settled: () => run(pass),
    async stop() {
      stopped = true;
      clearInterval(timer);
      await queue;
    },
  };
}
