import {
  advance,
  calibrate,
  QUIET,
  step,
  type Condition,
  type RuleState,
  type Step,
  type Transition,
} from '@peatmoor/core';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import { keepOffsets, readJournal, type JournalEntry } from '../journal/reader';
import type { DeviceEntry, DeviceStream, Registry } from '../registry';
import type { RuleRow } from '../store/models';
import { findAll } from '../store/rows';
import { inRawTransaction, type Store } from '../store/store';
import { announceEvents, writeTransitions, type Happened } from './events';

const ENTRIES_AT_ONCE = 200;

/** A rule as it stands for one device. */
interface Watch {
  rule: RuleRow;
  entry: DeviceEntry;
  stream: DeviceStream;
  state: RuleState;
}

export interface RuleWorker {
  /** Something was committed: look at it soon. */
  wake(): void;
  /** Puts the watches of a rule back to quiet, on one device or all, in the worker's own order of things. */
  reset(ruleId: number, deviceRowId?: number): Promise<void>;
  /** Resolves when everything committed up to now has been looked at. */
  settled(): Promise<void>;
  stop(): Promise<void>;
}

/**
 * The worker that takes rules through the journal. States, events, alerts and its offset are written in one
 * transaction, so that after a crash nothing is missed and nothing happens twice.
 */
export function startRuleWorker(
  store: Store,
  registry: Registry,
  bus: Bus,
  log: Logger,
  onAlerts: () => void,
): RuleWorker {
  let watches = new Map<number, Watch[]>();
  let byRule = new Map<string, Watch>();
  let stale = true;
  let stopped = false;
  let queue: Promise<void> = Promise.resolve();
  let scheduled = false;
  bus.on('rules', () => (stale = true));
  bus.on('definitions', () => (stale = true));

  const load = async (): Promise<void> => {
    stale = false;
    const rules = (await findAll(store.models.rules, { where: { active: true } })).filter(
      ({ comparison }) => comparison !== 'raised',
    );
    const states = await findAll(store.models.ruleStates);
    const stateOf = new Map(
      states.map((row) => [`${row.ruleId}:${row.deviceRowId}`, row.state as RuleState]),
    );
    watches = new Map();
    byRule = new Map();
    for (const rule of rules)
      for (const entry of await devicesOf(rule)) {
        const stream = entry.streams.find((one) => one.key === rule.streamKey);
        if (stream === undefined) continue;
        const id = `${rule.id}:${entry.rowId}`;
        const watch = { rule, entry, stream, state: stateOf.get(id) ?? QUIET };
        byRule.set(id, watch);
        watches.set(stream.seriesId, [...(watches.get(stream.seriesId) ?? []), watch]);
      }
  };
  const devicesOf = async (rule: RuleRow): Promise<DeviceEntry[]> => {
    const rows = await findAll(store.models.devices, {
      where:
        rule.deviceRowId === null
          ? { kindId: rule.kindId!, workspaceId: rule.workspaceId }
          : { rowId: rule.deviceRowId, workspaceId: rule.workspaceId },
    });
    const entries = await Promise.all(rows.map(({ rowId }) => registry.byRow(rowId)));
    return entries.filter((entry) => entry !== null);
  };

  /** Works steps out over copies of the states, writes them, and only then keeps them. */
  const commit = async (
    connection: Connection,
    entries: readonly JournalEntry[],
    now: number,
  ): Promise<{ happened: Happened[]; states: Map<Watch, RuleState> }> => {
    const states = new Map<Watch, RuleState>();
    const happened: Happened[] = [];
    const take = (watch: Watch, next: Step): void => {
      if (next.state !== (states.get(watch) ?? watch.state)) states.set(watch, next.state);
      for (const transition of next.transitions) happened.push({ ...watch, transition });
    };
    for (const { batch } of entries)
      for (let i = 0; i < batch.series.length; i++)
        for (const watch of watches.get(batch.series[i]!) ?? [])
          take(
            watch,
            step(watch.rule as Condition, states.get(watch) ?? watch.state, {
              at: batch.times[i]!,
              value: calibrate(watch.stream.calibrations, batch.times[i]!, batch.values[i]!),
            }),
          );
    if (entries.length < ENTRIES_AT_ONCE)
      for (const watch of byRule.values())
        take(watch, advance(watch.rule as Condition, states.get(watch) ?? watch.state, now));
    if (states.size > 0)
      await connection.batch(
        'REPLACE INTO ruleStates (ruleId, deviceRowId, workspaceId, state) VALUES (?, ?, ?, ?)',
        [...states].map(([{ rule, entry }, state]) => [
          rule.id,
          entry.rowId,
          rule.workspaceId,
          JSON.stringify(state),
        ]),
      );
    await keepOffsets(connection, 'rules', entries);
    return { happened: await writeTransitions(connection, happened), states };
  };

  const pass = async (): Promise<void> => {
    for (;;) {
      if (stale) await load();
      // Time passes only up to a moment before the reading, so that readings under way are looked at first.
      const now = Date.now() - 250;
      const { happened, states, more } = await inRawTransaction(store, async (connection) => {
        const entries = await readJournal(connection, 'rules', ENTRIES_AT_ONCE);
        return { ...(await commit(connection, entries, now)), more: entries.length === ENTRIES_AT_ONCE };
      });
      for (const [watch, state] of states) watch.state = state;
      if (happened.length > 0) {
        announceEvents(bus, happened);
        onAlerts();
      }
      if (!more) return;
    }
  };
  const run = <T>(work: () => Promise<T>): Promise<T> => {
    const result = queue.then(work);
    queue = result.then(
      () => undefined,
      (error: Error) => {
        stale = true;
        log.warn({ error: error.message }, 'event rules wait');
      },
    );
    return result;
  };
  const wake = (): void => {
    if (scheduled || stopped) return;
    scheduled = true;
    setTimeout(() => {
      scheduled = false;
      if (!stopped) run(pass).catch(() => undefined);
    }, 50);
  };
  const timer = setInterval(wake, 1000);
  return {
    wake,
    reset: (ruleId, deviceRowId) =>
      run(async () => {
        const where = deviceRowId === undefined ? { ruleId } : { ruleId, deviceRowId };
        await store.models.ruleStates.destroy({ where });
        for (const watch of byRule.values())
          if (watch.rule.id === ruleId && (deviceRowId === undefined || watch.entry.rowId === deviceRowId)) {
            // What was looked at stays looked at: only newer readings can open the event again.
            watch.state = { ...QUIET, last: watch.state.last };
          }
        stale ||= deviceRowId === undefined;
      }),
    settled: () => run(pass),
    async stop() {
      stopped = true;
      clearInterval(timer);
      await queue;
    },
  };
}

export type { Transition };
