import { hash, verify } from '@node-rs/argon2';
import { Op } from 'sequelize';
import { createAccount, findAccount, notOpen, signInNameOf } from '../auth/accounts';
import { takeCode } from '../auth/factor';
import { createLimits } from '../auth/limits';
import { createPasswordTries } from '../auth/passwordTries';
import { troubleOfClock } from '../clock';
import { countedAddress } from '../listeners/address';
import { ProblemError } from '../problems';
import { hashSecret } from '../registry';
import { findAll } from '../store/rows';
import { VERSION } from '../version';
import type { ApiParts, Handlers } from './context';
import { SESSION_COOKIE, sessionIdOf, type Scope } from './scope';
import { demandPassword } from './passwordAgain';
import { createSessions } from './sessions';

/** Verified when an account is not known, so that both cases take the same time. */
const NOBODY_HASH =
  '$argon2id$v=19$m=19456,t=2,p=1$c29tZXNhbHRzb21lc2FsdA$Zm9yZ290dGVuZm9yZ290dGVuZm9yZ290dGVuZm9yZ28';

type AccountHandlers = Pick<
  Handlers,
  'status' | 'createAccount' | 'signIn' | 'signOut' | 'me' | 'changeMe' | 'changePassword'
>;

export function accountHandlers(parts: ApiParts): AccountHandlers {
  const { store, config, sealer } = parts;
  const { models } = store;
  const limits = createLimits(store);
  const sessions = createSessions(parts);
  const tries = createPasswordTries(store, sealer);
  const isEmpty = async (): Promise<boolean> =>
    (await models.users.findOne({ attributes: ['id'], raw: true })) === null;
  /** Of kinds that are gone, or were never one's own, nothing is kept: it would be carried along for ever. */
  const ofOwnKinds = async <T extends { kind: number }>(scope: Scope, chosen: T[]): Promise<T[]> => {
    if (chosen.length === 0) return chosen;
    const rows = await store.withConnection<{ id: number }[]>((connection) =>
      connection.query(
        `SELECT kind.id FROM kinds kind JOIN memberships membership ON membership.workspaceId = kind.workspaceId
          WHERE membership.userId = ? AND kind.id IN (?)`,
        [scope.userId, chosen.map(({ kind }) => kind)],
      ),
    );
    const own = new Set(rows.map(({ id }) => Number(id)));
    return chosen.filter(({ kind }) => own.has(kind));
  };
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
      const bounds = [{ name: `account ${countedAddress(request)}`, most: 60, seconds: 300 }];
      await limits.attempt(bounds, 'make an account');
      const made = await createAccount(
        store,
        { ...body, email: body.email ?? null },
        config.signUp !== 'open',
      );
      return sessions.start(request, response, made.userId, made.workspaceId);
    },
    signIn: async ({ body, request, response }) => {
      const user = await findAccount(store, body.email);
      const succeeded = await tries.attempt({ request, user, typed: signInNameOf(body.email) }, 'sign in');
      const right = await verify(user?.passwordHash ?? NOBODY_HASH, body.password).catch(() => false);
      if (user === null || !right)
        throw new ProblemError(
          'not-signed-in',
          'Email or name, or password, is not right. Capitals matter in the password; check both and try again.',
        );
      if (user.factor !== null) {
        if (!body.code)
          throw new ProblemError(
            'code-needed',
            'Type the six digits that your app shows, or a recovery code.',
          );
        if (!(await takeCode(store, sealer, user, body.code)))
          throw new ProblemError(
            'code-needed',
            'The code is not right, or was used already. Wait for the next one, or type a recovery code.',
          );
      }
      await succeeded();
      const memberships = await findAll(models.memberships, {
        where: { userId: user.id },
        order: ['workspaceId'],
      });
      const last = memberships.find(({ workspaceId }) => workspaceId === user.workspaceId) ?? memberships[0];
      if (last === undefined)
        throw new ProblemError(
          'no-workspace',
          'This account belongs to no workspace any more. Ask its owner.',
        );
      return sessions.start(request, response, user.id, last.workspaceId);
    },
    signOut: async ({ request, response }) => {
      const id = sessionIdOf(request);
      if (id !== undefined) await models.sessions.destroy({ where: { idHash: hashSecret(id) } });
      response.clearCookie(SESSION_COOKIE, { path: '/' });
    },
    me: async ({ scope }) => sessions.me(scope),
    changeMe: async ({ scope, body }) => {
      const { name, units, ...rest } = body;
      if (rest.leftOut !== undefined) rest.leftOut = await ofOwnKinds(scope, rest.leftOut);
      const said = Object.fromEntries(Object.entries(rest).filter(([, value]) => value !== undefined));
      // In one statement: what another page of theirs changes at the same time stays as well.
      await store.alone(() =>
        store.withConnection((connection) =>
          connection.query(
            `UPDATE users SET name = COALESCE(?, name), units = COALESCE(?, units), choices = JSON_MERGE_PATCH(choices, ?) WHERE id = ?`,
            [name ?? null, units ?? null, JSON.stringify(said), scope.userId],
          ),
        ),
      );
      const choices = { ...scope.choices, ...said };
      return sessions.me({
        ...scope,
        userName: name ?? scope.userName,
        units: units ?? scope.units,
        choices,
      });
    },
    changePassword: async ({ scope, body, request, response }) => {
      await demandPassword(parts, { scope, request }, body.before, 'before');
      await models.users.update({ passwordHash: await hash(body.password) }, { where: { id: scope.userId } });
      // Who had the old one is signed out; this session stays. Links that were asked for with it end too.
      const own = scope.pass.kind === 'session' ? scope.pass.idHash : null;
      await models.sessions.destroy({
        where: { userId: scope.userId, ...(own !== null && { idHash: { [Op.ne]: own } }) } as never,
      });
      await models.resets.destroy({ where: { userId: scope.userId } });
      await sessions.remember(request, response, scope.userId);
    },
  };
}
