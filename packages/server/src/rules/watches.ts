import {
  factCondition,
  fitPlan,
  QUIET,
  type KeyedFact,
  type PlanState,
  type ReadyCondition,
  type ReadyPlan,
  type RulePlan,
} from '@peatmoor/core';
import type { DeviceEntry, DeviceStream, Registry } from '../registry';
import type { RuleRow } from '../store/models';
import { findAll } from '../store/rows';
import type { Store } from '../store/store';
import { definitionOf, isWatched, othersOf, ownOf, planFor } from './definition';

/** A rule as it stands for one device. */
export interface Watch {
  rule: RuleRow;
  plan: RulePlan;
  entry: DeviceEntry;
  /** The datastream that its first condition looks at; undefined where that is none. */
  stream: DeviceStream | undefined;
  state: PlanState;
}

/** Where a value goes that somebody watches. */
export interface Input {
  watch: Watch;
  part: number;
  name: string;
  stream: DeviceStream | undefined;
}

/** What the service knows of a device itself. */
export type Known = 'presence' | 'seen' | 'refused';

/** What changed since the watches were loaded. */
export interface Changes {
  all: boolean;
  rules: Set<number>;
  kinds: Set<number>;
  devices: Set<number>;
}

export interface FactRule {
  rule: RuleRow;
  condition: ReadyCondition;
}

/** The watches of all active rules, in memory; only what changed is read again. */
export interface Watches {
  of(seriesId: number): Iterable<Input>;
  has(seriesId: number): boolean;
  ofDevice(deviceRowId: number, known: Known): Iterable<Input>;
  all(): Iterable<Watch>;
  ofRule(ruleId: number): Iterable<Watch>;
  /** What a watch looks at. */
  inputsOf(watch: Watch): readonly Input[];
  /** Rules that such a fact opens or closes. */
  ofFact(entry: DeviceEntry, fact: KeyedFact): readonly FactRule[];
  load(changes: Changes): Promise<void>;
}

const NONE: never[] = [];
const ALONE: ReadonlyMap<number, DeviceEntry> = new Map();
/** Rules of one query for states. */
const AT_ONCE = 1000;

