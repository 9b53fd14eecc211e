/** What a person is in a workspace, the least first. */
export const ROLES = ['viewer', 'operator', 'editor', 'owner'] as const;
export type Role = (typeof ROLES)[number];

/**
 * What may be done, and the least role that may do it: the one table that every call is held against. `self` is of oneself:
 * one's account, keys and session.
 */
export const ACTIONS = {
  self: 'viewer',
  look: 'viewer',
  steer: 'operator',
  change: 'editor',
  people: 'owner',
} as const satisfies Record<string, Role>;
export type Action = keyof typeof ACTIONS;

/** True where a role includes another: an editor may do all an operator may. */
export function roleIncludes(role: Role, needed: Role): boolean {
  return ROLES.indexOf(role) >= ROLES.indexOf(needed);
}

/** True where a role may do something. */
export function mayDo(role: Role, action: Action): boolean {
  return roleIncludes(role, ACTIONS[action]);
}
