import {
  planOf,
  type Datastream,
  type ReadyPlan,
  type RuleCondition,
  type RuleDefinition,
  watchesDevice,
  whomWatched,
} from '@peatmoor/core';
import type { DeviceEntry } from '../registry';
import type { RuleMore, RuleRow } from '../store/models';

/** Alerts of one rule to one person within an hour, where nothing else is said. */
export const USUAL_ALERTS = 12;

/** All that a rule says beside its first condition; what was not said is as usual. */
export function moreOf({ more }: Pick<RuleRow, 'more'>): RuleMore {
  return {
    also: [],
    join: 'all',
    hours: null,
    message: '',
    repeatMs: null,
    escalateMs: null,
    escalateTo: null,
    mostAlerts: USUAL_ALERTS,
    actions: [],
    own: [],
    ...more,
  };
}

/** A stored rule as core works it out. */
export function definitionOf(row: Pick<RuleRow, 'sort' | 'settings' | 'streamKey' | 'more'>): RuleDefinition {
  const { also, join, hours } = moreOf(row);
  const {
    holdMs = 0,
    closeHoldMs = 0,
    ...settings
  } = row.settings as {
    holdMs?: number;
    closeHoldMs?: number;
  };
  const first: RuleCondition = { sort: row.sort, settings, stream: row.streamKey, device: null };
  return { conditions: [first, ...also], join, hours, holdMs, closeHoldMs };
}

/** What of a rule one device has of its own. */
export function ownOf(row: Pick<RuleRow, 'more'>, deviceRowId: number): RuleMore['own'][number] | undefined {
  return row.more.own?.find(({ device }) => device === deviceRowId);
}

/** True where a rule watches a device. */
export function isWatched(
  rule: RuleRow,
  entry: Pick<DeviceEntry, 'rowId' | 'kindId' | 'labels' | 'workspaceId'>,
): boolean {
  if (rule.workspaceId !== entry.workspaceId || ownOf(rule, entry.rowId)?.leftOut) return false;
  return watchesDevice({ ...rule, device: rule.deviceRowId }, { ...entry, name: entry.rowId });
}

/** Rows of the devices that a rule looks at beside those it watches. */
export function othersOf(definition: RuleDefinition): number[] {
  return definition.conditions.flatMap(({ device }) => device ?? []);
}

/** Makes a rule ready for one device it watches. */
export function planFor(
  rule: RuleRow,
  entry: Pick<DeviceEntry, 'rowId' | 'streams'>,
  zone: string,
  others: (rowId: number) => readonly Datastream[] | undefined,
): ReadyPlan | null {
  const limit = ownOf(rule, entry.rowId)?.limit;
  return planOf(
    definitionOf(rule),
    zone,
    (device) => (device === null ? entry.streams : others(device)),
    limit == null ? {} : { limit },
  );
}

/** Whom a rule watches, as its sentence says it. */
export function whom(
  rule: Pick<RuleRow, 'kindId' | 'label'>,
  entry: Pick<DeviceEntry, 'name' | 'kindTitle'>,
): string {
  if (rule.label != null) return `any device labelled “${rule.label}”`;
  return whomWatched(rule.kindId === null ? entry.name : null, entry.kindTitle);
}
