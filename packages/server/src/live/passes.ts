import type { Pass, Scope } from '../api/scope';
import type { Store } from '../store/store';
import { now as clockNow } from '../clock';

/** By whom a page is open: what has to hold on for it to stay open. */
export type Holder = Pick<Scope, 'pass' | 'userId' | 'workspaceId' | 'role'>;

/** Those of some holders whose session, key or membership has ended or changed since; two queries, however many they are. */
export async function ended(store: Store, holders: readonly Holder[]): Promise<Set<Holder>> {
  if (holders.length === 0) return new Set();
  return store.withConnection(async (connection) => {
    const hashes = holders.flatMap(({ pass }) => (pass.kind === 'session' ? [pass.idHash] : []));
    const keys = holders.flatMap(({ pass }) => (pass.kind === 'key' ? [pass.id] : []));
    const now = clockNow();
    const sessions =
      hashes.length === 0
        ? []
        : ((await connection.query(
            'SELECT HEX(idHash) AS hash FROM sessions WHERE idHash IN (?) AND endsAt > ?',
            [hashes, now],
          )) as { hash: string }[]);
    const rows =
      keys.length === 0
        ? []
        : ((await connection.query(
            'SELECT id FROM accessKeys WHERE id IN (?) AND (endsAt IS NULL OR endsAt > ?)',
            [keys, now],
          )) as { id: number }[]);
    const members = (await connection.query(
      'SELECT userId, workspaceId, role FROM memberships WHERE userId IN (?)',
      [holders.map(({ userId }) => userId)],
    )) as { userId: number; workspaceId: number; role: string }[];
    const live = new Set([...sessions.map(({ hash }) => hash), ...rows.map(({ id }) => `key ${id}`)]);
    const roles = new Set(members.map(({ userId, workspaceId }) => `${userId} ${workspaceId}`));
    return new Set(
      holders.filter(
        ({ pass, userId, workspaceId }) => !live.has(nameOf(pass)) || !roles.has(`${userId} ${workspaceId}`),
      ),
    );
  });
}

function nameOf(pass: Pass): string {
  return pass.kind === 'session' ? pass.idHash.toString('hex').toUpperCase() : `key ${pass.id}`;
}
