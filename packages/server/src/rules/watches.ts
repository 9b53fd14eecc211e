import { QUIET, readCondition, type KeyedFact, type ReadyCondition, type RuleState } from '@peatmoor/core';
import type { DeviceEntry, DeviceStream, Registry } from '../registry';
import type { RuleRow } from '../store/models';
import { findAll } from '../store/rows';
import type { Store } from '../store/store';

/** A rule as it stands for one device. */
export interface Watch {
  rule: RuleRow;
  condition: ReadyCondition;
  entry: DeviceEntry;
  stream: DeviceStream;
  state: RuleState;
}

/** What changed since the watches were loaded. */
export interface Changes {
  all: boolean;
  rules: Set<number>;
  kinds: Set<number>;
  devices: Set<number>;
}

/** The watches of all active rules, in memory; only what changed is read again. */
export interface Watches {
  of(seriesId: number): Iterable<Watch>;
  has(seriesId: number): boolean;
  all(): Iterable<Watch>;
  ofRule(ruleId: number): Iterable<Watch>;
  /** Rules that such a fact opens or closes. */
  ofFact(entry: DeviceEntry, fact: KeyedFact): readonly { rule: RuleRow; condition: ReadyCondition }[];
  load(changes: Changes): Promise<void>;
}

export function createWatches(store: Store, registry: Registry): Watches {
  const bySeries = new Map<number, Set<Watch>>();
  const byRule = new Map<number, Map<number, Watch>>();
  const rules = new Map<number, RuleRow>();
  const conditions = new Map<number, ReadyCondition>();
  const watchesReadings = ({ id }: RuleRow): boolean => conditions.get(id)?.sort.watches === 'readings';

  const forget = (ruleId: number): void => {
    for (const watch of byRule.get(ruleId)?.values() ?? []) {
      const set = bySeries.get(watch.stream.seriesId);
      set?.delete(watch);
      if (set?.size === 0) bySeries.delete(watch.stream.seriesId);
    }
    byRule.delete(ruleId);
    rules.delete(ruleId);
    conditions.delete(ruleId);
  };
  const watch = (rule: RuleRow, entry: DeviceEntry, state: RuleState): void => {
    const stream = entry.streams.find((one) => one.key === rule.streamKey);
    const condition = conditions.get(rule.id);
    if (stream === undefined || condition === undefined) return;
    const one: Watch = { rule, condition, entry, stream, state };
    const set = bySeries.get(stream.seriesId);
    if (set === undefined) bySeries.set(stream.seriesId, new Set([one]));
    else set.add(one);
    byRule.get(rule.id)!.set(entry.rowId, one);
  };

  /** Reads some rules anew, with their devices and states, in a bounded number of queries. */
  const read = async (rows: readonly RuleRow[]): Promise<void> => {
    const ready = new Map(rows.map((rule) => [rule.id, readCondition(rule.sort, rule.settings)] as const));
    const values = rows.filter(({ id }) => ready.get(id)?.sort.watches === 'readings');
    const kindIds = [
      ...new Set(values.flatMap(({ kindId, deviceRowId }) => (deviceRowId === null ? [kindId!] : []))),
    ];
    const ofKinds =
      kindIds.length === 0
        ? []
        : await findAll(store.models.devices, {
            where: { kindId: kindIds },
            attributes: ['rowId', 'kindId', 'workspaceId'],
          });
    const entries = await registry.load([
      ...ofKinds.map(({ rowId }) => rowId),
      ...values.flatMap(({ deviceRowId }) => deviceRowId ?? []),
    ]);
    const states = new Map<string, RuleState>();
    for (let i = 0; i < values.length; i += 1000) {
      const ruleId = values.slice(i, i + 1000).map(({ id }) => id);
      for (const row of await findAll(store.models.ruleStates, { where: { ruleId } }))
        states.set(`${row.ruleId}:${row.deviceRowId}`, row.state as RuleState);
    }
    const devicesOfKind = new Map<number, number[]>();
    for (const { kindId, rowId } of ofKinds)
      devicesOfKind.set(kindId, [...(devicesOfKind.get(kindId) ?? []), rowId]);
    for (const rule of rows) {
      forget(rule.id);
      rules.set(rule.id, rule);
      byRule.set(rule.id, new Map());
      const condition = ready.get(rule.id);
      if (condition == null) continue;
      conditions.set(rule.id, condition);
      if (!watchesReadings(rule)) continue;
      const ids = rule.deviceRowId === null ? (devicesOfKind.get(rule.kindId!) ?? []) : [rule.deviceRowId];
      for (const id of ids) {
        const entry = entries.get(id);
        if (entry !== undefined && entry.workspaceId === rule.workspaceId)
          watch(rule, entry, states.get(`${rule.id}:${id}`) ?? QUIET);
      }
    }
  };

  /** Puts one device where it belongs: into the rules of its kind and its own, with the states it had. */
  const attach = (rowId: number, entry: DeviceEntry | undefined): void => {
    for (const [id, rule] of rules) {
      const watching = byRule.get(id)!;
      const before = watching.get(rowId);
      if (before !== undefined) {
        watching.delete(rowId);
        const set = bySeries.get(before.stream.seriesId);
        set?.delete(before);
        if (set?.size === 0) bySeries.delete(before.stream.seriesId);
      }
      if (entry === undefined || !watchesReadings(rule) || rule.workspaceId !== entry.workspaceId) continue;
      if (rule.deviceRowId === null ? rule.kindId === entry.kindId : rule.deviceRowId === rowId)
        watch(rule, entry, before?.state ?? QUIET);
    }
  };

  return {
    of: (seriesId) => bySeries.get(seriesId) ?? NONE,
    has: (seriesId) => bySeries.has(seriesId),
    *all() {
      for (const watches of byRule.values()) yield* watches.values();
    },
    ofRule: (ruleId) => byRule.get(ruleId)?.values() ?? NONE,
    ofFact: (entry, { kind, key }) =>
      [...rules.values()].flatMap((rule) => {
        const condition = conditions.get(rule.id);
        const facts = condition?.sort.facts;
        const isAbout =
          (facts?.opens === kind || facts?.closes === kind) &&
          rule.streamKey === key &&
          rule.workspaceId === entry.workspaceId &&
          (rule.deviceRowId === null ? rule.kindId === entry.kindId : rule.deviceRowId === entry.rowId);
        return isAbout ? [{ rule, condition: condition! }] : [];
      }),
    async load({ all, rules: changed, kinds, devices }) {
      if (all) {
        for (const id of [...rules.keys()]) forget(id);
        await read(await findAll(store.models.rules, { where: { active: true } }));
        return;
      }
      const ids = new Set(changed);
      for (const [id, rule] of rules) if (rule.kindId !== null && kinds.has(rule.kindId)) ids.add(id);
      for (const [id, watching] of byRule)
        for (const { entry } of watching.values())
          if (kinds.has(entry.kindId)) {
            ids.add(id);
            break;
          }
      const found = await registry.load([...devices]);
      for (const rowId of devices) attach(rowId, found.get(rowId));
      if (ids.size === 0) return;
      const rows = await findAll(store.models.rules, { where: { id: [...ids], active: true } });
      const there = new Set(rows.map(({ id }) => id));
      for (const id of ids) if (!there.has(id)) forget(id);
      await read(rows);
    },
  };
}

const NONE: never[] = [];
