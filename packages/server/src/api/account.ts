import { hash, verify } from '@node-rs/argon2';
import { Op, QueryTypes, UniqueConstraintError, type Transaction } from 'sequelize';
import type { AccessKey } from '@peatmoor/contract';
import { ProblemError, notFound, wrongField } from '../problems';
import { hashSecret } from '../registry';
import { remoteAddress } from '../listeners/address';
import { createLimits, type Bound } from '../auth/limits';
import type { KeyRow } from '../store/models';
import { findAll, findOne, insert, listIn, oneIn } from '../store/rows';
import type { Store } from '../store/store';
import { numberOf, type ApiParts, type Handlers } from './context';
import { pageIn } from './pages';
import { demandPerson, makeAccessKey, SESSION_COOKIE, sessionIdOf } from './scope';
import { createSessions } from './sessions';
import { now as clockNow, troubleOfClock } from '../clock';

/** Version of the service, as its package says it. */
export const VERSION = '0.3.0';
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
  | 'changePassword'
  | 'listKeys'
  | 'createKey'
  | 'deleteKey'
>;

export function accountHandlers(parts: ApiParts): AccountHandlers {
  const { store, config } = parts;
  const { models } = store;
  const limits = createLimits(store);
  const sessions = createSessions(parts);
  const isEmpty = async (): Promise<boolean> => (await models.users.count()) === 0;
  /** Failures by address and account, by account from anywhere, by address, and of everybody. */
  const boundsOf = (from: string, email: string): Bound[] => [
    { name: `sign-in ${from} ${email}`, most: 8, seconds: 300 },
    { name: `sign-in account ${email}`, most: 15, seconds: 900 },
    { name: `sign-in address ${from}`, most: 60, seconds: 300 },
    { name: 'sign-in all', most: 1000, seconds: 300 },
  ];
  return {
    status: async () => {
      const empty = await isEmpty();
      return {
        version: VERSION,
        empty,
        signUpOpen: empty || config.signUp === 'open',
        clock: troubleOfClock(),
      };
    },
    createAccount: async ({ body, request, response }) => {
      if (config.signUp !== 'open' && !(await isEmpty())) throw notOpen();
      const bounds = [{ name: `account ${remoteAddress(request)}`, most: 60, seconds: 300 }];
      await limits.attempt(bounds, 'make an account');
      const made = await createAccount(store, body, config.signUp !== 'open');
      return sessions.start(request, response, made.userId, made.workspaceId);
    },
    signIn: async ({ body, request, response }) => {
      const bounds = boundsOf(remoteAddress(request), body.email);
      await limits.attempt(bounds, 'sign in');
      const user = await findOne(models.users, { email: body.email });
      const right = await verify(user?.passwordHash ?? NOBODY_HASH, body.password).catch(() => false);
      if (user === null || !right)
        throw new ProblemError(
          'not-signed-in',
          'Email or password is not right. Capitals matter in the password; check both and try again.',
        );
      await limits.succeeded(bounds, 2);
      const [membership] = await findAll(models.memberships, {
        where: { userId: user.id },
        order: ['workspaceId'],
        limit: 1,
      });
      if (membership === undefined)
        throw new ProblemError(
          'no-workspace',
          'This account belongs to no workspace any more. Ask its owner.',
        );
      return sessions.start(request, response, user.id, membership.workspaceId);
    },
    signOut: async ({ request, response }) => {
      const id = sessionIdOf(request);
      if (id !== undefined) await models.sessions.destroy({ where: { idHash: hashSecret(id) } });
      response.clearCookie(SESSION_COOKIE, { path: '/' });
    },
    me: async ({ scope }) => sessions.me(scope),
    changeMe: async ({ scope, body }) => {
      demandPerson(scope);
      const { name = scope.userName, units = scope.units, ...rest } = body;
      const said = Object.fromEntries(Object.entries(rest).filter(([, value]) => value !== undefined));
      const choices = { ...scope.choices, ...said };
      await models.users.update(
        { name, units, choices: JSON.stringify(choices) as never },
        { where: { id: scope.userId } },
      );
      return sessions.me({ ...scope, userName: name, units, choices });
    },
    changePassword: async ({ scope, body, request }) => {
      demandPerson(scope);
      const bounds = boundsOf(remoteAddress(request), scope.email);
      await limits.attempt(bounds, 'change the password');
      const user = (await findOne(models.users, { id: scope.userId }))!;
      if (!(await verify(user.passwordHash, body.before).catch(() => false)))
        throw wrongField('before', 'is not right', 'Type the password that you sign in with now.');
      await limits.succeeded(bounds, 2);
      await models.users.update({ passwordHash: await hash(body.password) }, { where: { id: scope.userId } });
      // Who had the old one is signed out; this session stays.
      const own = scope.pass.kind === 'session' ? scope.pass.idHash : null;
      await models.sessions.destroy({
        where: { userId: scope.userId, ...(own !== null && { idHash: { [Op.ne]: own } }) } as never,
      });
    },
    listKeys: async (call) => {
      const { workspaceId, userId } = call.scope;
      const rows = await pageIn(models.accessKeys, workspaceId, call, {
        where: { userId },
        by: 'id',
        id: 'id',
      });
      const devices = await listIn(models.devices, workspaceId, {
        where: { rowId: rows.flatMap(({ deviceRowId }) => deviceRowId ?? []) },
      });
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
        createdAt: clockNow(),
        usedAt: null,
        scope,
        deviceRowId: device?.rowId ?? null,
        endsAt: days === null ? null : clockNow() + days * 86_400_000,
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

/**
 * Makes a user with a workspace of their own, as its owner. `onlyFirst`: throws 403 where there is an account already.
 * Throws 422 when the email cannot be used.
 */
export async function createAccount(
  store: Store,
  { email, password, name, workspace }: { email: string; password: string; name: string; workspace: string },
  onlyFirst = false,
): Promise<{ userId: number; workspaceId: number }> {
  const passwordHash = await hash(password);
  const now = clockNow();
  try {
    return await store.transaction(async (transaction) => {
      const user = await insert(
        store.models.users,
        { email, name, passwordHash, createdAt: now },
        transaction,
      );
      // Only one row can be the first, however many ask at once.
      if (onlyFirst && !(await claimFirst(store, user.id, transaction))) throw notOpen();
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
      throw wrongField('email', 'cannot be used', 'Sign in if it is yours, or use another address.');
    throw error;
  }
}

function notOpen(): ProblemError {
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
