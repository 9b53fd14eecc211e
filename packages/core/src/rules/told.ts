import type { Role } from '../people';

/** Whom a rule names: people of the workspace by number, roles, other addresses, webhooks by number. */
export interface NamedToTell {
  people: readonly number[];
  roles: readonly string[];
  emails: readonly string[];
  webhooks: readonly number[];
}

/** Who can be told in a workspace. */
export interface ThereToTell {
  people: readonly { userId: number | null; role: Role | string }[];
  webhooks: readonly number[];
}

/** Whether an alert of a rule comes to anybody just now: whom it names may have left, and a role may be nobody's any more. */
export function tellsSomebody({ people, roles, emails, webhooks }: NamedToTell, there: ThereToTell): boolean {
  return (
    emails.length > 0 ||
    webhooks.some((id) => there.webhooks.includes(id)) ||
    there.people.some(
      ({ userId, role }) => userId !== null && (people.includes(userId) || roles.includes(role)),
    )
  );
}

/** Rules that tell somebody now, and nobody once others are there. */
export const leftWithoutAnybody = <R extends NamedToTell>(
  rules: readonly R[],
  before: ThereToTell,
  after: ThereToTell,
): R[] => rules.filter((rule) => tellsSomebody(rule, before) && !tellsSomebody(rule, after));
