import {
  advancePlan,
  beganPlan,
  type Batch,
  type Columns,
  calibrate,
  fitPlan,
  liesAhead,
  orderColumns,
  planDueAt,
  planWithoutFuture,
  quietAgain,
  stepPlan,
  stepThrough,
  usualPlan,
  type Fact,
  type PlanSample,
  type PlanState,
  type Step,
} from '@peatmoor/core';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import type { JournalEntry } from '../journal/reader';
import { isInShare, together, type AllParts, type Share } from '../journal/parts';
import { startJournalWorker, type JournalWorker } from '../journal/worker';
import type { DeviceEntry, Registry } from '../registry';
import type { EventRow } from '../store/models';
import type { Store } from '../store/store';
import {
  announceEvents,
  closeEvent,
  closeOfRule,
  noteExtreme,
  writeTransitions,
  type Happened,
} from './events';
import { definitionOf, othersOf } from './definition';
import { createDueTimes } from './dueTimes';
import { writeFact } from './raised';
import { createWatches, type Changes, type Input, type Known, type Watch } from './watches';
import { latestPossible, now as clockNow, onClockBack } from '../clock';

const ENTRIES_AT_ONCE = 200;
/** Time passes only up to a moment before now, so that readings under way are looked at first. */
const BEHIND_MS = 250;
/** How often at the most it is written down how far open events went. */
const EXTREMES_MS = 3000;

interface Parts {
  store: Store;
  registry: Registry;
  bus: Bus;
  log: Logger;
  share: Share;
  onAlerts: () => void;
  /** True where a reading of a series ever came, as far as is known. */
  heard: (seriesId: number) => boolean;
}

/** Facts that open, close or end events. */
const WRITTEN: ReadonlySet<Fact['kind']> = new Set([
  'raised',
  'cleared',
  'confirmed',
  'not-confirmed',
  'event-closed',
  'rule-changed',
  'usual',
  'began',
]);
/** Facts that are values of a kind: what they say of a device, as a number. */
const KNOWN: Partial<Record<Fact['kind'], (fact: never) => [Known, number]>> = {
  online: () => ['presence', 1],
  offline: () => ['presence', 0],
  'first-seen': () => ['seen', 1],
  refused: ({ count }: Extract<Fact, { kind: 'refused' }>) => ['refused', count],
};

/**
 * The reader that takes rules through the journal, readings and facts, part by part: the one that writes events, their states and
 * alerts. All of it and its offset are one transaction, so that after a crash nothing is missed and nothing happens twice.
 */
export function startRules({
  shares,
  ...parts
}: Omit<Parts, 'share'> & { shares: readonly Share[] }): AllParts {
  return together(shares.map((share) => startRulePart({ ...parts, share })));
}

