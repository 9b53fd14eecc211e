import { group } from 'd3-array';
import { Op, type WhereOptions } from 'sequelize';
import {
  isForVisitors,
  isMeasured,
  readWidget,
  shownStreams,
  starterWidgets,
  type ShownBoard,
  type ShownDevice,
  type Widget,
} from '@peatmoor/core';
import { contains } from '../store/filters';
import type { DashboardRow, DeviceRow, ShareSort, StreamRow } from '../store/models';
import { listIn, oneIn } from '../store/rows';
import type { Store } from '../store/store';

/** What is shared or granted: a dashboard, one widget of one, or a device by itself, with the device that is chosen. */
export interface Subject {
  sort: ShareSort;
  dashboardId: number | null;
  widgetId: string | null;
  deviceRowId: number | null;
}

/** A dashboard as it is shown to others. */
export interface Board extends ShownBoard {
  title: string;
  widgets: Widget[];
  row: DashboardRow | null;
}

type Known = Omit<ShownDevice, 'streams'> & { rowId: number; name: string; streams: StreamRow[] };

/** A datastream of a device, by the numbers of their rows and by their names. */
export interface ShownRow {
  deviceRowId: number;
  streamId: number;
  device: string;
  deviceName: string;
  stream: string;
  title: string;
}

/** The page that shows a subject; null where it is gone. */
export async function boardOf(store: Store, workspaceId: number, subject: Subject): Promise<Board | null> {
  if (subject.sort === 'device') return boardOfDevice(store, workspaceId, subject.deviceRowId);
  const row = await oneIn(store.models.dashboards, workspaceId, { id: subject.dashboardId ?? 0 });
  if (row === null) return null;
  const board = boardOfRow(row);
  if (subject.sort === 'dashboard') return board;
  const widget = board.widgets.find(({ id }) => id === subject.widgetId);
  return widget === undefined
    ? null
    : { ...board, title: widget.title || row.title, widgets: [{ ...widget, page: 0 }] };
}

/** A dashboard as it is kept, made ready to be shown. */
export function boardOfRow(row: DashboardRow): Board {
  return {
    title: row.title,
    kindId: row.kindId,
    forLabel: row.look.forLabel ?? null,
    widgets: row.widgets.flatMap((stored) => readWidget(stored) ?? []),
    row,
  };
}

async function boardOfDevice(store: Store, workspaceId: number, rowId: number | null): Promise<Board | null> {
  const device = await oneIn(store.models.devices, workspaceId, { rowId: rowId ?? 0 });
  if (device === null) return null;
  const streams = await listIn(store.models.streams, workspaceId, {
    where: { kindId: device.kindId },
    order: ['id'],
  });
  return {
    title: device.name,
    kindId: null,
    forLabel: null,
    // What can be steered too is shown as it stands.
    widgets: starterWidgets(
      streams.filter(isMeasured).map((stream) => ({
        ...stream,
        direction: 'report',
        follow: null,
        runAtMost: null,
        withoutLink: null,
      })),
      device.id,
    ),
    row: null,
  };
}

/**
 * The datastreams that a page shows, read in two queries. `chosen`: the one device that is shown as the chosen one.
 * `counts`: the widgets that are looked at, else those that visitors are shown.
 */
export async function shownBy(
  store: Store,
  workspaceId: number,
  board: Board,
  {
    chosen = null,
    counts = isForVisitors,
  }: { chosen?: number | null; counts?: (widget: Widget) => boolean } = {},
): Promise<ShownRow[]> {
  const named = new Set(
    board.widgets.flatMap(({ sources }) => sources.flatMap(({ device }) => device ?? [])),
  );
  const ways: WhereOptions<DeviceRow>[] = [{ id: [...named] }];
  if (chosen !== null) ways.push({ rowId: chosen });
  else if (board.forLabel) ways.push({ labels: contains(JSON.stringify(board.forLabel)) } as never);
  else if (board.kindId !== null) ways.push({ kindId: board.kindId });
  const devices = await listIn(store.models.devices, workspaceId, {
    where: { [Op.or]: ways } as never,
    attributes: ['rowId', 'id', 'name', 'kindId', 'labels'],
    order: ['name', 'rowId'],
  });
  const streams = group(
    await listIn(store.models.streams, workspaceId, {
      where: { kindId: [...new Set(devices.map(({ kindId }) => kindId))] },
      order: ['id'],
    }),
    ({ kindId }) => kindId,
  );
  const known = devices.map((device): Known => ({
    ...device,
    streams: streams.get(device.kindId) ?? [],
  }));
  const only = chosen === null ? null : (devices.find(({ rowId }) => rowId === chosen)?.id ?? '');
  return shownStreams(board, known, { only, counts }).map(({ device, stream }) => {
    const { rowId, name, streams: all } = known.find(({ id }) => id === device)!;
    const { id, title } = all.find(({ key }) => key === stream)!;
    return { deviceRowId: rowId, streamId: id, device, deviceName: name, stream, title };
  });
}
