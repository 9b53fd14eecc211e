import { BatchBuilder, calibrate, orderColumns, type Columns } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import type { HistoryReader } from '../history/read';
import type { DerivedWriter } from '../journal/derived';
import type { JournalEntry } from '../journal/reader';
import { startJournalWorker, type JournalWorker } from '../journal/worker';
import type { Committed } from '../journal/writer';
import type { Registry } from '../registry';
import { outsideTransactions } from '../store/oneConnection';
import type { Store } from '../store/store';
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
  /** True where it is done here. */
  holds(): boolean;
  stop(): Promise<void>;
}

interface Parts {
  store: Store;
  registry: Registry;
  history: HistoryReader;
  writer: DerivedWriter;
  bus: Bus;
  log: Logger;
  holder: string;
  sole: boolean;
  /** Called with what was computed and committed. */
  onCommit: (committed: Committed) => void;
}

/** What came of one round. */
interface Round {
  committed: Committed | null;
  kept: Map<number, Tail | null>;
  late: [seriesId: number, from: number][];
}

/**
 * The reader that takes the journal to computed datastreams. What it makes is journalled in the transaction that keeps
 * its offset, and read by rules, folding and pages like any other reading; by itself too, for what is computed from it.
 */
export function startComputing(parts: Parts): ComputingWorker {
  const { store, registry, history, writer, bus, log, holder, sole, onCommit } = parts;
  let targets = new Map<number, Target[]>();
  const tails = new Map<number, Tail>();
  const disturbed = new Map<number, number | null>();
  let stale = true;
  bus.on('definitions', () => (stale = true));

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

  const round = async (connection: Connection, entries: readonly JournalEntry[]): Promise<Round> => {
    const made = new BatchBuilder();
    const kept = new Map<number, Tail | null>();
    const late: [seriesId: number, from: number][] = [];
    for (const [target, fresh] of touchedBy(entries)) {
      const { seriesId } = target.stream;
      const from = Math.min(...[...fresh.values()].map(({ times }) => times[0]!));
      const tail = tails.get(seriesId);
      const inOrder = tail !== undefined && from > tail.newestAt;
      const worked = inOrder
        ? goOn(target, tail, fresh)
        : await outsideTransactions(() => workOut(history, target, fresh));
      if (worked.tooMuch) {
        await enqueueRecomputation(connection, target, worked.from, '');
        // Once it is committed.
        const { workspaceId } = target.entry;
        outsideTransactions(() => setTimeout(() => bus.emit('recompute', { workspaceId }), 500));
      }
      if (!inOrder) late.push([seriesId, from]);
      const { times, values } = worked.outputs;
      for (let i = 0; i < times.length; i++) made.add(seriesId, times[i]!, values[i]!);
      kept.set(seriesId, worked.tail);
    }
    return { committed: made.length === 0 ? null : await writer.stage(connection, made), kept, late };
  };
  const keep = ({ committed, kept, late }: Round): void => {
    for (const [seriesId, tail] of kept)
      if (tail === null) tails.delete(seriesId);
      else tails.set(seriesId, tail);
    for (const [seriesId, from] of late)
      if (disturbed.has(seriesId))
        disturbed.set(seriesId, Math.min(disturbed.get(seriesId) ?? Infinity, from));
    if (committed === null) return;
    writer.settle(committed);
    onCommit(committed);
  };

  const worker: JournalWorker = startJournalWorker(
    { store, log, holder, sole },
    {
      name: 'computing',
      entries: ENTRIES_AT_ONCE,
      looks: 1,
      readings: Infinity,
      // While nothing is computed, moving on now and then is enough; what others commit is looked for.
      everyMs: sole ? 300_000 : 1000,
      gatherMs: () => 50,
      async begin() {
        stale = true;
        tails.clear();
        await store.withConnection((connection) => writer.find(connection));
      },
      async prepare() {
        if (stale) {
          stale = false;
          tails.clear();
          targets = await allTargets(store, registry);
        }
        return targets.size === 0 ? 'pass' : 'work';
      },
      async step(connection, entries) {
        const made = await round(connection, entries);
        // What is computed from what was just computed follows in the next round.
        return { after: () => keep(made), again: made.committed !== null };
      },
    },
  );
  return {
    wake: () => (targets.size > 0 || stale) && worker.wake(),
    alone: (seriesId, work) =>
      worker.alone(async () => {
        tails.delete(seriesId);
        return work();
      }),
    watchDisturbance: (seriesId) => void disturbed.set(seriesId, null),
    disturbance(seriesId) {
      const from = disturbed.get(seriesId) ?? null;
      disturbed.delete(seriesId);
      return from;
    },
    settled: worker.settled,
    holds: worker.holds,
    stop: worker.stop,
  };
}