/** `isMine`: whether the rules of a workspace are among them. */
export function createWatches(
  store: Store,
  registry: Registry,
  isMine: (workspaceId: number) => boolean,
): Watches {
  const { models } = store;
  const byInput = new Map<number | string, Set<Input>>();
  const byRule = new Map<number, Map<number, Watch>>();
  const rules = new Map<number, RuleRow>();
  const inputsOf = new Map<Watch, { key: number | string; input: Input }[]>();
  /** Rules that facts of a key open and close, by workspace and key. */
  const byFact = new Map<string, Map<number, FactRule>>();
  /** Rules that look at a device beside those they watch. */
  const byOther = new Map<number, Set<number>>();
  const zones = new Map<number, string>();
  /** What a rule is made ready as, by kind: the same for every device of it that has nothing of its own. */
  const plans = new Map<number, Map<number, ReadyPlan | null>>();
  /** Rules that are put in place by reading them only: told by facts, or looking at several devices. */
  const stateless = new Set<number>();
  const factKey = (workspaceId: number, key: string): string => `${workspaceId} ${key}`;
  const knownKey = (deviceRowId: number, known: Known): string => `${deviceRowId} ${known}`;

  const drop = (watch: Watch): void => {
    for (const { key, input } of inputsOf.get(watch) ?? []) {
      const set = byInput.get(key);
      set?.delete(input);
      if (set?.size === 0) byInput.delete(key);
    }
    inputsOf.delete(watch);
  };
  const forget = (ruleId: number): void => {
    for (const watch of byRule.get(ruleId)?.values() ?? NONE) drop(watch);
    byRule.delete(ruleId);
    const rule = rules.get(ruleId);
    rules.delete(ruleId);
    stateless.delete(ruleId);
    plans.delete(ruleId);
    if (rule === undefined) return;
    byFact.get(factKey(rule.workspaceId, rule.streamKey))?.delete(ruleId);
    for (const other of othersOf(definitionOf(rule))) byOther.get(other)?.delete(ruleId);
  };
  const watch = (
    rule: RuleRow,
    entry: DeviceEntry,
    state: PlanState,
    others: ReadonlyMap<number, DeviceEntry>,
  ): void => {
    /** Another device of the rule's workspace: what was handed over to another is as if it were not there. */
    const other = (rowId: number): DeviceEntry | undefined => {
      const found = others.get(rowId);
      return found?.workspaceId === rule.workspaceId ? found : undefined;
    };
    const make = (): ReadyPlan | null =>
      planFor(rule, entry, zones.get(rule.workspaceId) ?? 'UTC', (rowId) => other(rowId)?.streams);
    let ready: ReadyPlan | null | undefined;
    if (ownOf(rule, entry.rowId) === undefined) {
      const byKind = plans.get(rule.id) ?? new Map<number, ReadyPlan | null>();
      plans.set(rule.id, byKind);
      ready = byKind.get(entry.kindId);
      if (ready === undefined) byKind.set(entry.kindId, (ready = make()));
    } else ready = make();
    if (ready === null) return;
    const first = entry.streams.find(({ key }) => key === rule.streamKey);
    const one: Watch = { rule, plan: ready.plan, entry, stream: first, state: fitPlan(ready.plan, state) };
    const inputs = ready.inputs.flatMap(({ part, name, of, device }) => {
      const where = device === null ? entry : other(device)!;
      const stream = typeof of === 'string' ? undefined : where.streams.find(({ key }) => key === of.stream);
      const key = typeof of === 'string' ? knownKey(where.rowId, of) : stream?.seriesId;
      return key === undefined ? [] : [{ key, input: { watch: one, part, name, stream } }];
    });
    for (const { key, input } of inputs) {
      const set = byInput.get(key);
      if (set === undefined) byInput.set(key, new Set([input]));
      else set.add(input);
    }
    inputsOf.set(one, inputs);
    byRule.get(rule.id)!.set(entry.rowId, one);
  };

  const readRules = async (where: Record<string, unknown>): Promise<RuleRow[]> =>
    (await findAll(models.rules, { where: { ...where, active: true } })).filter(({ workspaceId }) =>
      isMine(workspaceId),
    );
  /** Rows of the devices that rules watch, with kind and labels, in a bounded number of queries. */
  const devicesOf = async (rows: readonly RuleRow[]): Promise<number[]> => {
    const kindIds = [...new Set(rows.flatMap(({ kindId }) => kindId ?? []))];
    const ofKinds =
      kindIds.length === 0
        ? []
        : await findAll(models.devices, { where: { kindId: kindIds }, attributes: ['rowId'] });
    // Those of a label are among the devices of its workspace: labels are looked at in memory.
    const labelled = [
      ...new Set(rows.flatMap(({ label, workspaceId }) => (label === null ? [] : workspaceId))),
    ];
    const inWorkspaces =
      labelled.length === 0
        ? []
        : (
            await findAll(models.devices, {
              where: { workspaceId: labelled },
              attributes: ['rowId', 'labels'],
            })
          ).filter(({ labels }) => rows.some(({ label }) => label !== null && labels.includes(label)));
    return [...ofKinds, ...inWorkspaces].map(({ rowId }) => rowId);
  };

  /** Reads some rules anew, with their devices and states, in a bounded number of queries. */
  const read = async (rows: readonly RuleRow[]): Promise<void> => {
    const definitions = new Map(rows.map((rule) => [rule.id, definitionOf(rule)] as const));
    const facts = new Map(
      rows.flatMap(({ id }) => {
        const condition = factCondition(definitions.get(id)!);
        return condition === null ? [] : [[id, condition] as const];
      }),
    );
    const values = rows.filter(({ id }) => !facts.has(id));
    const missing = [...new Set(values.map(({ workspaceId }) => workspaceId))];
    for (const { id, zone } of missing.length === 0
      ? []
      : await findAll(models.workspaces, { where: { id: missing }, attributes: ['id', 'zone'] }))
      zones.set(id, zone);
    const others = [...new Set(values.flatMap(({ id }) => othersOf(definitions.get(id)!)))];
    const entries = await registry.load([
      ...new Set([
        ...(await devicesOf(values)),
        ...values.flatMap(({ deviceRowId }) => deviceRowId ?? []),
        ...others,
      ]),
    ]);
    const states = new Map<string, PlanState>();
    for (let i = 0; i < values.length; i += AT_ONCE) {
      const ruleId = values.slice(i, i + AT_ONCE).map(({ id }) => id);
      for (const row of await findAll(models.ruleStates, { where: { ruleId } }))
        states.set(`${row.ruleId}:${row.deviceRowId}`, row.state as PlanState);
    }
    const ofKind = new Map<number, DeviceEntry[]>();
    const ofWorkspace = new Map<number, DeviceEntry[]>();
    for (const entry of entries.values()) {
      put(ofKind, entry.kindId, entry);
      put(ofWorkspace, entry.workspaceId, entry);
    }
    for (const rule of rows) {
      forget(rule.id);
      rules.set(rule.id, rule);
      byRule.set(rule.id, new Map());
      const condition = facts.get(rule.id);
      const lookingAt = othersOf(definitions.get(rule.id)!);
      if (condition !== undefined || lookingAt.length > 0) stateless.add(rule.id);
      if (condition !== undefined) {
        const key = factKey(rule.workspaceId, rule.streamKey);
        byFact.set(key, (byFact.get(key) ?? new Map<number, FactRule>()).set(rule.id, { rule, condition }));
        continue;
      }
      for (const other of lookingAt)
        byOther.set(other, (byOther.get(other) ?? new Set<number>()).add(rule.id));
      const candidates =
        rule.label !== null
          ? ofWorkspace.get(rule.workspaceId)
          : rule.deviceRowId === null
            ? ofKind.get(rule.kindId!)
            : [entries.get(rule.deviceRowId)];
      for (const entry of candidates ?? NONE)
        if (entry !== undefined && isWatched(rule, entry))
          watch(rule, entry, states.get(`${rule.id}:${entry.rowId}`) ?? QUIET, entries);
    }
  };

  /** Puts one device where it belongs: into the rules of its kind, its labels and its own, with the states it had. */
  const attach = (rowId: number, entry: DeviceEntry | undefined): void => {
    for (const [id, rule] of rules) {
      if (stateless.has(id)) continue;
      const watching = byRule.get(id)!;
      const before = watching.get(rowId);
      if (before !== undefined) {
        watching.delete(rowId);
        drop(before);
      }
      if (entry !== undefined && isWatched(rule, entry)) watch(rule, entry, before?.state ?? QUIET, ALONE);
    }
  };

  return {
    of: (seriesId) => byInput.get(seriesId) ?? NONE,
    has: (seriesId) => byInput.has(seriesId),
    ofDevice: (deviceRowId, known) => byInput.get(knownKey(deviceRowId, known)) ?? NONE,
    *all() {
      for (const watches of byRule.values()) yield* watches.values();
    },
    inputsOf: (watch) => (inputsOf.get(watch) ?? NONE).map(({ input }) => input),
    ofRule: (ruleId) => byRule.get(ruleId)?.values() ?? NONE,
    ofFact: (entry, { kind, key }) =>
      [...(byFact.get(factKey(entry.workspaceId, key))?.values() ?? NONE)].filter(
        ({ rule, condition: { sort } }) =>
          (sort.facts?.opens === kind || sort.facts?.closes === kind) && isWatched(rule, entry),
      ),
    async load({ all, rules: changed, kinds, devices }) {
      if (all) {
        for (const id of [...rules.keys()]) forget(id);
        await read(await readRules({}));
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
      // What looks at a device beside those it watches is made ready anew.
      if (devices.size > 0) for (const looking of byOther.values()) for (const id of looking) ids.add(id);
      const found = await registry.load([...devices]);
      for (const rowId of devices) attach(rowId, found.get(rowId));
      if (ids.size === 0) return;
      const rows = await readRules({ id: [...ids] });
      const there = new Set(rows.map(({ id }) => id));
      for (const id of ids) if (!there.has(id)) forget(id);
      await read(rows);
    },
  };
}

function put<K, V>(map: Map<K, V[]>, key: K, value: V): void {
  const list = map.get(key);
  if (list === undefined) map.set(key, [value]);
  else list.push(value);
}
