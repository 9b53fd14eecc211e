import type { Signer } from '../auth/secrets';
import { notFound } from '../problems';
import { oneIn } from '../store/rows';
import type { Store } from '../store/store';

/** What a link in an alert lets its reader do. */
export type LinkFor =
  /** Acknowledge an event, as the person or address that it was sent to. */
  | { what: 'event'; eventId: number; userId: number | null; to: string }
  /** Acknowledge all events that one message told of. */
  | { what: 'events'; message: string; userId: number | null; to: string }
  /** No more alerts of a rule to an address. */
  | { what: 'stop'; ruleId: number; to: string }
  /** An address agrees to be alerted. */
  | { what: 'address'; addressId: number; asked: number };

/** Throws 404 where whom a link was sent to is of a workspace no more: a person who has left, an address that has not agreed. */
export async function demandReader(
  { models }: Store,
  { userId, to }: { userId: number | null; to: string },
  workspaceIds: readonly number[],
): Promise<void> {
  for (const workspaceId of new Set(workspaceIds)) {
    const there =
      userId === null
        ? await oneIn(models.addresses, workspaceId, { email: to })
        : await oneIn(models.memberships, workspaceId, { userId });
    if (there === null || ('confirmedAt' in there && there.confirmedAt === null))
      throw notFound('link', 'this; whom it was sent to has left the workspace');
  }
}

export interface Links {
  /** What stands behind the last slash of a link. */
  make(link: LinkFor): string;
  read(text: string): LinkFor | null;
  /** The address of a page for a link. */
  page(link: LinkFor): string;
}

export function createLinks(signer: Signer, publicUrl: () => string): Links {
  const make = (link: LinkFor): string => signer.sign(JSON.stringify(link));
  return {
    make,
    read(text) {
      const signed = signer.check(text);
      return signed === null ? null : (JSON.parse(signed) as LinkFor);
    },
    page: (link) => `${publicUrl()}/alert/${make(link)}`,
  };
}
