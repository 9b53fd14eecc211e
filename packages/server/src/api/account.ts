import { randomBytes } from 'node:crypto';
import { hash, verify } from '@node-rs/argon2';
import type { Request, Response } from 'express';
import { RateLimiterMemory } from 'rate-limiter-flexible';
import { UniqueConstraintError } from 'sequelize';
import type { AccessKey, Me } from '@peatmoor/contract';
import { ProblemError, notFound, wrongField } from '../problems';
import { hashSecret } from '../registry';
import { remoteAddress } from '../listeners/address';
import type { KeyRow } from '../store/models';
import { findAll, findOne, insert, listIn, oneIn } from '../store/rows';
import type { Store } from '../store/store';
import { numberOf, type ApiParts, type Handlers } from './context';
import {
  demandPerson,
  makeAccessKey,
  scopeOf,
  SESSION_COOKIE,
  SESSION_MS,
  sessionIdOf,
  type Scope,
} from './scope';

/** Version of the service, as its package says it. */
export const VERSION = '0.1.0';
/** Verified when an account is not known, so that both cases take the same time. */
const NOBODY_HASH =
  '$argon2id$v=19$m=19456,t=2,p=1$c29tZXNhbHRzb21lc2FsdA$Zm9yZ290dGVuZm9yZ290dGVuZm9yZ290dGVuZm9yZ28';

type AccountHandlers = Pick<
  Handlers,
  | 'status'
  | 'createAccount'
  | 'signIn'
  | 'signOut'
  | 'me'
  | 'changeMe'
  | 'listKeys'
  | 'createKey'
  | 'deleteKey'
>;

