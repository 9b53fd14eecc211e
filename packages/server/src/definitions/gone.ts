import type { Bus } from '../bus';

/** Definitions that were deleted, or went to another workspace. */
export interface Gone {
  workspaceId: number;
  /** Row numbers of devices. */
  devices?: readonly number[];
  kinds?: readonly number[];
  /** Rules by number; `all` where any of the workspace may be among them. */
  rules?: readonly number[] | 'all';
}

/**
 * Has everything forgotten that is remembered of definitions that are gone, here at once and at other nodes within a second: tokens and
 * definitions (registry), sessions of boards, watches of rules, timetables, computations. Called after the commit, by whatever deletes.
 */
export function tellGone(bus: Bus, { workspaceId, devices = [], kinds = [], rules = [] }: Gone): void {
  for (const deviceRowId of devices) {
    bus.emit('definitions', { workspaceId, deviceRowId });
    bus.emit('dismiss', { deviceRowId });
  }
  for (const kindId of kinds) bus.emit('definitions', { workspaceId, kindId });
  if (rules === 'all') bus.emit('rules', { workspaceId });
  else for (const ruleId of rules) bus.emit('rules', { workspaceId, ruleId });
}
