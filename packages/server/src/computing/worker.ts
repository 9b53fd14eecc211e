import { BatchBuilder, calibrate, orderColumns, type Columns } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import type { HistoryReader } from '../history/read';
import type { DerivedWriter } from '../journal/derived';
import type { JournalEntry } from '../journal/reader';
import { aloneInAll, isInShare, together, type AllParts, type Share } from '../journal/parts';
import { startJournalWorker, type JournalWorker } from '../journal/worker';
import type { Committed } from '../journal/writer';
import type { Registry } from '../registry';
import { outsideTransactions } from '../store/oneConnection';
import type { Store } from '../store/store';
import { enqueueRecomputation } from './jobs';
import { allTargets, type Target } from './targets';
import { goOn, workOut, type Tail } from './work';

const ENTRIES_AT_ONCE = 100;

export interface Computing extends AllParts {
  /** Does something while nothing is being computed; what is remembered of a series is forgotten with it. */
  alone<T>(seriesId: number, work: () => Promise<T>): Promise<T>;
  /** Earliest time from which late readings changed a series while it was worked out anew, and forgets it. */
  disturbance(seriesId: number): number | null;
  watchDisturbance(seriesId: number): void;
}

type ComputingPart = Pick<Computing, 'disturbance' | 'watchDisturbance'> &
  Pick<JournalWorker, 'wake' | 'settled' | 'holds' | 'stop'> & {
    /** Forgets what is remembered of a series. */
    forget(seriesId: number): void;
    alone: JournalWorker['alone'];
  };

interface Parts {
  store: Store;
  registry: Registry;
  history: HistoryReader;
  writer: DerivedWriter;
  bus: Bus;
  log: Logger;
  share: Share;
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
export function startComputing({
  shares,
  ...parts
}: Omit<Parts, 'share'> & { shares: readonly Share[] }): Computing {
  const readers = shares.map((share) => startComputingPart({ ...parts, share }));
  return {
    ...together(readers),
    alone: (seriesId, work) =>
      aloneInAll(readers, () => {
        for (const one of readers) one.forget(seriesId);
        return work();
      }),
    watchDisturbance(seriesId) {
      for (const one of readers) one.watchDisturbance(seriesId);
    },
    disturbance(seriesId) {
      const all = readers.map((one) => one.disturbance(seriesId)).filter((from) => from !== null);
      return all.length === 0 ? null : Math.min(...all);
    },
  };
}

function startComputingPart(parts: Parts): ComputingPart {
  const { store, registry, history, writer, bus, log, share, onCommit } = parts;
  const { sole, part } = share;
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
    return { committed: made.length === 0 ? null : await writer.stage(connection, part, made), kept, late };
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
    { store, log, share },
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
        await store.withConnection((connection) => writer.find(connection, part));
      },
      async prepare() {
        if (stale) {
          stale = false;
          tails.clear();
          targets = await allTargets(store, registry, (workspaceId) => isInShare(share, workspaceId));
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
    forget: (seriesId) => void tails.delete(seriesId),
    alone: worker.alone,
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