export function accountHandlers({ store, config, address }: ApiParts): AccountHandlers {
  const { models } = store;
  const byAccount = new RateLimiterMemory({ points: 8, duration: 300 });
  const byAddress = new RateLimiterMemory({ points: 60, duration: 300 });
  const isEmpty = async (): Promise<boolean> => (await models.users.count()) === 0;
  const meOf = (scope: Scope): Me => ({
    user: { id: scope.userId, email: scope.email, name: scope.userName, units: scope.units },
    workspace: { id: scope.workspaceId, title: scope.workspaceTitle },
    role: scope.role,
    address: address(),
  });
  const bound = async (limiter: RateLimiterMemory, name: string): Promise<void> => {
    await limiter.consume(name).catch((left: { msBeforeNext?: number }) => {
      const seconds = Math.ceil((left.msBeforeNext ?? 60_000) / 1000);
      throw new ProblemError(
        429,
        'Too many attempts',
        `Too many attempts to sign in. Wait ${seconds} seconds and try again.`,
        { retryAfterS: seconds },
      );
    });
  };
  const startSession = async (
    request: Request,
    response: Response,
    userId: number,
    workspaceId: number,
  ): Promise<Me> => {
    const id = randomBytes(24).toString('base64url');
    const now = Date.now();
    await insert(models.sessions, {
      idHash: hashSecret(id),
      userId,
      workspaceId,
      createdAt: now,
      endsAt: now + SESSION_MS,
    });
    response.cookie(SESSION_COOKIE, id, {
      httpOnly: true,
      sameSite: 'strict',
      secure: config.tls !== null || (config.publicUrl?.startsWith('https:') ?? false),
      maxAge: SESSION_MS,
      path: '/',
    });
    request.headers.cookie = `${SESSION_COOKIE}=${id}`;
    delete request.headers.authorization;
    return meOf((await scopeOf(store, request))!);
  };

  return {
    status: async () => {
      const empty = await isEmpty();
      return { version: VERSION, empty, signUpOpen: empty || config.signUp === 'open' };
    },
    createAccount: async ({ body, request, response }) => {
      if (config.signUp !== 'open' && !(await isEmpty()))
        throw new ProblemError(
          403,
          'Not open',
          'This service has its accounts already. Ask an owner of a workspace, or sign in.',
        );
      await bound(byAddress, remoteAddress(request));
      const made = await createAccount(store, body);
      return startSession(request, response, made.userId, made.workspaceId);
    },
    signIn: async ({ body, request, response }) => {
      const from = remoteAddress(request);
      await bound(byAddress, from);
      await bound(byAccount, `${from} ${body.email}`);
      const user = await findOne(models.users, { email: body.email });
      const right = await verify(user?.passwordHash ?? NOBODY_HASH, body.password).catch(() => false);
      if (user === null || !right)
        throw new ProblemError(
          401,
          'Not signed in',
          'Email or password is not right. Capitals matter in the password; check both and try again.',
        );
      await byAccount.delete(`${from} ${body.email}`);
      const [membership] = await findAll(models.memberships, {
        where: { userId: user.id },
        order: ['workspaceId'],
        limit: 1,
      });
      if (membership === undefined)
        throw new ProblemError(
          403,
          'No workspace',
          'This account belongs to no workspace any more. Ask its owner.',
        );
      return startSession(request, response, user.id, membership.workspaceId);
    },
    signOut: async ({ request, response }) => {
      const id = sessionIdOf(request);
      if (id !== undefined) await models.sessions.destroy({ where: { idHash: hashSecret(id) } });
      response.clearCookie(SESSION_COOKIE, { path: '/' });
    },
    me: async ({ scope }) => meOf(scope),
    changeMe: async ({ scope, body }) => {
      demandPerson(scope);
      const { name = scope.userName, units = scope.units } = body;
      await models.users.update({ name, units }, { where: { id: scope.userId } });
      return meOf({ ...scope, userName: name, units });
    },
    listKeys: async ({ scope: { workspaceId, userId } }) => {
      const rows = await findAll(models.accessKeys, { where: { workspaceId, userId }, order: ['id'] });
      const devices = await listIn(models.devices, workspaceId);
      return rows.map((row) =>
        toKey(row, devices.find(({ rowId }) => rowId === row.deviceRowId)?.id ?? null),
      );
    },
    createKey: async ({ scope: caller, body }) => {
      demandPerson(caller);
      const { workspaceId, userId } = caller;
      const { title, scope = 'everything', deviceId = null, days = null } = body;
      const device = deviceId === null ? null : await oneIn(models.devices, workspaceId, { id: deviceId });
      if (deviceId !== null && device === null)
        throw wrongField(
          'deviceId',
          `"${deviceId}" is no device of this workspace`,
          'Choose one of its devices.',
        );
      const { secret, ...kept } = makeAccessKey();
      const row = await insert(models.accessKeys, {
        workspaceId,
        userId,
        title,
        createdAt: Date.now(),
        usedAt: null,
        scope,
        deviceRowId: device?.rowId ?? null,
        endsAt: days === null ? null : Date.now() + days * 86_400_000,
        ...kept,
      });
      return { ...toKey(row, deviceId), secret };
    },
    deleteKey: async ({ scope: caller, params }) => {
      demandPerson(caller);
      const { workspaceId, userId } = caller;
      const gone = await models.accessKeys.destroy({
        where: { id: numberOf(params.key, 'access key'), workspaceId, userId },
      });
      if (gone === 0) throw notFound('access key', params.key ?? '');
    },
  };
}

function toKey(row: KeyRow, deviceId: string | null): AccessKey {
  const { id, title, fingerprint, createdAt, usedAt, scope, endsAt } = row;
  return { id, title, fingerprint, createdAt, usedAt, scope, deviceId, endsAt };
}

/** Makes a user with a workspace of their own, as its owner. Throws 422 when the email has an account already. */
export async function createAccount(
  store: Store,
  { email, password, name, workspace }: { email: string; password: string; name: string; workspace: string },
): Promise<{ userId: number; workspaceId: number }> {
  const passwordHash = await hash(password);
  const now = Date.now();
  try {
    return await store.transaction(async (transaction) => {
      const user = await insert(
        store.models.users,
        { email, name, passwordHash, createdAt: now },
        transaction,
      );
      const space = await insert(store.models.workspaces, { title: workspace, createdAt: now }, transaction);
      await insert(
        store.models.memberships,
        { userId: user.id, workspaceId: space.id, role: 'owner' },
        transaction,
      );
      return { userId: user.id, workspaceId: space.id };
    });
  } catch (error) {
    if (error instanceof UniqueConstraintError)
      throw wrongField('email', 'has an account already', 'Sign in instead, or use another address.');
    throw error;
  }
}
