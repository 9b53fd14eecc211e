/**
 * What a person is in a workspace, the least first. `none` belongs to it and sees nothing of it but what was granted to
 * them.
 */
export const ROLES = ['none', 'viewer', 'operator', 'editor', 'owner'] as const;
export type Role = (typeof ROLES)[number];

/** By what somebody without the role for it may do a thing all the same: with exactly what the link or grant carries. */
export type CarriedBy = 'link' | 'viewer' | 'operator';

/** One row of the table: the least role, what carries it beyond that, and the words of it. */
interface Allowed {
  least: Role;
  carriedBy: readonly CarriedBy[];
  words: string;
}

/** What may be done, by whom: the one table that every call and every live message is held against. */
export const ACTIONS = {
  self: { least: 'none', carriedBy: [], words: 'see to your own account, keys and alerts' },
  shown: {
    least: 'viewer',
    carriedBy: ['link', 'viewer', 'operator'],
    words: 'look at devices and their readings',
  },
  follow: {
    least: 'viewer',
    carriedBy: ['viewer', 'operator'],
    words: 'see dashboards and the state of commands',
  },
  operate: { least: 'operator', carriedBy: ['operator'], words: 'steer a control' },
  look: {
    least: 'viewer',
    carriedBy: [],
    words: 'look at everything else: people, rules, events, arrivals, notes',
  },
  steer: { least: 'operator', carriedBy: [], words: 'acknowledge events, mute, write notes' },
  change: {
    least: 'editor',
    carriedBy: [],
    words: 'change kinds, devices, dashboards, rules and readings; share',
  },
  people: { least: 'owner', carriedBy: [], words: 'see to people, grants, and the workspace itself' },
} as const satisfies Record<string, Allowed>;
export type Action = keyof typeof ACTIONS;

/** True where a role includes another: an editor may do all an operator may. */
export function roleIncludes(role: Role, needed: Role): boolean {
  return ROLES.indexOf(role) >= ROLES.indexOf(needed);
}

/** True where a role may do something everywhere in its workspace. */
export function mayDo(role: Role, action: Action): boolean {
  return roleIncludes(role, ACTIONS[action].least);
}

/** True where something may be done with what a link or a grant carries. */
export function mayCarry(by: CarriedBy, action: Action): boolean {
  return (ACTIONS[action].carriedBy as readonly CarriedBy[]).includes(by);
}
