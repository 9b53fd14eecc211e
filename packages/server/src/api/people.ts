import { randomBytes } from 'node:crypto';
import { Op, QueryTypes, UniqueConstraintError, type Transaction } from 'sequelize';
import type { Person } from '@peatmoor/contract';
import { CannotBeSent } from '../alerts/channels';
import { makeUser } from '../auth/accounts';
import { takeOut } from '../auth/leaving';
import { asTheirWords, countMailToStranger } from '../auth/mailsToStrangers';
import { createLimits, type Bound } from '../auth/limits';
import { endOwnersResets, makeReset } from '../auth/resets';
import { clockMayTidy, now as clockNow } from '../clock';
import { countedAddress } from '../listeners/address';
import { conflict, notFound, ProblemError, wrongField } from '../problems';
import { hashSecret } from '../registry';
import { handOver, tellHandedOver, thereToTell } from '../rules/takingOver';
import type { InvitationRow, MembershipRow, UserRow } from '../store/models';
import { addTo, deleteIn, findAll, findOne, insert, listIn, oneIn } from '../store/rows';
import { takeRow } from '../store/store';
import type { ApiParts, Handlers } from './context';
import { pageOf } from './pages';
import { write } from './recorded';
import { scopeOf, type Scope } from './scope';
import { createSessions } from './sessions';

const DAY_MS = 86_400_000;
const SECRET_BYTES = 24;
/** Links of one workspace that wait for whoever uses them. */
const MOST_INVITATIONS = 300;

type PeopleHandlers = Pick<
  Handlers,
  | 'listPeople'
  | 'addPerson'
  | 'changePerson'
  | 'removePerson'
  | 'resetPerson'
  | 'readJoin'
  | 'joinHere'
  | 'join'
>;

