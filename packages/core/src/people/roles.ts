/**
 * What a person is in a workspace, the least first. `none` belongs to it and sees nothing of it but what was granted to
 * them.
 */
export const ROLES = ['none', 'viewer', 'operator', 'editor', 'owner'] as const;
export type Role = (typeof ROLES)[number];

/** By what somebody without the role for it may do a thing all the same: with exactly what the link or grant carries. */
export type CarriedBy = 'link' | 'viewer' | 'operator';

/**
 * With which access keys a person may do a thing: any of theirs that their role suffices for, only one that may do everything, or none,
 * so that they must be signed in.
 */
export type ByKey = 'any' | 'everything' | 'none';

/** One row of the table: the least role, what carries it beyond that, by which keys, and the words of it. */
interface Allowed {
  least: Role;
  carriedBy: readonly CarriedBy[];
  byKey: ByKey;
  /** True where it is of the service itself: only people of the first workspace may, in that workspace. */
  ofService?: true;
  words: string;
}

/** What may be done, by whom: the one table that every call and every live message is held against. */
export const ACTIONS = {
  self: {
    least: 'none',
    carriedBy: [],
    byKey: 'any',
    words: 'see your own account, keys and alert settings',
  },
  own: {
    least: 'none',
    carriedBy: [],
    byKey: 'everything',
    words: 'change your own settings, keys and alerts; join, create and leave workspaces',
  },
  signIn: {
    least: 'none',
    carriedBy: [],
    byKey: 'none',
    words: 'change how you sign in: password, email, second factor, sessions; delete your account',
  },
  shown: {
    least: 'viewer',
    carriedBy: ['link', 'viewer', 'operator'],
    byKey: 'any',
    words: 'look at devices and their readings',
  },
  follow: {
    least: 'viewer',
    carriedBy: ['viewer', 'operator'],
    byKey: 'any',
    words: 'see dashboards and the state of commands',
  },
  operate: { least: 'operator', carriedBy: ['operator'], byKey: 'any', words: 'steer a control' },
  look: {
    least: 'viewer',
    carriedBy: [],
    byKey: 'any',
    words: 'look at everything else: people, rules, events, arrivals, notes',
  },
  steer: { least: 'operator', carriedBy: [], byKey: 'any', words: 'acknowledge events, mute, write notes' },
  change: {
    least: 'editor',
    carriedBy: [],
    byKey: 'any',
    words: 'change kinds, devices, dashboards, rules and readings; share',
  },
  people: {
    least: 'owner',
    carriedBy: [],
    byKey: 'everything',
    words: 'see to people, grants, and the workspace itself',
  },
  service: {
    least: 'owner',
    carriedBy: [],
    byKey: 'everything',
    ofService: true,
    words:
      'see to the service itself, as an owner of the first workspace: certificate, check, nodes, troubles',
  },
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

/** True where something may be done with an access key; `narrow` is one that may not do all that its person may. */
export function mayByKey(action: Action, narrow: boolean): boolean {
  const { byKey } = ACTIONS[action];
  return byKey === 'any' || (byKey === 'everything' && !narrow);
}

/** True where something is of the service itself, and not of a workspace. */
export function isOfService(action: Action): boolean {
  return (ACTIONS[action] as Allowed).ofService === true;
}

/** True where something may be done with what a link or a grant carries. */
export function mayCarry(by: CarriedBy, action: Action): boolean {
  return (ACTIONS[action].carriedBy as readonly CarriedBy[]).includes(by);
}
