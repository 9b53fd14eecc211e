import { hash } from '@node-rs/argon2';
import { QueryTypes, UniqueConstraintError, type Transaction } from 'sequelize';
import { now as clockNow } from '../clock';
import { conflict, ProblemError, wrongField } from '../problems';
import type { UserRow } from '../store/models';
import { findAll, findOne, insert } from '../store/rows';
import type { Store } from '../store/store';

/** What a new account is made of. */
export interface NewUser {
  name: string;
  /** Null for an account that signs in by its name. */
  email: string | null;
  password: string;
}

/** By what an account without an email signs in. */
export const signInNameOf = (name: string): string => name.trim().toLowerCase().replace(/\s+/g, ' ');

/** The account that somebody means by an email or a name; null for none. */
export function findAccount(store: Store, text: string): Promise<UserRow | null> {
  return findOne(
    store.models.users,
    text.includes('@') ? { email: text } : { signInName: signInNameOf(text) },
  );
}

/** Makes an account. Throws 422 where its email, or the name it signs in by, cannot be used. */
export async function makeUser(
  store: Store,
  { name, email, password }: NewUser,
  transaction: Transaction,
): Promise<UserRow> {
  const passwordHash = await hash(password);
  if (email === null && name.includes('@'))
    throw wrongField('name', 'looks like an email', 'Type it as the email, or choose a name without @.');
  try {
    return await insert(
      store.models.users,
      {
        email,
        signInName: email === null ? signInNameOf(name) : null,
        name,
        passwordHash,
        createdAt: clockNow(),
      },
      transaction,
    );
  } catch (error) {
    if (!(error instanceof UniqueConstraintError)) throw error;
    throw email === null
      ? wrongField('name', 'cannot be used without an email', 'Add a surname or a number, or give an email.')
      : wrongField('email', 'cannot be used', 'Sign in if it is yours, or use another address.');
  }
}

/**
 * Makes a user with a workspace of their own, as its owner. `onlyFirst`: throws 403 where there is an account already.
 * Throws 422 when email or name cannot be used.
 */
export async function createAccount(
  store: Store,
  { workspace, ...user }: NewUser & { workspace: string },
  onlyFirst = false,
): Promise<{ userId: number; workspaceId: number }> {
  return store.transaction(async (transaction) => {
    const { id: userId } = await makeUser(store, user, transaction);
    // Only one row can be the first, however many ask at once.
    if (onlyFirst && !(await claimFirst(store, userId, transaction))) throw notOpen();
    const workspaceId = await makeWorkspace(store, userId, workspace, transaction);
    return { userId, workspaceId };
  });
}

/** The workspace that was made first: its owners look after the service itself. */
export async function firstWorkspace(store: Store, transaction?: Transaction): Promise<number | null> {
  const [first] = await findAll(store.models.workspaces, {
    order: ['id'],
    limit: 1,
    ...(transaction !== undefined && { transaction }),
  });
  return first?.id ?? null;
}

/** Makes and deletes workspaces one at a time, so that which is the first is the same for all who ask. */
async function takeWorkspaces(store: Store, transaction: Transaction): Promise<void> {
  await store.sequelize.query(
    "INSERT INTO firsts (name, userId) VALUES ('workspaces', 1) ON DUPLICATE KEY UPDATE userId = IF(userId > 1000000000, 1, userId + 1)",
    { transaction },
  );
}

/** Throws 409 where a workspace is the first one and there are others: the service would fall to whoever owns the next. */
export async function keepFirstWorkspace(
  store: Store,
  workspaceId: number,
  transaction: Transaction,
): Promise<void> {
  await takeWorkspaces(store, transaction);
  if ((await firstWorkspace(store, transaction)) !== workspaceId) return;
  if ((await store.models.workspaces.count({ transaction })) > 1)
    throw conflict(
      'This is the first workspace: its owners look after the service itself, and others use it too. Add somebody to it as an owner first, and leave it to them.',
    );
}

/** A workspace with its first owner; its number. */
export async function makeWorkspace(
  store: Store,
  userId: number,
  title: string,
  transaction: Transaction,
): Promise<number> {
  await takeWorkspaces(store, transaction);
  const { id } = await insert(store.models.workspaces, { title, createdAt: clockNow() }, transaction);
  await insert(store.models.memberships, { userId, workspaceId: id, role: 'owner' }, transaction);
  return id;
}

export function notOpen(): ProblemError {
  return new ProblemError(
    'not-open',
    'This service has its accounts already. Ask an owner of a workspace, or sign in.',
  );
}

/** Writes down who is first, under a name that there is once; false where somebody was before. */
async function claimFirst(store: Store, userId: number, transaction: Transaction): Promise<boolean> {
  const [, made] = (await store.sequelize.query(
    "INSERT IGNORE INTO firsts (name, userId) SELECT 'account', ? FROM DUAL WHERE NOT EXISTS (SELECT 1 FROM users WHERE id <> ?)",
    { replacements: [userId, userId], transaction, type: QueryTypes.INSERT },
  )) as unknown as [number, number];
  return made === 1;
}