/** Who belongs to a workspace: adding with a link, roles, removing, and joining. */
export function peopleHandlers(parts: ApiParts): PeopleHandlers {
  const { store, bus, mailer, address } = parts;
  const { models } = store;
  const sessions = createSessions(parts);
  const limits = createLimits(store);
  const tell = (workspaceId: number, by: string): void =>
    bus.emit('live', { workspaceId, message: { type: 'changed', what: 'people', by } });
  const changed = (scope: Scope): void => tell(scope.workspaceId, scope.userName);
  const member = (user: UserRow, { role, revision }: MembershipRow, seenAt: number | null): Person => ({
    id: `person-${user.id}`,
    userId: user.id,
    name: user.name,
    email: user.email,
    signInName: user.signInName,
    role,
    seenAt,
    linkEndsAt: null,
    usesLeft: null,
    version: revision,
  });
  const waiting = ({ id, name, role, email, uses, used, endsAt, revision }: InvitationRow): Person => ({
    id: `link-${id}`,
    userId: null,
    name,
    email,
    signInName: null,
    role,
    seenAt: null,
    linkEndsAt: endsAt,
    usesLeft: uses - used,
    version: revision,
  });
  /** When each of some people was here last. */
  const seenOf = async (workspaceId: number): Promise<Map<number, number>> => {
    const rows = await store.withConnection(
      async (connection) =>
        (await connection.query(
          // In the browser, or with a key of their own, as the command line keeps one.
          `SELECT userId, MAX(at) AS seenAt FROM (
             SELECT userId, COALESCE(seenAt, createdAt) AS at FROM sessions WHERE workspaceId = ?
             UNION ALL SELECT userId, usedAt FROM accessKeys WHERE workspaceId = ? AND usedAt IS NOT NULL
           ) AS uses GROUP BY userId`,
          [workspaceId, workspaceId],
        )) as { userId: number; seenAt: number }[],
    );
    return new Map(rows.map(({ userId, seenAt }) => [userId, Number(seenAt)]));
  };
  const writeJoined = (who: Parameters<typeof write>[1]): Promise<void> =>
    write(store, who, {
      what: 'person',
      act: 'joined',
      target: `person-${who.userId}`,
      title: who.userName,
      details: [],
    });
  /** What a path names: a member, or a link that nobody has used. */
  const read = (text: string | undefined): { sort: 'person' | 'link'; id: number } => {
    const found = /^(person|link)-(\d{1,9})$/.exec(text ?? '');
    if (found === null) throw notFound('person', text ?? '');
    return { sort: found[1] as 'person', id: Number(found[2]) };
  };
  /** The membership, with the workspace taken, so that two cannot both be the one before the last owner. */
  const takeMember = async (
    { workspaceId }: Scope,
    userId: number,
    transaction: Transaction,
  ): Promise<MembershipRow> => {
    await takeRow(store, 'workspaces', { column: 'id', value: workspaceId }, transaction);
    const row = await oneIn(models.memberships, workspaceId, { userId }, transaction);
    if (row === null) throw notFound('person', `person-${userId}`);
    return row;
  };
  const keepAnOwner = async ({ workspaceId }: Scope, transaction: Transaction): Promise<void> => {
    const owners = await listIn(models.memberships, workspaceId, { where: { role: 'owner' }, transaction });
    if (owners.length === 0)
      throw conflict('This is the last owner of the workspace. Make somebody else an owner first.');
  };
  const notValid = (): ProblemError =>
    new ProblemError(
      'link-not-valid',
      'This link was used, taken back, or is too old. Ask whoever gave it to you for a new one.',
    );
  /** Uses a link once more, in the statement that looks whether it may be: however many ask at once. */
  const useLink = async (secret: string, transaction: Transaction): Promise<InvitationRow> => {
    const secretHash = hashSecret(secret);
    const link = await findOne(models.invitations, { secretHash }, transaction);
    const [, used] = (await store.sequelize.query(
      'UPDATE invitations SET used = used + 1 WHERE secretHash = ? AND used < uses AND endsAt >= ?',
      { replacements: [secretHash, clockNow()], transaction, type: QueryTypes.UPDATE },
    )) as unknown as [unknown, number];
    if (link === null || used !== 1) throw notValid();
    // The last use takes it away.
    await models.invitations.destroy({ where: { secretHash, used: link.uses }, transaction });
    return link;
  };
  const bounded = async (request: Parameters<typeof countedAddress>[0]): Promise<() => Promise<void>> => {
    const bounds: Bound[] = [
      { name: `join ${countedAddress(request)}`, most: 60, seconds: 300, forgets: true },
    ];
    await limits.attempt(bounds, 'use a link');
    return () => limits.succeeded(bounds);
  };

  return {
    listPeople: async (call) => {
      const { workspaceId } = call.scope;
      const rows = await listIn(models.memberships, workspaceId);
      const users = await findAll(models.users, { where: { id: rows.map(({ userId }) => userId) } });
      const links = await listIn(models.invitations, workspaceId, { order: ['id'] });
      const members = new Map(rows.map((row) => [row.userId, row]));
      const seen = await seenOf(workspaceId);
      const all = [
        ...users.map((user) => member(user, members.get(user.id)!, seen.get(user.id) ?? null)),
        ...links.filter(({ endsAt }) => endsAt > clockNow()).map(waiting),
      ];
      const { role } = call.query;
      return pageOf(call, role === undefined ? all : all.filter((one) => one.role === role), ({ id }) => id);
    },
    addPerson: async ({ scope, body }) => {
      const { name = null, role, email = null, days = 7, uses = 1 } = body;
      if (email !== null && uses > 1)
        throw wrongField('uses', 'must be 1 for a link that is sent to one email', 'Leave the email out.');
      if (name !== null && uses > 1)
        throw wrongField('name', 'is given to several people', 'Leave it out: each says their own.');
      const now = clockNow();
      if (clockMayTidy())
        await models.invitations.destroy({ where: { endsAt: { [Op.lt]: now } } as never, limit: 500 });
      if ((await listIn(models.invitations, scope.workspaceId)).length >= MOST_INVITATIONS)
        throw conflict(
          `${MOST_INVITATIONS} links that nobody has used are waiting already. Revoke some under People first.`,
        );
      if (email !== null) await countMailToStranger(store, scope);
      const secret = randomBytes(SECRET_BYTES).toString('base64url');
      const row = await addTo(models.invitations, scope.workspaceId, {
        name: name ?? '',
        role,
        email,
        uses,
        used: 0,
        secretHash: hashSecret(secret),
        createdAt: now,
        endsAt: now + days * DAY_MS,
      });
      // Behind the mark: it is sent to no server, and stands in no log.
      const link = `${address().httpUrl}/join#${secret}`;
      if (email !== null)
        await mailer
          .send({
            to: email,
            subject: 'Peatmoor: an invitation to a workspace',
            text: `Somebody with an account on this service invites you to their workspace, as ${role}. They call themselves ${asTheirWords(scope.userName)} and the workspace ${asTheirWords(scope.workspace.title)}.\n\nIf you know them, join at\n${link}\n\nThe link works once, until ${new Date(row.endsAt).toUTCString()}. Otherwise ignore this email; nothing happens.`,
            headers: { 'Auto-Submitted': 'auto-generated' },
          })
          .catch(async (error: unknown) => {
            await deleteIn(models.invitations, scope.workspaceId, { id: row.id });
            const why = error instanceof CannotBeSent ? error.message : 'The mail could not be sent.';
            throw wrongField(
              'email',
              'could not be written to',
              `${why} Leave the email out and hand the link over.`,
            );
          });
      changed(scope);
      return { person: waiting(row), link };
    },
    changePerson: async ({ scope, params, body }) => {
      const { sort, id } = read(params.person);
      if (sort === 'link') {
        const link = await oneIn(models.invitations, scope.workspaceId, { id });
        if (link === null) throw notFound('person', params.person ?? '');
        await models.invitations.update(
          { role: body.role },
          { where: { id, workspaceId: scope.workspaceId } },
        );
        changed(scope);
        return waiting({ ...link, role: body.role });
      }
      let rules: number[] = [];
      const row = await store.transaction(async (transaction) => {
        const before = await takeMember(scope, id, transaction);
        const where = { userId: id, workspaceId: scope.workspaceId };
        const told = await thereToTell(store, scope.workspaceId, transaction);
        await models.memberships.update({ role: body.role }, { where, transaction });
        await keepAnOwner(scope, transaction);
        rules = await handOver(
          store,
          scope.workspaceId,
          { leaving: id, takesOver: body.takesOver, before: told },
          transaction,
        );
        return { ...before, role: body.role };
      });
      tellHandedOver(bus, scope, rules);
      changed(scope);
      const seen = await seenOf(scope.workspaceId);
      return member((await findOne(models.users, { id }))!, row, seen.get(id) ?? null);
    },
    removePerson: async ({ scope, params, query }) => {
      const { sort, id } = read(params.person);
      let rules: number[] = [];
      if (sort === 'link') {
        if ((await deleteIn(models.invitations, scope.workspaceId, { id })) === 0)
          throw notFound('person', params.person ?? '');
      } else
        await store.transaction(async (transaction) => {
          await takeMember(scope, id, transaction);
          rules = await takeOut(
            store,
            { userId: id, workspaceId: scope.workspaceId },
            { takesOver: query.takesOver as string | undefined },
            transaction,
          );
          await keepAnOwner(scope, transaction);
          await deleteIn(models.sessions, scope.workspaceId, { userId: id }, transaction);
        });
      tellHandedOver(bus, scope, rules);
      changed(scope);
    },
    resetPerson: async ({ scope, params }) => {
      const { sort, id } = read(params.person);
      const here =
        sort === 'person' ? await oneIn(models.memberships, scope.workspaceId, { userId: id }) : null;
      if (here === null) throw notFound('person', params.person ?? '');
      // An owner here is nobody elsewhere: a password opens all workspaces of its account.
      if ((await models.memberships.count({ where: { userId: id } })) > 1)
        throw conflict(
          'This person belongs to other workspaces too, which their password opens. They reset it themselves by email, or on the machine of the service with "peatmoor account reset".',
        );
      const { secret, endsAt } = await makeReset(store, id, { workspaceId: scope.workspaceId });
      return { link: `${address().httpUrl}/reset#${secret}`, endsAt };
    },
    readJoin: async ({ body, request }) => {
      const succeeded = await bounded(request);
      const link = await findOne(models.invitations, { secretHash: hashSecret(body.secret) });
      if (link === null || link.endsAt < clockNow() || link.used >= link.uses) throw notValid();
      await succeeded();
      const { title } = (await findOne(models.workspaces, { id: link.workspaceId }))!;
      return { workspace: title, name: link.name, role: link.role, email: link.email };
    },
    joinHere: async ({ scope, body, request }) => {
      const succeeded = await bounded(request);
      const workspaceId = await store
        .transaction(async (transaction) => {
          const link = await useLink(body.secret, transaction);
          const { workspaceId, role } = link;
          await insert(models.memberships, { userId: scope.userId, workspaceId, role }, transaction);
          await endOwnersResets(store, scope.userId, transaction);
          return workspaceId;
        })
        .catch((error: unknown) => {
          if (error instanceof UniqueConstraintError)
            throw conflict('You belong to this workspace already. Nothing of the link was used up.');
          throw error;
        });
      if (scope.pass.kind === 'session')
        await models.sessions.update({ workspaceId }, { where: { idHash: scope.pass.idHash } });
      await models.users.update({ workspaceId }, { where: { id: scope.userId } });
      tell(workspaceId, scope.userName);
      await writeJoined({ ...scope, workspaceId });
      await succeeded();
      return sessions.me((await scopeOf(store, request))!);
    },
    join: async ({ body, request, response }) => {
      const succeeded = await bounded(request);
      const made = await store.transaction(async (transaction) => {
        const link = await useLink(body.secret, transaction);
        const name = link.name || body.name;
        if (!name) throw wrongField('name', 'is empty', 'Type your name.');
        const { workspaceId, role } = link;
        const { password, email = null } = body;
        const user = await makeUser(store, { name, email, password }, transaction);
        await insert(models.memberships, { userId: user.id, workspaceId, role }, transaction);
        return { userId: user.id, workspaceId, name };
      });
      tell(made.workspaceId, made.name);
      const pass = { kind: 'session', idHash: Buffer.alloc(0) } as const;
      await writeJoined({ ...made, userName: made.name, pass });
      await succeeded();
      return sessions.start(request, response, made.userId, made.workspaceId);
    },
  };
}
