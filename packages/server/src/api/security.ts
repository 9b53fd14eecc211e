import { hash } from '@node-rs/argon2';
import { Op, UniqueConstraintError } from 'sequelize';
import { findAccount, signInNameOf } from '../auth/accounts';
import { newFactor, newRecoveryCodes, recoveryHash, stepOf } from '../auth/factor';
import { createLimits } from '../auth/limits';
import { asTheirWords, countMailToStranger } from '../auth/mailsToStrangers';
import { createPasswordTries } from '../auth/passwordTries';
import { makeReset, readReset, takeReset } from '../auth/resets';
import { countedAddress } from '../listeners/address';
import { conflict, notFound, ProblemError, wrongField } from '../problems';
import { CannotBeSent } from '../alerts/channels';
import type { UserRow } from '../store/models';
import { findAll, findOne } from '../store/rows';
import type { ApiParts, Call, Handlers } from './context';
import { demandPassword } from './passwordAgain';
import { type Scope } from './scope';

type SecurityHandlers = Pick<
  Handlers,
  | 'changeEmail'
  | 'confirmEmail'
  | 'askReset'
  | 'reset'
  | 'machineReset'
  | 'machineFactorOff'
  | 'listSessions'
  | 'endSession'
  | 'endSessions'
  | 'readFactor'
  | 'newFactor'
  | 'useFactor'
  | 'endFactor'
>;
/** Letters of the hash of a session by which its person names it. */
const ID_DIGITS = 16;
/** Links for a new password within an hour, by asker. */
const MOST_RESETS = 4;
const WITHOUT_FACTOR = { factor: null, recovery: '[]' as never };

