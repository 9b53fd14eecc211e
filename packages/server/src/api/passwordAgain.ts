import type { Request } from 'express';
import { verify } from '@node-rs/argon2';
import { createPasswordTries } from '../auth/passwordTries';
import { wrongField } from '../problems';
import type { UserRow } from '../store/models';
import { findOne } from '../store/rows';
import type { ApiParts } from './context';
import type { Scope } from './scope';

/**
 * The account of whoever is signed in, once its password was typed again; wrong ones count as those of signing in do. Throws 422 for a
 * wrong one, 429 after too many.
 */
export async function demandPassword(
  { store, sealer }: Pick<ApiParts, 'store' | 'sealer'>,
  { scope, request }: { scope: Scope; request: Request },
  password: string,
  field = 'password',
): Promise<UserRow> {
  const user = (await findOne(store.models.users, { id: scope.userId }))!;
  const sessionHash = scope.pass.kind === 'session' ? scope.pass.idHash : undefined;
  const succeeded = await createPasswordTries(store, sealer).attempt(
    { request, user, typed: '', ...(sessionHash !== undefined && { sessionHash }) },
    'type the password',
  );
  if (!(await verify(user.passwordHash, password).catch(() => false)))
    throw wrongField(field, 'is not right', 'Type the password that you sign in with now.');
  await succeeded();
  return user;
}
