import { isControllable, isRefusal, nextDue, takeWanted, type SetTime } from '@peatmoor/core';
import type { NewTimetable, Timetable } from '@peatmoor/contract';
import { notFound, wrongField } from '../problems';
import type { DeviceEntry } from '../registry';
import type { TimetableRow } from '../store/models';
import { addTo, changeIn, deleteIn, listIn, oneIn } from '../store/rows';
import { timetablePlace } from '../timetables/place';
import { deviceOf, numberOf, type ApiParts, type Handlers } from './context';
import { streamOf } from './data';
import { pageIn } from './pages';
import type { Scope } from './scope';

/** Timetables that one device may have. */
const MOST_TIMETABLES = 50;

type TimetableHandlers = Pick<
  Handlers,
  'listTimetables' | 'createTimetable' | 'readTimetable' | 'changeTimetable' | 'deleteTimetable'
>;

/** Set times at which the service wants values of controls. */
export function timetableHandlers(parts: ApiParts): TimetableHandlers {
  const { store, bus, registry, timetables } = parts;
  const { models } = store;
  const changed = (scope: Scope, id: number): void =>
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'timetables', id, by: scope.userName },
    });
  const rowOf = async (scope: Scope, text: string | undefined): Promise<TimetableRow> => {
    const row = await oneIn(models.timetables, scope.workspaceId, { id: numberOf(text, 'timetable') });
    if (row === null) throw notFound('timetable', text ?? '');
    return row;
  };
  const describe = async (scope: Scope, rows: TimetableRow[]): Promise<Timetable[]> => {
    const ids = [...new Set(rows.map(({ deviceRowId }) => deviceRowId))];
    const entries = await registry.load(ids);
    const devices = new Map(
      (await listIn(models.devices, scope.workspaceId, { where: { rowId: ids } })).map((one) => [
        one.rowId,
        one,
      ]),
    );
    return rows.map(
      ({ id, deviceRowId, streamId, title, times, catchUp, active, nextAt, note, revision }) => {
        const entry = entries.get(deviceRowId);
        const device = devices.get(deviceRowId);
        const due =
          nextAt === null || device === undefined
            ? null
            : nextDue(times, nextAt - 1, timetablePlace(scope.workspace, device));
        return {
          id,
          deviceId: entry?.id ?? '?',
          stream: entry?.streams.find((one) => one.streamId === streamId)?.key ?? '?',
          title,
          times,
          catchUp,
          active,
          next: due === null || nextAt === null ? null : { at: nextAt, value: times[due.index]!.value },
          note,
          zone: scope.workspace.zone,
          version: revision,
        };
      },
    );
  };
  /** What is kept of a timetable, with its control of this device and values that it takes. */
  const toRow = async (
    scope: Scope,
    entry: DeviceEntry,
    { title, stream: key, times, catchUp, active }: NewTimetable,
  ): Promise<Omit<TimetableRow, 'id' | 'workspaceId' | 'revision'>> => {
    const stream = streamOf(entry, key);
    if (!isControllable(stream))
      throw wrongField('stream', `"${stream.key}" is only reported by the device`, 'Choose a control.');
    const device = await oneIn(models.devices, scope.workspaceId, { rowId: entry.rowId });
    if (device === null) throw notFound('device', entry.id);
    const { sun } = timetablePlace(scope.workspace, device);
    for (const [i, { value, base }] of times.entries()) {
      const taken = takeWanted(stream, value);
      if (isRefusal(taken))
        throw wrongField(`times[${i}].value`, `was refused (${taken.reason})`, taken.hint);
      if (base !== 'clock' && sun === null)
        throw wrongField(
          `times[${i}].base`,
          `is ${base}, but nobody knows where the device is`,
          'Give the device a location, or the workspace one in Settings.',
        );
    }
    const sorted = times.map((time): SetTime => ({
      ...time,
      days: [...new Set(time.days)].sort((a, b) => a - b),
    }));
    const row = { deviceRowId: entry.rowId, workspaceId: scope.workspaceId, times: sorted, active };
    const next = await timetables.nextOf(row);
    timetables.plan(next?.at ?? null);
    return {
      deviceRowId: entry.rowId,
      streamId: stream.streamId,
      title,
      times: sorted,
      catchUp,
      active,
      nextAt: next?.at ?? null,
      note: '',
    };
  };
  return {
    listTimetables: async (call) => {
      const { scope, query } = call;
      const entry = query.device === undefined ? null : await deviceOf(parts, scope, String(query.device));
      return describe(
        scope,
        await pageIn(models.timetables, scope.workspaceId, call, {
          where: entry === null ? {} : { deviceRowId: entry.rowId },
          by: 'id',
          id: 'id',
        }),
      );
    },
    createTimetable: async ({ scope, params, body }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const count = await models.timetables.count({
        where: { deviceRowId: entry.rowId, workspaceId: scope.workspaceId },
      });
      if (count >= MOST_TIMETABLES)
        throw wrongField('title', `would be more than ${MOST_TIMETABLES} of one device`, 'Delete one first.');
      const row = await addTo(
        models.timetables,
        scope.workspaceId,
        await toRow(scope, entry, body as NewTimetable),
      );
      changed(scope, row.id);
      return (await describe(scope, [{ ...row, revision: 1 }]))[0]!;
    },
    readTimetable: async ({ scope, params }) =>
      (await describe(scope, [await rowOf(scope, params.timetable)]))[0]!,
    changeTimetable: async ({ scope, params, body }) => {
      const row = await rowOf(scope, params.timetable);
      const entry = await registry.byRow(row.deviceRowId);
      if (entry === null) throw notFound('timetable', params.timetable ?? '');
      const next = await toRow(scope, entry, body as NewTimetable);
      await changeIn(models.timetables, scope.workspaceId, { id: row.id }, next);
      changed(scope, row.id);
      return (await describe(scope, [{ ...row, ...next }]))[0]!;
    },
    deleteTimetable: async ({ scope, params }) => {
      const row = await rowOf(scope, params.timetable);
      await deleteIn(models.timetables, scope.workspaceId, { id: row.id });
      changed(scope, row.id);
    },
  };
}
