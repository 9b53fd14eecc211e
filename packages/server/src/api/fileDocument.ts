import { group } from 'd3-array';
import { hostOf, isHostAlone, mayDo, namesOf, type Widget } from '@peatmoor/core';
import { FILE_VERSION, workspaceFileSchema, type WorkspaceDocument } from '@peatmoor/contract';
import { toDashboard } from './dashboards';
import { toStream } from './kinds';
import { shownRule } from './ruleBody';
import type { Scope } from './scope';
import type { DeviceRow, RuleRow, UserRow } from '../store/models';
import { findAll, listIn } from '../store/rows';
import type { Store } from '../store/store';

/** A workspace as its file says it, and which row each name means. */
export interface Named {
  document: WorkspaceDocument;
  kinds: Map<string, number>;
  devices: Map<string, DeviceRow>;
  dashboards: Map<string, number>;
  webhooks: Map<string, number>;
  /** Whole addresses of webhooks by their names. */
  addresses: Map<string, string>;
  rules: Map<string, number>;
  people: Map<string, number>;
  links: Map<string, number>;
  timetables: Map<string, number>;
  grants: Map<string, number>;
}

/** By what the file names a person. */
const personName = ({ email, signInName }: Pick<UserRow, 'email' | 'signInName'>): string =>
  email ?? signInName ?? '';

/**
 * Reads the definitions of a workspace, in an order that does not change: by name, datastreams and widgets as they stand. It has what its
 * reader may see: grants are for owners.
 */
