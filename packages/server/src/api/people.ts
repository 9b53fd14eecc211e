import { randomBytes } from 'node:crypto';
import { hash } from '@node-rs/argon2';
import { UniqueConstraintError, type Transaction } from 'sequelize';
import type { Person } from '@peatmoor/contract';
import { createLimits } from '../auth/limits';
import { remoteAddress } from '../listeners/address';
import { conflict, notFound, ProblemError, wrongField } from '../problems';
import { hashSecret } from '../registry';
import type { InvitationRow, MembershipRow, UserRow } from '../store/models';
import { addTo, deleteIn, findAll, findOne, insert, listIn, oneIn } from '../store/rows';
import { takeRow } from '../store/store';
import type { ApiParts, Handlers } from './context';
import { pageOf } from './pages';
import { demandPerson, type Scope } from './scope';
import { createSessions } from './sessions';
import { now as clockNow } from '../clock';

const LINK_MS = 7 * 86_400_000;
const SECRET_BYTES = 24;

type PeopleHandlers = Pick<Handlers, 'listPeople' | 'addPerson' | 'changePerson' | 'removePerson' | 'join'>;

/** Who belongs to a workspace: adding with a link that works once, roles, removing. */
export function peopleHandlers(parts: ApiParts): PeopleHandlers {
  const { store, bus, address } = parts;
  const { models } = store;
  const sessions = createSessions(parts);
  const limits = createLimits(store);
  const changed = (scope: Scope): void =>
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'people', by: scope.userName },
    });
  const member = (user: UserRow, { role, revision }: MembershipRow): Person => ({
    id: `person-${user.id}`,
    name: user.name,
    email: user.email,
    role,
    linkEndsAt: null,
    version: revision,
  });
  const waiting = ({ id, name, role, endsAt, revision }: InvitationRow): Person => ({
    id: `link-${id}`,
    name,
    email: null,
    role,
    linkEndsAt: endsAt,
    version: revision,
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

  return {
    listPeople: async (call) => {
      const { workspaceId } = call.scope;
      const rows = await listIn(models.memberships, workspaceId);
      const users = await findAll(models.users, { where: { id: rows.map(({ userId }) => userId) } });
      const links = await listIn(models.invitations, workspaceId, { order: ['id'] });
      const members = new Map(rows.map((row) => [row.userId, row]));
      const all = [
        ...users.map((user) => member(user, members.get(user.id)!)),
        ...links.filter(({ endsAt }) => endsAt > clockNow()).map(waiting),
      ];
      const { role } = call.query;
      return pageOf(call, role === undefined ? all : all.filter((one) => one.role === role), ({ id }) => id);
    },
    addPerson: async ({ scope, body }) => {
      demandPerson(scope);
      const secret = randomBytes(SECRET_BYTES).toString('base64url');
      const now = clockNow();
      const row = await addTo(models.invitations, scope.workspaceId, {
        name: body.name,
        role: body.role,
        secretHash: hashSecret(secret),
        createdAt: now,
        endsAt: now + LINK_MS,
      });
      changed(scope);
      // Behind the mark: it is sent to no server, and stands in no log.
      return { person: waiting(row), link: `${address().httpUrl}/join#${secret}` };
    },
    changePerson: async ({ scope, params, body }) => {
      demandPerson(scope);
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
      const row = await store.transaction(async (transaction) => {
        const before = await takeMember(scope, id, transaction);
        const where = { userId: id, workspaceId: scope.workspaceId };
        await models.memberships.update({ role: body.role }, { where, transaction });
        await keepAnOwner(scope, transaction);
        return { ...before, role: body.role };
      });
      changed(scope);
      return member((await findOne(models.users, { id }))!, row);
    },
    removePerson: async ({ scope, params }) => {
      demandPerson(scope);
      const { sort, id } = read(params.person);
      if (sort === 'link') {
        if ((await deleteIn(models.invitations, scope.workspaceId, { id })) === 0)
          throw notFound('person', params.person ?? '');
      } else
        await store.transaction(async (transaction) => {
          await takeMember(scope, id, transaction);
          const where = { userId: id };
          await deleteIn(models.memberships, scope.workspaceId, where, transaction);
          await keepAnOwner(scope, transaction);
          // What speaks for them here ends with it.
          await deleteIn(models.sessions, scope.workspaceId, where, transaction);
          await deleteIn(models.accessKeys, scope.workspaceId, where, transaction);
        });
      changed(scope);
    },
    join: async ({ body, request, response }) => {
      const bounds = [{ name: `join ${remoteAddress(request)}`, most: 30, seconds: 300 }];
      await limits.attempt(bounds, 'use a link');
      const passwordHash = await hash(body.password);
      const secretHash = hashSecret(body.secret);
      const made = await store
        .transaction(async (transaction) => {
          const link = await findOne(models.invitations, { secretHash }, transaction);
          // Deleted before anything is made of it: it works once, whoever asks at the same time.
          const gone = await models.invitations.destroy({ where: { secretHash }, transaction });
          if (link === null || gone === 0 || link.endsAt < clockNow())
            throw new ProblemError(
              'link-not-valid',
              'This link was used, taken back, or is too old. Ask whoever gave it to you for a new one.',
            );
          const { workspaceId, role, name } = link;
          const user = await insert(
            models.users,
            { email: body.email, name, passwordHash, createdAt: clockNow() },
            transaction,
          );
          await insert(models.memberships, { userId: user.id, workspaceId, role }, transaction);
          return { userId: user.id, workspaceId, name };
        })
        .catch((error: unknown) => {
          if (error instanceof UniqueConstraintError)
            throw wrongField('email', 'cannot be used', 'Use another address.');
          throw error;
        });
      bus.emit('live', {
        workspaceId: made.workspaceId,
        message: { type: 'changed', what: 'people', by: made.name },
      });
      await limits.succeeded(bounds, 1);
      return sessions.start(request, response, made.userId, made.workspaceId);
    },
  };
}
