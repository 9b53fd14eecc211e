import type { Transaction } from 'sequelize';
import { keepFirstWorkspace, makeWorkspace } from '../auth/accounts';
import { leave } from '../auth/leaving';
import { endOwnersResets } from '../auth/resets';
import { tellGone, type Gone } from '../definitions/gone';
import { deleteDevices } from '../history/deleting';
import { conflict, notFound, wrongField } from '../problems';
import { tellHandedOver } from '../rules/takingOver';
import { deleteIn, findAll, findOne, listIn } from '../store/rows';
import type { ApiParts, Handlers } from './context';
import { demandPassword } from './passwordAgain';
import { scopeOf, type Scope } from './scope';
import { createSessions } from './sessions';

type WorkspacesHandlers = Pick<
  Handlers,
  'listWorkspaces' | 'chooseWorkspace' | 'createWorkspace' | 'leaveWorkspace' | 'deleteAccount'
>;
/** Workspaces that one account may have made. */
const MOST_WORKSPACES = 50;

/** One account in several workspaces: which, going on in another, leaving, and leaving altogether. */
export function workspacesHandlers(parts: ApiParts): WorkspacesHandlers {
  const { store, bus, clearing } = parts;
  const { models } = store;
  const sessions = createSessions(parts);
  /** Goes on in a workspace, with this session and at the next sign-in. */
  const goOn = async ({ pass, userId }: Scope, workspaceId: number): Promise<void> => {
    if (pass.kind === 'session')
      await models.sessions.update({ workspaceId }, { where: { idHash: pass.idHash } });
    await models.users.update({ workspaceId }, { where: { id: userId } });
  };
  const tellPeople = ({ userName }: Scope, workspaceId: number): void =>
    bus.emit('live', { workspaceId, message: { type: 'changed', what: 'people', by: userName } });
  /** Deletes a workspace that nobody belongs to any more; what is much goes in slices. */
  const deleteWorkspace = async (workspaceId: number, transaction: Transaction): Promise<Gone> => {
    await keepFirstWorkspace(store, workspaceId, transaction);
    const devices = await listIn(models.devices, workspaceId, { attributes: ['rowId'], transaction });
    for (const table of [models.rules, models.timetables, models.webhooks, models.addresses, models.mutes])
      await deleteIn(table as typeof models.rules, workspaceId, {}, transaction);
    const kinds = await listIn(models.kinds, workspaceId, { attributes: ['id'], transaction });
    await models.changes.destroy({ where: { workspaceId }, transaction });
    for (const table of ['alertStops', 'unreached'])
      await store.sequelize.query(`DELETE FROM ${table} WHERE workspaceId = ?`, {
        replacements: [workspaceId],
        transaction,
      });
    await deleteDevices(
      store,
      devices.map(({ rowId }) => rowId),
      transaction,
    );
    await models.workspaces.destroy({ where: { id: workspaceId }, transaction });
    return {
      workspaceId,
      devices: devices.map(({ rowId }) => rowId),
      kinds: kinds.map(({ id }) => id),
      rules: 'all',
    };
  };
  return {
    listWorkspaces: async ({ scope }) => {
      const rows = await findAll(models.memberships, { where: { userId: scope.userId } });
      const all = await findAll(models.workspaces, {
        where: { id: rows.map(({ workspaceId }) => workspaceId) },
        order: ['title', 'id'],
      });
      return all.map(({ id, title }) => ({
        id,
        title,
        role: rows.find(({ workspaceId }) => workspaceId === id)!.role,
      }));
    },
    chooseWorkspace: async ({ scope, body, request }) => {
      const membership = await findOne(models.memberships, { userId: scope.userId, workspaceId: body.id });
      if (membership === null) throw notFound('workspace', String(body.id));
      await goOn(scope, body.id);
      return sessions.me((await scopeOf(store, request))!);
    },
    createWorkspace: async ({ scope, body, request }) => {
      const owned = await models.memberships.count({ where: { userId: scope.userId, role: 'owner' } });
      if (owned >= MOST_WORKSPACES)
        throw wrongField('title', 'would be one workspace too many', `There are ${MOST_WORKSPACES} at most.`);
      const id = await store.transaction(async (transaction) => {
        await endOwnersResets(store, scope.userId, transaction);
        return makeWorkspace(store, scope.userId, body.title, transaction);
      });
      await goOn(scope, id);
      return sessions.me((await scopeOf(store, request))!);
    },
    leaveWorkspace: async ({ scope, query }) => {
      const takesOver = query.takesOver as string | undefined;
      let rules: number[] = [];
      const { userId, workspaceId } = scope;
      const others = (await findAll(models.memberships, { where: { userId } })).filter(
        (one) => one.workspaceId !== workspaceId,
      );
      if (others.length === 0)
        throw conflict('This is your only workspace. Delete your account instead, or make another first.');
      await store.transaction(async (transaction) => {
        const membership = (await findOne(models.memberships, { userId, workspaceId }, transaction))!;
        const left = await leave(store, membership, { takesOver }, transaction);
        if (left.isLast)
          throw conflict(
            'Nobody else belongs to this workspace. Add somebody first, or delete your account.',
          );
        rules = left.rules;
        // Every session that was in it goes on in another.
        await models.sessions.update(
          { workspaceId: others[0]!.workspaceId },
          { where: { userId, workspaceId }, transaction },
        );
        await models.users.update(
          { workspaceId: others[0]!.workspaceId },
          { where: { id: userId }, transaction },
        );
      });
      tellHandedOver(bus, scope, rules);
      tellPeople(scope, workspaceId);
    },
    deleteAccount: async ({ scope, body, request, response }) => {
      const { userId } = scope;
      await demandPassword(parts, { scope, request }, body.password);
      const left = new Map<number, number[]>();
      const memberships = await findAll(models.memberships, { where: { userId } });
      const gone = await store.transaction(async (transaction) => {
        const all: Gone[] = [];
        left.clear();
        for (const membership of memberships) {
          const { workspaceId } = membership;
          const { title } = (await findOne(models.workspaces, { id: workspaceId }, transaction))!;
          const { isLast, rules } = await leave(
            store,
            membership,
            { takesOver: body.takesOver, of: title },
            transaction,
          );
          left.set(workspaceId, rules);
          if (!isLast) continue;
          if (body.withWorkspaces !== true)
            throw conflict(
              `Nobody else belongs to "${title}": its devices and readings would be deleted too. Say so with withWorkspaces, or add somebody first.`,
            );
          all.push(await deleteWorkspace(workspaceId, transaction));
        }
        await models.users.destroy({ where: { id: userId }, transaction });
        return all;
      });
      for (const one of gone) tellGone(bus, one);
      if (gone.length > 0) clearing.wake();
      for (const [workspaceId, rules] of left) {
        tellHandedOver(bus, { ...scope, workspaceId }, rules);
        tellPeople(scope, workspaceId);
      }
      response.clearCookie('peatmoor_session', { path: '/' });
    },
  };
}
