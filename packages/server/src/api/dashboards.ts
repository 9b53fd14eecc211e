import { fitPlace, readWidget, starterWidgets, storeWidget, type Widget } from '@peatmoor/core';
import type { Dashboard } from '@peatmoor/contract';
import { conflict, notFound, wrongField } from '../problems';
import type { DashboardRow } from '../store/models';
import { addTo, changeIn, deleteIn, oneIn } from '../store/rows';
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
    const row = await oneIn(dashboards, scope.workspaceId, { id: numberOf(text, 'dashboard') });
    if (row === null) throw notFound('dashboard', text ?? '');
    return row;
  };
  const make = async (
    scope: Scope,
    title: string,
    kindId: number | null,
    widgets: Widget[],
  ): Promise<DashboardRow> => {
    const row = await addTo(dashboards, scope.workspaceId, {
      title,
      kindId,
      version: 1,
      changedBy: scope.userName,
      changedAt: clockNow(),
      widgets: widgets.map((widget) => storeWidget(fitPlace(widget))),
    });
    changed(scope, row.id);
    return row;
  };
  return {
    listDashboards: async (call) =>
      (
        await pageIn(dashboards, call.scope.workspaceId, call, {
          where: call.query.kind === undefined ? {} : { kindId: Number(call.query.kind) },
          by: 'title',
          id: 'id',
        })
      ).map(toDashboard),
    createDashboard: async ({ scope, body }) => {
      const kindId = body.kindId ?? null;
      if (kindId !== null && (await oneIn(kinds, scope.workspaceId, { id: kindId })) === null)
        throw wrongField('kindId', 'is no kind of this workspace', 'Choose one of its kinds, or none.');
      return toDashboard(await make(scope, body.title, kindId, (body.widgets ?? []) as Widget[]));
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
    readDashboard: async ({ scope, params }) => toDashboard(await rowOf(scope, params.dashboard)),
    changeDashboard: async ({ scope, params, body, request }) => {
      const row = await rowOf(scope, params.dashboard);
      const expected = expectedVersions(request);
      if (Array.isArray(expected) && !expected.includes(row.version))
        throw changedMeanwhile('dashboard', row.version);
      const next = {
        title: body.title,
        widgets: body.widgets.map((widget) => storeWidget(fitPlace(widget))),
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

function toDashboard({ id, title, kindId, version, changedBy, changedAt, widgets }: DashboardRow): Dashboard {
  return {
    id,
    title,
    kindId,
    version,
    changedBy,
    changedAt,
    widgets: widgets.flatMap((stored) => readWidget(stored) ?? []),
  };
}