/** What keeps an account its person's: email, reset, sessions, second factor. */
export function securityHandlers(parts: ApiParts): SecurityHandlers {
  const { store, mailer, sealer, address, log, isMachineKey } = parts;
  const { models } = store;
  const limits = createLimits(store);
  const tries = createPasswordTries(store, sealer);
  const page = (path: string, secret: string): string => `${address().httpUrl}/${path}#${secret}`;
  const userOf = async ({ userId }: Scope): Promise<UserRow> =>
    (await findOne(models.users, { id: userId }))!;
  /** Whoever takes an account over by its email is noticed where it was before. */
  const tellOldEmail = (before: string, email: string): void =>
    void mailer
      .send({
        to: before,
        subject: 'Peatmoor: your account has another email now',
        text: `Your account of this service is reached by ${email} from now on, and no more by this address. Nothing more comes here.\n\nIf that was not you, ask an owner of your workspace, or whoever runs the service, to set a new password: it ends all sessions and access keys.`,
        headers: { 'Auto-Submitted': 'auto-generated' },
      })
      .catch((error: Error) => log.warn({ err: error }, 'the email of before could not be told'));
  /** The account that a caller with the key of the data folder names. */
  const accountOfMachine = async ({
    body,
    request,
  }: Pick<Call<'machineReset'>, 'body' | 'request'>): Promise<UserRow> => {
    await limits.attempt(
      [{ name: `machine reset ${countedAddress(request)}`, most: 10, seconds: 300 }],
      'reset an account',
    );
    if (!isMachineKey(body.key))
      throw new ProblemError(
        'not-allowed',
        'The key is not that of the data folder. Run this on the machine of the service, as the one whose folder it is.',
      );
    const user = await findAccount(store, body.account);
    if (user === null)
      throw wrongField('account', 'is not an account of this service', 'Check the email or name.');
    return user;
  };
  const isOwn = ({ pass }: Scope, idHash: Buffer): boolean =>
    pass.kind === 'session' && pass.idHash.equals(idHash);
  return {
    changeEmail: async ({ scope, body, request }) => {
      const user = await demandPassword(parts, { scope, request }, body.password);
      await countMailToStranger(store, scope);
      await limits.attempt([{ name: `mail of ${user.id}`, most: 5, seconds: 3600 }], 'have a mail sent');
      const { secret } = await makeReset(store, user.id, { email: body.email });
      await mailer
        .send({
          to: body.email,
          subject: 'Peatmoor: is this your email?',
          text: `Somebody who calls themselves ${asTheirWords(user.name)} wants to use ${body.email} for their account of this service.\n\nIf that is you, press the button at\n${page('confirm', secret)}\n\nThe link works once, for an hour. Otherwise do nothing.`,
          headers: { 'Auto-Submitted': 'auto-generated' },
        })
        .catch((error: unknown) => {
          const why = error instanceof CannotBeSent ? error.message : 'The mail could not be sent.';
          throw wrongField('email', 'could not be written to', why);
        });
    },
    confirmEmail: async ({ body }) => {
      try {
        const { before, email } = await store.transaction(async (transaction) => {
          const { userId, email } = await takeReset(store, body.secret, true, transaction);
          const user = await findOne(models.users, { id: userId }, transaction);
          await models.users.update({ email, signInName: null }, { where: { id: userId }, transaction });
          return { before: user?.email ?? null, email };
        });
        if (before !== null && email !== null && before !== email) tellOldEmail(before, email);
      } catch (error) {
        if (error instanceof UniqueConstraintError)
          throw new ProblemError('link-not-valid', 'This email is used by another account by now.');
        throw error;
      }
    },
    askReset: async ({ body, request }) => {
      if (!mailer.isSet)
        throw conflict(
          'This service has no mail server: no link can be sent. An owner of your workspace can make you one under People, and whoever runs the machine by "peatmoor account reset".',
        );
      const user = await findAccount(store, body.email);
      await limits.attempt(
        tries.asking({ request, user, typed: signInNameOf(body.email) }, 'reset', MOST_RESETS),
        'have a link sent',
      );
      // Done after the answer: it is the same, and as fast, whether the email is known or not.
      void (async () => {
        if (user === null || user.email === null) return;
        const { secret } = await makeReset(store, user.id);
        await mailer.send({
          to: user.email,
          subject: 'Peatmoor: a new password',
          text: `Somebody, perhaps you, asked for a new password for ${user.name}.\n\nSet it at\n${page('reset', secret)}\n\nThe link works once, for an hour. A new password ends all sessions and all your access keys: programs that use one, and the command line, need a new one.\n\nIf you did not ask, do nothing: your password stays as it is.`,
          headers: { 'Auto-Submitted': 'auto-generated' },
        });
      })().catch((error: Error) => log.warn({ err: error }, 'a link for a new password could not be sent'));
    },
    reset: async ({ body }) => {
      // A secret cannot be guessed, so that nobody who has one is ever held up; only for one that is right a password is hashed.
      await readReset(store, body.secret, false);
      const passwordHash = await hash(body.password);
      await store.transaction(async (transaction) => {
        const { userId, endsFactor } = await takeReset(store, body.secret, false, transaction);
        await models.users.update(
          { passwordHash, ...(endsFactor === 1 && WITHOUT_FACTOR) },
          { where: { id: userId }, transaction },
        );
        for (const table of [models.sessions, models.accessKeys, models.resets])
          await (table as typeof models.sessions).destroy({ where: { userId }, transaction });
      });
    },
    machineReset: async (call) => {
      const user = await accountOfMachine(call);
      const { secret, endsAt } = await makeReset(store, user.id, { endsFactor: true });
      return { link: page('reset', secret), endsAt };
    },
    machineFactorOff: async (call) => {
      const user = await accountOfMachine(call);
      await models.users.update(WITHOUT_FACTOR, { where: { id: user.id } });
    },
    listSessions: async ({ scope }) =>
      (
        await findAll(models.sessions, {
          where: { userId: scope.userId },
          order: [['createdAt', 'DESC']],
          limit: 100,
        })
      ).map((row) => ({
        id: row.idHash.toString('hex').slice(0, ID_DIGITS),
        browser: row.browser,
        createdAt: row.createdAt,
        seenAt: row.seenAt ?? row.createdAt,
        isThis: isOwn(scope, row.idHash),
      })),
    endSession: async ({ scope, params }) => {
      const rows = await findAll(models.sessions, { where: { userId: scope.userId } });
      const row = rows.find(({ idHash }) => idHash.toString('hex').slice(0, ID_DIGITS) === params.session);
      if (row === undefined) throw notFound('session', params.session ?? '');
      await models.sessions.destroy({ where: { idHash: row.idHash } });
    },
    endSessions: async ({ scope }) => {
      const own = scope.pass.kind === 'session' ? scope.pass.idHash : null;
      await models.sessions.destroy({
        where: { userId: scope.userId, ...(own !== null && { idHash: { [Op.ne]: own } }) } as never,
      });
    },
    readFactor: async ({ scope }) => {
      const user = await userOf(scope);
      return { on: user.factor !== null, codesLeft: user.recovery.length };
    },
    newFactor: async ({ scope }) => {
      const user = await userOf(scope);
      return newFactor(user.email ?? user.name);
    },
    useFactor: async ({ scope, body, request }) => {
      await demandPassword(parts, { scope, request }, body.password);
      const step = stepOf(body.secret, body.code);
      if (step === null)
        throw wrongField(
          'code',
          'is not the one that fits now',
          'Type the six digits that the app shows; the clock of the phone must be right.',
        );
      const codes = newRecoveryCodes();
      const [changed] = await models.users.update(
        {
          factor: sealer.seal(body.secret),
          factorStep: step,
          recovery: JSON.stringify(codes.map(recoveryHash)) as never,
        },
        { where: { id: scope.userId, factor: null } as never },
      );
      if (changed === 0)
        throw wrongField('code', 'is not needed: there is a second factor already', 'End that one first.');
      return { codes };
    },
    endFactor: async ({ scope, body, request }) => {
      const user = await demandPassword(parts, { scope, request }, body.password);
      await models.users.update(WITHOUT_FACTOR, { where: { id: user.id } });
    },
  };
}
