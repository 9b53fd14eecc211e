import type { Grant } from '@peatmoor/contract';
import { now as clockNow } from '../clock';
import { notFound, wrongField } from '../problems';
import type { GrantRow } from '../store/models';
import { addTo, deleteIn, findAll, listIn, oneIn } from '../store/rows';
import { numberOf, type ApiParts, type Handlers } from './context';
import { type Scope } from './scope';

type GrantHandlers = Pick<Handlers, 'listGrants' | 'createGrant' | 'deleteGrant'>;
/** Grants of a workspace, and of one person: each call of theirs looks all of them up. */
const MOST_GRANTS = 1000;
const MOST_OF_ONE = 50;

/** What is granted to people beyond their role. */
export function grantHandlers({ store, bus }: ApiParts): GrantHandlers {
  const { models } = store;
  const changed = (scope: Scope): void =>
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'grants', by: scope.userName },
    });
  const toGrants = async (scope: Scope, rows: readonly GrantRow[]): Promise<Grant[]> => {
    const users = await findAll(models.users, { where: { id: rows.map(({ userId }) => userId) } });
    const devices = await listIn(models.devices, scope.workspaceId, {
      where: { rowId: rows.flatMap(({ deviceRowId }) => deviceRowId ?? []) },
      attributes: ['rowId', 'id', 'name'],
    });
    const dashboards = await listIn(models.dashboards, scope.workspaceId, {
      where: { id: rows.flatMap(({ dashboardId }) => dashboardId ?? []) },
      attributes: ['id', 'title'],
    });
    return rows.map((row): Grant => {
      const { id, userId, role, sort, label, madeBy, createdAt } = row;
      const device = devices.find(({ rowId }) => rowId === row.deviceRowId);
      const dashboard = dashboards.find((one) => one.id === row.dashboardId);
      return {
        id,
        userId,
        name: users.find((one) => one.id === userId)?.name ?? '',
        role,
        sort,
        target: label ?? device?.id ?? String(row.dashboardId),
        title: label ?? device?.name ?? dashboard?.title ?? '',
        madeBy,
        createdAt,
      };
    });
  };
  /** The row of what is granted; 422 where there is no such thing. */
  const targetOf = async (
    { workspaceId }: Scope,
    sort: GrantRow['sort'],
    target: string,
  ): Promise<Pick<GrantRow, 'deviceRowId' | 'label' | 'dashboardId'>> => {
    const none = { deviceRowId: null, label: null, dashboardId: null };
    if (sort === 'label') return { ...none, label: target.toLowerCase() };
    const device = sort === 'device' ? await oneIn(models.devices, workspaceId, { id: target }) : null;
    if (device !== null) return { ...none, deviceRowId: device.rowId };
    const dashboard =
      sort === 'dashboard' && /^\d{1,9}$/.test(target)
        ? await oneIn(models.dashboards, workspaceId, { id: Number(target) })
        : null;
    if (dashboard !== null) return { ...none, dashboardId: dashboard.id };
    throw wrongField('target', `"${target}" is not a ${sort} of this workspace`, 'Choose one that is there.');
  };
  return {
    listGrants: async ({ scope }) =>
      toGrants(scope, await listIn(models.grants, scope.workspaceId, { order: ['id'], limit: MOST_GRANTS })),
    createGrant: async ({ scope, body }) => {
      const { userId, role, sort, target } = body;
      if ((await oneIn(models.memberships, scope.workspaceId, { userId })) === null)
        throw wrongField(
          'userId',
          'is not a person of this workspace',
          'Add them first, with the role none.',
        );
      const of = await targetOf(scope, sort, target);
      if ((await models.grants.count({ where: { workspaceId: scope.workspaceId } })) >= MOST_GRANTS)
        throw wrongField('target', `is one grant too many: there are ${MOST_GRANTS}`, 'Take some back.');
      // One grant for each person and thing: the newer role holds.
      await deleteIn(models.grants, scope.workspaceId, { userId, sort, ...of });
      if ((await models.grants.count({ where: { workspaceId: scope.workspaceId, userId } })) >= MOST_OF_ONE)
        throw wrongField(
          'target',
          `is one grant too many for one person: there are ${MOST_OF_ONE}`,
          'Grant a label, or give them a role.',
        );
      const row = await addTo(models.grants, scope.workspaceId, {
        userId,
        role,
        sort,
        ...of,
        madeBy: scope.userName,
        createdAt: clockNow(),
      });
      changed(scope);
      return (await toGrants(scope, [row]))[0]!;
    },
    deleteGrant: async ({ scope, params }) => {
      if ((await deleteIn(models.grants, scope.workspaceId, { id: numberOf(params.grant, 'grant') })) === 0)
        throw notFound('grant', params.grant ?? '');
      changed(scope);
    },
  };
}
