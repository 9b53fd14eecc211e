import { roleIncludes, type Role } from '@peatmoor/core';
import type { Pass, Scope } from '../api/scope';
import type { Store } from '../store/store';
import { now as clockNow } from '../clock';

/** By whom a page is open: what has to hold on for it to stay open. */
export type Holder = Pick<Scope, 'pass' | 'userId' | 'workspaceId' | 'role' | 'reach' | 'visit'>;

/** Those of some holders whose session, key or membership has ended or changed since; two queries, however many they are. */
export async function ended(store: Store, holders: readonly Holder[]): Promise<Set<Holder>> {
  if (holders.length === 0) return new Set();
  return store.withConnection(async (connection) => {
    const hashes = holders.flatMap(({ pass }) => (pass.kind === 'session' ? [pass.idHash] : []));
    const keys = holders.flatMap(({ pass }) => (pass.kind === 'key' ? [pass.id] : []));
    const linkIds = holders.flatMap(({ pass }) =>
      pass.kind === 'link' && pass.id !== null ? [pass.id] : [],
    );
    const now = clockNow();
    const sessions =
      hashes.length === 0
        ? []
        : ((await connection.query(
            'SELECT HEX(idHash) AS hash, workspaceId FROM sessions WHERE idHash IN (?) AND endsAt > ?',
            [hashes, now],
          )) as { hash: string; workspaceId: number }[]);
    const rows =
      keys.length === 0
        ? []
        : ((await connection.query(
            'SELECT id FROM accessKeys WHERE id IN (?) AND (endsAt IS NULL OR endsAt > ?)',
            [keys, now],
          )) as { id: number }[]);
    const links =
      linkIds.length === 0
        ? []
        : ((await connection.query(
            'SELECT id, revision FROM shareLinks WHERE id IN (?) AND (endsAt IS NULL OR endsAt > ?)',
            [linkIds, now],
          )) as { id: number; revision: number }[]);
    const members = (await connection.query(
      'SELECT userId, workspaceId, role FROM memberships WHERE userId IN (?)',
      [holders.map(({ userId }) => userId)],
    )) as { userId: number; workspaceId: number; role: Role }[];
    const live = new Set([
      // A session that went on in another workspace leaves the pages of this one.
      ...sessions.map(({ hash, workspaceId }) => `${hash} ${workspaceId}`),
      ...rows.map(({ id }) => `key ${id}`),
      ...links.map(({ id, revision }) => `link ${id} ${revision}`),
    ]);
    const roles = new Map(
      members.map(({ userId, workspaceId, role }) => [`${userId} ${workspaceId}`, role] as const),
    );
    return new Set(
      holders.filter(({ pass, userId, workspaceId, role }) => {
        if (pass.kind === 'link' && pass.id === null) return pass.endsAt! <= now;
        if (!live.has(nameOf(pass, workspaceId))) return true;
        if (pass.kind === 'link') return false;
        const held = roles.get(`${userId} ${workspaceId}`);
        // Who sees more or less by now is let in anew, as far as they may.
        return held === undefined || roleIncludes(role, 'viewer') !== roleIncludes(held, 'viewer');
      }),
    );
  });
}

function nameOf(pass: Pass, workspaceId: number): string {
  if (pass.kind === 'session') return `${pass.idHash.toString('hex').toUpperCase()} ${workspaceId}`;
  return pass.kind === 'key' ? `key ${pass.id}` : `link ${pass.id} ${pass.revision}`;
}
