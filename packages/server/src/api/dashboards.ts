import { keepApart, readWidget, starterWidgets, storeWidget, type Widget } from '@peatmoor/core';
import type { Dashboard, DashboardLook } from '@peatmoor/contract';
import { conflict, notFound, wrongField } from '../problems';
import { seesAll } from '../sharing/reach';
import type { DashboardRow } from '../store/models';
import { addTo, changeIn, deleteIn, listIn, oneIn } from '../store/rows';
import { deviceOf, numberOf, type ApiParts, type Handlers } from './context';
import { pageIn } from './pages';
import type { Scope } from './scope';
import { changedMeanwhile, expectedVersions } from './versions';
import { now as clockNow } from '../clock';

type DashboardHandlers = Pick<
  Handlers,
  | 'listDashboards'
  | 'createDashboard'
  | 'createStarterDashboard'
  | 'createKindDashboard'
  | 'readDashboard'
  | 'changeDashboard'
  | 'deleteDashboard'
>;

export function dashboardHandlers(parts: ApiParts): DashboardHandlers {
  const { store, bus } = parts;
  const { dashboards, devices, kinds } = store.models;
  const changed = (scope: Scope, id: number): void =>
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'dashboards', id, by: scope.userName },
    });
  const rowOf = async (scope: Scope, text: string | undefined): Promise<DashboardRow> => {
    const id = numberOf(text, 'dashboard');
    const row = await oneIn(dashboards, scope.workspaceId, { id });
    if (row === null || !(seesAll(scope) || scope.reach?.dashboards.has(id)))
      throw notFound('dashboard', text ?? '');
    return row;
  };
  const make = async (
    scope: Scope,
    title: string,
    kindId: number | null,
    widgets: Widget[],
    look: Partial<DashboardLook> = {},
  ): Promise<DashboardRow> => {
    const row = await addTo(dashboards, scope.workspaceId, {
      title,
      kindId,
      version: 1,
      changedBy: scope.userName,
      changedAt: clockNow(),
      widgets: keepApart(widgets).map(storeWidget),
      look,
    });
    changed(scope, row.id);
    return row;
  };
  const demandKind = async (scope: Scope, kindId: number | null): Promise<void> => {
    if (kindId !== null && (await oneIn(kinds, scope.workspaceId, { id: kindId })) === null)
      throw wrongField('kindId', 'is not a kind of this workspace', 'Choose one of its kinds, or none.');
  };
  return {
    listDashboards: async (call) =>
      (
        await pageIn(dashboards, call.scope.workspaceId, call, {
          where: {
            ...(call.query.kind !== undefined && { kindId: Number(call.query.kind) }),
            ...(!seesAll(call.scope) && { id: [...(call.scope.reach?.dashboards ?? [])] }),
          },
          by: 'title',
          id: 'id',
        })
      ).map(toDashboard),
    createDashboard: async ({ scope, body }) => {
      const kindId = body.kindId ?? null;
      await demandKind(scope, kindId);
      return toDashboard(
        await make(scope, body.title, kindId, (body.widgets ?? []) as Widget[], lookOf(body)),
      );
    },
    createStarterDashboard: async ({ scope, params }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const row = await oneIn(devices, scope.workspaceId, { rowId: entry.rowId });
      const existing =
        row?.dashboardId == null ? null : await oneIn(dashboards, scope.workspaceId, { id: row.dashboardId });
      if (existing !== null) return toDashboard(existing);
      const made = await make(scope, entry.name, entry.kindId, starterWidgets(entry.streams, entry.id));
      await changeIn(devices, scope.workspaceId, { rowId: entry.rowId }, { dashboardId: made.id });
      return toDashboard(made);
    },
    createKindDashboard: async ({ scope, params }) => {
      const kind = await oneIn(kinds, scope.workspaceId, { id: numberOf(params.kind, 'kind') });
      if (kind === null) throw notFound('kind', params.kind ?? '');
      const streams = await listIn(store.models.streams, scope.workspaceId, {
        where: { kindId: kind.id },
        order: ['id'],
      });
      const icon = kind.icon as DashboardLook['icon'];
      return toDashboard(await make(scope, kind.title, kind.id, starterWidgets(streams, null), { icon }));
    },
    readDashboard: async ({ scope, params }) => toDashboard(await rowOf(scope, params.dashboard)),
    changeDashboard: async ({ scope, params, body, request }) => {
      const row = await rowOf(scope, params.dashboard);
      const expected = expectedVersions(request);
      if (Array.isArray(expected) && !expected.includes(row.version))
        throw changedMeanwhile('dashboard', row.version);
      await demandKind(scope, body.kindId ?? null);
      const next = {
        title: body.title,
        ...(body.kindId !== undefined && { kindId: body.kindId }),
        widgets: keepApart(body.widgets).map(storeWidget),
        look: { ...row.look, ...lookOf(body) },
        version: body.version + 1,
        changedBy: scope.userName,
        changedAt: clockNow(),
      };
      const count = await changeIn(
        dashboards,
        scope.workspaceId,
        { id: row.id, version: body.version },
        next,
      );
      if (count === 0) {
        const current = await rowOf(scope, params.dashboard);
        throw conflict(
          `${current.changedBy} changed this dashboard meanwhile (version ${current.version}, yours was made from ${body.version}). Nothing was overwritten: load it and make your change again.`,
          [
            {
              field: 'version',
              reason: `is ${body.version}, but ${current.version} is the newest`,
              remedy: 'Read the dashboard again.',
            },
          ],
        );
      }
      changed(scope, row.id);
      return toDashboard({ ...row, ...next });
    },
    deleteDashboard: async ({ scope, params }) => {
      const row = await rowOf(scope, params.dashboard);
      await deleteIn(dashboards, scope.workspaceId, { id: row.id });
      await changeIn(devices, scope.workspaceId, { dashboardId: row.id }, { dashboardId: null });
      changed(scope, row.id);
    },
  };
}

/** What a body says of how a dashboard looks; what it leaves out is not said. */
function lookOf(body: Partial<DashboardLook>): Partial<DashboardLook> {
  const { icon, colour, labels, forLabel, pages } = body;
  return {
    ...(icon !== undefined && { icon }),
    ...(colour !== undefined && { colour }),
    ...(labels !== undefined && { labels: [...new Set(labels)] }),
    ...(forLabel !== undefined && { forLabel: forLabel === '' ? null : forLabel }),
    ...(pages !== undefined && { pages }),
  };
}

export const PLAIN_LOOK: DashboardLook = { icon: '', colour: 'ink', labels: [], forLabel: null, pages: [] };

export function toDashboard(row: DashboardRow): Dashboard {
  const { id, title, kindId, version, changedBy, changedAt, widgets, look } = row;
  return {
    ...PLAIN_LOOK,
    ...look,
    id,
    title,
    kindId,
    version,
    changedBy,
    changedAt,
    widgets: widgets.flatMap((stored) => readWidget(stored) ?? []),
  };
}