export async function readDocument(
  store: Store,
  { workspaceId, workspace, role }: Pick<Scope, 'workspaceId' | 'workspace' | 'role'>,
): Promise<Named> {
  const { models } = store;
  const kinds = await listIn(models.kinds, workspaceId, { order: ['title', 'id'] });
  const streams = await listIn(models.streams, workspaceId, { order: ['id'] });
  const devices = await listIn(models.devices, workspaceId, { order: ['id'] });
  const dashboards = await listIn(models.dashboards, workspaceId, { order: ['title', 'id'] });
  const rules = await listIn(models.rules, workspaceId, { order: ['title', 'id'] });
  const webhooks = await listIn(models.webhooks, workspaceId, { order: ['title', 'id'] });
  const timetables = await listIn(models.timetables, workspaceId, { order: ['title', 'id'] });
  const seesGrants = mayDo(role, 'people');
  const grants = seesGrants ? await listIn(models.grants, workspaceId, { order: ['id'] }) : [];
  const links = await listIn(models.shareLinks, workspaceId, { order: ['title', 'id'] });
  const calibrations = group(
    await listIn(models.calibrations, workspaceId, { order: ['id'] }),
    ({ deviceRowId }) => deviceRowId,
  );
  const members = await listIn(models.memberships, workspaceId);
  const users = await findAll(models.users, { where: { id: members.map(({ userId }) => userId) } });

  const named = <T extends { title: string }>(rows: readonly T[]): [string, T][] => {
    const names = namesOf(rows.map(({ title }) => title));
    return rows.map((row, i) => [names[i]!, row]);
  };
  const nameById = <T extends { id: number }>(pairs: readonly (readonly [string, T])[]) =>
    new Map(pairs.map(([name, { id }]) => [id, name]));
  const kindPairs = named(kinds);
  const boardPairs = named(dashboards);
  const rulePairs = named(rules);
  const hookPairs = named(webhooks);
  const linkPairs = named(links);
  const kindNames = nameById(kindPairs);
  const boardNames = nameById(boardPairs);
  const hookNames = nameById(hookPairs);
  const people = new Map(users.map((user) => [user.id, personName(user)]));
  const idOf = new Map(devices.map(({ rowId, id }) => [rowId, id]));
  const keyOf = new Map(streams.map(({ id, key }) => [id, key]));
  const streamsOf = group(streams, ({ kindId }) => kindId);
  // Two timetables of a device may have one title.
  const timetableTitles = new Map<number, string>();
  for (const rows of group(timetables, ({ deviceRowId }) => deviceRowId).values())
    for (const [name, { id }] of named(rows)) timetableTitles.set(id, name);

  const ruleOf = (name: string, row: RuleRow): object => {
    const shown = shownRule(row, (rowId) => idOf.get(rowId));
    const { title: _title, kindId, people: told, webhooks: called, escalateTo, ...rest } = shown;
    return {
      name,
      kind: kindId === null ? null : (kindNames.get(kindId) ?? null),
      deviceId: row.deviceRowId === null ? null : (idOf.get(row.deviceRowId) ?? null),
      ...rest,
      people: told.flatMap((id) => people.get(id) ?? []),
      webhooks: called.flatMap((id) => hookNames.get(id) ?? []),
      escalateTo: escalateTo === null ? null : (people.get(escalateTo) ?? null),
    };
  };
  const hidden = hookPairs.filter(([, { url }]) => !isHostAlone(url));
  const document = {
    peatmoor: FILE_VERSION,
    workspace: { title: workspace.title, zone: workspace.zone, place: workspace.place },
    kinds: kindPairs.map(([name, { id, intervalS, acceptNew, board, icon, notes }]) => ({
      name,
      intervalS,
      acceptNew,
      board,
      icon,
      notes,
      streams: (streamsOf.get(id) ?? []).map((row) => {
        const { id: _id, ...stream } = toStream(row);
        return stream;
      }),
    })),
    ...(hidden.length > 0 && {
      needs: hidden.map(([name]) => ({ what: 'webhook', name, field: 'url' })),
    }),
    webhooks: hookPairs.map(([name, { url, template }]) => ({ name, url: hostOf(url), template })),
    devices: devices.map((row) => ({
      id: row.id,
      name: row.name,
      kind: kindNames.get(row.kindId) ?? '',
      labels: row.labels,
      place: row.place,
      notes: row.notes,
      gateway: idOf.get(row.gatewayRowId ?? 0) ?? null,
      serial: row.serial,
      dashboard: boardNames.get(row.dashboardId ?? 0) ?? null,
      calibrations: (calibrations.get(row.rowId) ?? []).map(({ streamId, fromAt, calibration }) => ({
        stream: keyOf.get(streamId) ?? '',
        from: fromAt,
        calibration,
      })),
    })),
    dashboards: boardPairs.map(([name, row]) => {
      const { icon, colour, labels, forLabel, pages, widgets, kindId } = toDashboard(row);
      return {
        name,
        kind: kindId === null ? null : (kindNames.get(kindId) ?? null),
        icon,
        colour,
        labels,
        forLabel,
        pages,
        widgets,
      };
    }),
    rules: rulePairs.map(([name, row]) => ruleOf(name, row)),
    timetables: timetables
      .map(({ id, deviceRowId, streamId, times, catchUp, active }) => ({
        device: idOf.get(deviceRowId) ?? '',
        title: timetableTitles.get(id)!,
        stream: keyOf.get(streamId) ?? '',
        times,
        catchUp,
        active,
      }))
      .sort((a, b) => (a.device < b.device ? -1 : a.device > b.device ? 1 : 0)),
    ...(seesGrants && {
      grants: grants.map(({ userId, role, sort, deviceRowId, label, dashboardId }) => ({
        person: people.get(userId) ?? '',
        role,
        sort,
        target: label ?? idOf.get(deviceRowId ?? 0) ?? boardNames.get(dashboardId ?? 0) ?? '',
      })),
    }),
    links: linkPairs.map(([name, row]) => ({
      name,
      sort: row.sort,
      dashboard: boardNames.get(row.dashboardId ?? 0) ?? null,
      widgetId: row.widgetId,
      deviceId: idOf.get(row.deviceRowId ?? 0) ?? null,
      backMs: row.backMs,
      periodMs: row.periodMs,
      periodOpen: row.periodOpen,
      sites: row.sites,
      listed: row.listed,
      endsAt: row.endsAt,
    })),
  };
  const idsOf = <T extends { id: number }>(pairs: readonly (readonly [string, T])[]) =>
    new Map(pairs.map(([name, { id }]) => [name, id]));
  return {
    // Every field filled in, and none that the file does not know.
    document: workspaceFileSchema.cast(document, { assert: false, stripUnknown: true }) as WorkspaceDocument,
    kinds: idsOf(kindPairs),
    devices: new Map(devices.map((row) => [row.id, row])),
    dashboards: idsOf(boardPairs),
    webhooks: idsOf(hookPairs),
    addresses: new Map(hookPairs.map(([name, { url }]) => [name, url])),
    rules: idsOf(rulePairs),
    links: idsOf(linkPairs),
    people: new Map(users.map((user) => [personName(user), user.id])),
    timetables: new Map(
      timetables.map(({ id, deviceRowId }) => [
        `${idOf.get(deviceRowId) ?? ''}: ${timetableTitles.get(id)!}`,
        id,
      ]),
    ),
    grants: new Map(
      (document.grants ?? []).map(({ person, sort, target }, i) => [
        `${person}: ${sort} ${target}`,
        grants[i]!.id,
      ]),
    ),
  };
}

/** Only one kind of it, with what is made for that kind: to be passed on. */
export function ofKind(document: WorkspaceDocument, kind: string): WorkspaceDocument {
  return {
    peatmoor: document.peatmoor,
    kinds: (document.kinds ?? []).filter(({ name }) => name === kind),
    // Those that name single devices are of no use elsewhere.
    dashboards: (document.dashboards ?? []).filter(
      (one) =>
        one.kind === kind &&
        (one.widgets as Widget[]).every(({ sources }) => sources.every(({ device }) => device === null)),
    ),
    rules: (document.rules ?? [])
      .filter((one) => one.kind === kind)
      // Who is told, and what is other about single devices, is the workspace's own.
      .map((one) => ({
        ...one,
        people: [],
        webhooks: [],
        emails: [],
        roles: [],
        own: [],
        actions: [],
        escalateTo: null,
        escalateMs: null,
      })),
  };
}