function startRulePart({ store, registry, bus, log, share, onAlerts, heard }: Parts): JournalWorker {
  const { sole } = share;
  const watches = createWatches(store, registry, (workspaceId) => isInShare(share, workspaceId));
  const due = createDueTimes<Watch>();
  /** Watches whose state in memory is ahead of the one that is kept. */
  const unkept = new Set<Watch>();
  /** How far the open events of a rule are said to have gone, by device, and when that was written. */
  const keptExtremes = new Map<number, Map<number, number | null>>();
  let extremesAt = 0;
  let furtherWaits = false;
  let changes: Changes = noChanges();
  changes.all = true;
  bus.on('rules', ({ workspaceId, ruleId }) => {
    if (workspaceId !== 0 && !isInShare(share, workspaceId)) return;
    if (ruleId === undefined) changes.all = true;
    else changes.rules.add(ruleId);
  });
  bus.on('definitions', ({ kindId, deviceRowId }) => {
    if (kindId !== undefined) changes.kinds.add(kindId);
    if (deviceRowId !== undefined) changes.devices.add(deviceRowId);
  });

  const forgetFuture = onClockBack(() => {
    changes.all = true;
    worker.wake();
  });

  const plan = (watch: Watch): void => {
    const at = planDueAt(watch.plan, watch.state);
    if (at !== null) due.plan(at, watch);
  };
  const load = async (): Promise<void> => {
    const now = changes;
    if (!now.all && now.rules.size + now.kinds.size + now.devices.size === 0) return;
    changes = noChanges();
    // What is kept of these is behind what is known here.
    const known = new Map([...unkept].map((watch) => [nameOf(watch), watch.state]));
    try {
      await watches.load(now);
    } catch (error) {
      changes.all = true;
      throw error;
    }
    unkept.clear();
    due.clear();
    for (const watch of watches.all()) {
      const state = known.get(nameOf(watch));
      if (state !== undefined) {
        watch.state = fitPlan(watch.plan, state);
        unkept.add(watch);
      }
      // What a clock that was wrong has left there.
      const right = planWithoutFuture(watch.plan, watch.state, latestPossible(), clockNow());
      if (right !== watch.state) unkept.add(watch);
      watch.state = right;
      plan(watch);
    }
  };

  /** The readings of a commit that somebody watches, by series. */
  const watchedLines = ({ series, times, values }: Batch): Map<number, Columns> => {
    const lines = new Map<number, Columns>();
    const latest = latestPossible();
    for (let i = 0; i < series.length; i++) {
      let line = lines.get(series[i]!);
      if (line === undefined) {
        if (!watches.has(series[i]!)) continue;
        lines.set(series[i]!, (line = { times: [], values: [] }));
      }
      // Of a time that a wrong clock gave, and that is forgotten, nothing opens or closes.
      if (times[i]! > latest) continue;
      line.times.push(times[i]!);
      line.values.push(values[i]!);
    }
    // Whoever sends the newest first is looked at in order all the same.
    for (const [id, line] of lines) lines.set(id, orderColumns(line));
    return lines;
  };

  /** Whether anything of what a part of a rule watches ever came. */
  const heardBy = (watch: Watch): ((part: number) => boolean) => {
    const inputs = watches.inputsOf(watch);
    return (part) =>
      inputs.some(
        (input) => input.part === part && (input.stream === undefined || heard(input.stream.seriesId)),
      );
  };

  type States = Map<Watch, PlanState>;
  const stateOf = (states: States, watch: Watch): PlanState => {
    const state = states.get(watch) ?? watch.state;
    const latest = latestPossible();
    return liesAhead(state, latest) ? planWithoutFuture(watch.plan, state, latest, clockNow()) : state;
  };
  const rightOf = (
    { stream }: Input,
    times: readonly number[],
    values: readonly number[],
  ): readonly number[] =>
    stream === undefined || stream.calibrations.length === 0
      ? values
      : values.map((value, i) => calibrate(stream.calibrations, times[i]!, value));
  type Take = (watch: Watch, next: Step) => void;
  /** Takes the watches of a commit further, by its readings and by what it tells. */
  const valuesOf = ({ batch, facts, at: cameAt }: JournalEntry, states: States, take: Take): void => {
    // What is watched by more than one value is gathered, and looked at in order of time.
    const gathered = new Map<Watch, PlanSample[]>();
    const gather = ({ watch, part, name }: Input, own: number, value: PlanSample['value']): void => {
      const at = watch.plan.parts[part]!.sense.hears === true ? Math.min(cameAt, clockNow()) : own;
      const samples = gathered.get(watch);
      if (samples === undefined) gathered.set(watch, [{ part, name, at, value }]);
      else samples.push({ part, name, at, value });
    };
    for (const [seriesId, { times, values }] of watchedLines(batch))
      for (const input of watches.of(seriesId)) {
        const { watch } = input;
        const right = rightOf(input, times, values);
        if (watch.plan.plain === null) right.forEach((value, i) => gather(input, times[i]!, value));
        else take(watch, stepThrough(watch.plan.plain, stateOf(states, watch), times, right));
      }
    for (const fact of facts) {
      if (fact.kind === 'told')
        for (const input of watches.of(fact.series)) gather(input, fact.at, fact.value);
      const known = KNOWN[fact.kind];
      if (known === undefined) continue;
      const [name, value] = known(fact as never);
      for (const input of watches.ofDevice((fact as { device: number }).device, name))
        gather(input, fact.at, value);
    }
    for (const [watch, samples] of gathered)
      take(
        watch,
        stepPlan(
          watch.plan,
          stateOf(states, watch),
          samples.sort((a, b) => a.at - b.at),
        ),
      );
  };
  /** Lets time pass for those whose time has come. */
  const passTime = (states: States, take: Take): void => {
    const now = clockNow() - BEHIND_MS;
    for (const watch of due.until(now)) take(watch, advancePlan(watch.plan, stateOf(states, watch), now));
  };
  const keepStates = (states: States): void => {
    due.settle();
    for (const [watch, state] of states) {
      watch.state = state;
      plan(watch);
    }
    const next = due.next();
    if (next !== null) worker.wakeIn(Math.max(20, next + BEHIND_MS - clockNow()));
  };

  /** Works steps out over copies of the states; what came of them is kept only once it is committed. */
  const work = async (
    connection: Connection,
    entries: readonly JournalEntry[],
    caughtUp: boolean,
  ): Promise<{ events: EventRow[]; states: States }> => {
    due.begin();
    const states: States = new Map();
    const happened: Happened[] = [];
    const events: EventRow[] = [];
    const take = (watch: Watch, next: Step): void => {
      if (next.state !== (states.get(watch) ?? watch.state)) states.set(watch, next.state);
      for (const transition of next.transitions) happened.push({ ...watch, transition });
    };
    const writeAll = async (): Promise<EventRow[]> => {
      const all = happened.splice(0);
      if (all.length === 0) return [];
      const named = [...new Set(all.flatMap(({ rule }) => othersOf(definitionOf(rule))))];
      const others = named.length === 0 ? NOBODY : await registry.load(named);
      return writeTransitions(connection, all, (rowId) => others.get(rowId));
    };
    const fact = async (one: Fact): Promise<void> => {
      const current = (watch: Watch): PlanState => states.get(watch) ?? watch.state;
      if ('key' in one) {
        const entry = (await registry.load([one.device])).get(one.device);
        if (entry === undefined) return;
        for (const { rule, condition } of watches.ofFact(entry, one))
          events.push(...(await writeFact(connection, { rule, condition, entry }, one)));
      } else if (one.kind === 'event-closed') {
        const closed = await closeEvent(connection, one);
        if (closed === null) return;
        events.push(closed);
        for (const watch of watches.ofRule(closed.ruleId))
          if (watch.entry.rowId === closed.deviceRowId)
            // What was looked at stays looked at: only newer readings can open the event again.
            states.set(watch, quietAgain(watch.plan, current(watch), false));
      } else if (one.kind === 'rule-changed') {
        await closeOfRule(connection, one.rule, one.at);
        await connection.execute('DELETE FROM ruleStates WHERE ruleId = ?', [one.rule]);
        for (const watch of watches.ofRule(one.rule))
          states.set(
            watch,
            beganPlan(
              watch.plan,
              quietAgain(watch.plan, current(watch), true),
              one.at,
              one.at,
              heardBy(watch),
            ),
          );
      } else if (one.kind === 'began') {
        for (const watch of watches.all()) {
          const state = beganPlan(watch.plan, current(watch), one.at, one.from, heardBy(watch));
          if (state !== current(watch)) states.set(watch, state);
        }
      } else if (one.kind === 'usual') {
        for (const { watch, part } of watches.of(one.series)) {
          const state = usualPlan(watch.plan, current(watch), part, one.hours);
          if (state !== current(watch)) states.set(watch, state);
        }
      }
    };
    for (const entry of entries) {
      valuesOf(entry, states, take);
      for (const one of entry.facts) {
        if (!WRITTEN.has(one.kind)) continue;
        if (happened.length > 0) events.push(...(await writeAll()));
        await fact(one);
      }
    }
    if (caughtUp) passTime(states, take);
    for (const watch of unkept) if (!states.has(watch)) states.set(watch, watch.state);
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
    events.push(...(await writeAll()));
    for (const [watch, state] of states)
      if ((state.phase === 'open' || state.phase === 'closing') && state.extreme !== null)
        if (keptExtremes.get(watch.rule.id)?.get(watch.entry.rowId) !== state.extreme)
          events.push(...(await noteExtreme(connection, watch.rule.id, watch.entry.rowId, state.extreme)));
    return { events, states };
  };

  const worker: JournalWorker = startJournalWorker(
    { store, log, share },
    {
      name: 'rules',
      entries: ENTRIES_AT_ONCE,
      looks: 1,
      readings: Infinity,
      everyMs: sole ? 30_000 : 1000,
      gatherMs: () => 50,
      begin() {
        unkept.clear();
        keptExtremes.clear();
        changes.all = true;
      },
      async prepare() {
        await load();
        return 'work';
      },
      look(entries, caughtUp) {
        if (entries.some(({ facts }) => facts.some(({ kind }) => WRITTEN.has(kind)))) return null;
        due.begin();
        const states: States = new Map();
        let quiet = true;
        let further = false;
        const take = (watch: Watch, next: Step): void => {
          if (next.state !== stateOf(states, watch)) states.set(watch, next.state);
          quiet &&= next.transitions.length === 0;
          if (isFurther(watch.state, next.state)) further = true;
        };
        for (const entry of entries) valuesOf(entry, states, take);
        if (caughtUp) passTime(states, take);
        // An open event says how far it went, soon enough.
        const isDue = performance.now() - extremesAt > EXTREMES_MS;
        if (!quiet || ((further || furtherWaits) && isDue)) return null;
        return () => {
          for (const watch of states.keys()) unkept.add(watch);
          furtherWaits ||= further;
          if (further) worker.wakeIn(EXTREMES_MS + 50);
          keepStates(states);
        };
      },
      async step(connection, entries, caughtUp) {
        const { events, states } = await work(connection, entries, caughtUp);
        return {
          after() {
            unkept.clear();
            extremesAt = performance.now();
            furtherWaits = false;
            for (const [{ rule, entry }, { phase, extreme }] of states) {
              const ofRule = keptExtremes.get(rule.id) ?? new Map<number, number | null>();
              keptExtremes.set(rule.id, ofRule);
              if (phase === 'open' || phase === 'closing') ofRule.set(entry.rowId, extreme);
              else ofRule.delete(entry.rowId);
              if (ofRule.size === 0) keptExtremes.delete(rule.id);
            }
            keepStates(states);
            if (events.length === 0) return;
            announceEvents(bus, events);
            onAlerts();
          },
        };
      },
    },
  );
  return {
    ...worker,
    stop() {
      forgetFuture();
      return worker.stop();
    },
  };
}

/** True where an open event went further. */
const isFurther = (before: PlanState, after: PlanState): boolean =>
  after.extreme !== before.extreme && (after.phase === 'open' || after.phase === 'closing');
const nameOf = ({ rule, entry }: Watch): string => `${rule.id}:${entry.rowId}`;
const NOBODY: ReadonlyMap<number, DeviceEntry> = new Map();
const noChanges = (): Changes => ({ all: false, rules: new Set(), kinds: new Set(), devices: new Set() });
