import {
  calendarBounds,
  calendarBuckets,
  fromSheetCell,
  readSheet,
  type ReportRow,
  isNumeric,
  StatisticsGatherer,
  takeReport,
  type CalendarStep,
} from '@peatmoor/core';
import type { CorrectionIn, Import, Imported } from '@peatmoor/contract';
import { unavailable, wrongField } from '../problems';
import type { DeviceEntry, DeviceStream } from '../registry';
import { addTo } from '../store/rows';
import { deviceOf, type ApiParts, type Handlers } from './context';
import { pageIn } from './pages';
import type { Scope } from './scope';
import { now as clockNow } from '../clock';
import { createTurns } from '../turns';
import { meetStored } from '../history/broughtBack';

/** Steps of the calendar in one answer at the most. */
const MOST_STEPS = 5000;
const MOST_ERRORS = 100;

type DataHandlers = Pick<
  Handlers,
  'calendar' | 'statistics' | 'importRows' | 'deleteReadings' | 'listCorrections'
>;

/** Looking back by the calendar, taking readings in from files, and correcting by hand. */
export function dataHandlers(parts: ApiParts): DataHandlers {
  const { store, history, journal, corrections, recent } = parts;
  return {
    calendar: async ({ scope, params, query }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const {
        stream: name,
        to,
        step,
        zone,
      } = query as {
        stream: string;
        to: number;
        step: CalendarStep;
        zone: string;
      };
      const from = backTo(scope, query.from as number, to);
      const stream = numericOf(entry, name);
      let bounds: number[];
      try {
        bounds = calendarBounds(from, to, step, zone, MOST_STEPS);
      } catch (error) {
        if (!(error instanceof RangeError)) throw error;
        throw wrongField(
          'step',
          `gives more than ${MOST_STEPS} steps`,
          'Take longer steps, or a shorter period.',
        );
      }
      const rollups = await history.rollups(stream, bounds);
      return { buckets: calendarBuckets(rollups, bounds) };
    },
    statistics: async ({ scope, params, query }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const { stream: name, to } = query as { stream: string; to: number };
      const from = backTo(scope, query.from as number, to);
      const stream = numericOf(entry, name);
      const gatherer = new StatisticsGatherer();
      for await (const [part] of history.parts([stream], from, to)) gatherer.add(part!);
      return gatherer.statistics();
    },
    importRows: async ({ scope, params, body }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const { accepted, result } = await readImport(entry, body as Import, scope.workspace.zone);
      if (body.try === true || accepted.length === 0) return result;
      if (!journal.takes()) throw unavailable();
      await meetStored({ store, history, recent }, accepted);
      for (const { stream, at, value } of accepted)
        if (typeof value === 'number') journal.add(scope.workspaceId, stream.seriesId, at, value);
        else
          journal.addOther(scope.workspaceId, {
            series: stream.seriesId,
            at,
            value,
            bytes: 200,
          });
      await new Promise<void>((resolve) => journal.onDurable(() => resolve()));
      return result;
    },
    deleteReadings: async ({ scope, params, body }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const { stream: name, from = null, to = null, try: only = false } = body as CorrectionIn;
      const stream = streamOf(entry, name);
      const period = { from: from ?? -Infinity, to: to ?? Infinity };
      if (only) return { count: await corrections.count(entry, stream, period) };
      const count = await corrections.remove(entry, stream, period);
      await addTo(store.models.corrections, scope.workspaceId, {
        deviceRowId: entry.rowId,
        streamKey: stream.key,
        fromAt: from,
        toAt: to,
        count,
        userName: scope.userName,
        madeAt: clockNow(),
      });
      recent.forgetNewest(stream.seriesId);
      parts.bus.emit('definitions', { workspaceId: scope.workspaceId, deviceRowId: entry.rowId });
      parts.bus.emit('live', {
        workspaceId: scope.workspaceId,
        message: { type: 'past', device: entry.id, streams: [stream.key] },
      });
      await parts.recomputing.pastChanged(entry, stream, body.from ?? -Infinity, scope.userName);
      return { count };
    },
    listCorrections: async (call) => {
      const { scope, params, query } = call;
      const entry = await deviceOf(parts, scope, params.device);
      const rows = await pageIn(store.models.corrections, scope.workspaceId, call, {
        where: {
          deviceRowId: entry.rowId,
          ...(query.stream !== undefined && { streamKey: String(query.stream) }),
        },
        by: 'id',
        id: 'id',
        direction: 'DESC',
      });
      return rows.map(({ id, streamKey, fromAt, toAt, count, userName, madeAt }) => ({
        id,
        stream: streamKey,
        from: fromAt,
        to: toAt,
        count,
        by: userName,
        at: madeAt,
      }));
    },
  };
}

/** From when a caller is shown readings: a visitor looks back as far as the link says, and no further. */
export function backTo({ visit }: Pick<Scope, 'visit'>, from: number, to: number): number {
  if (visit === null || visit.backMs === null) return from;
  return Math.min(to, Math.max(from, clockNow() - visit.backMs));
}

/** The datastream a call names, or 422 with the nearest. */
export function streamOf(entry: DeviceEntry, name: string): DeviceStream {
  const stream = entry.names.find(name);
  if (stream !== undefined) return stream;
  const nearest = entry.names.nearest(name);
  throw wrongField(
    'stream',
    `: "${name}" is not a datastream of ${entry.name}`,
    nearest === undefined ? 'See its kind for what there is.' : `The nearest is "${nearest}".`,
  );
}

/** The same for one whose values are kept as numbers. */
export function numericOf(entry: DeviceEntry, name: string): DeviceStream {
  const stream = streamOf(entry, name);
  if (isNumeric(stream)) return stream;
  throw wrongField('stream', `"${stream.key}" is of type ${stream.type}`, 'Choose a datastream of numbers.');
}

/** Matches an import row by row, so that each refusal can name its row. Nothing is stored yet. */
async function readImport(
  entry: DeviceEntry,
  { csv, firstRow, zone, form }: Import,
  usualZone: string,
): Promise<{ accepted: ReturnType<typeof takeReport<DeviceStream>>['accepted']; result: Imported }> {
  const sheet = readSheet(csv, entry.names, entry.streams, {
    zone: zone ?? usualZone,
    firstRow,
    ...(form !== undefined && { form }),
  });
  if (typeof sheet === 'string')
    throw wrongField('csv', `: ${sheet}`, 'Correct the file and import it again.');
  const now = clockNow();
  const accepted: ReturnType<typeof takeReport<DeviceStream>>['accepted'] = [];
  const errors: Imported['errors'] = [];
  let refused = 0;
  let rows = 0;
  const turn = createTurns();
  for (const row of sheet.rows) {
    rows++;
    await turn();
    const taken =
      'refused' in row
        ? { accepted: [], refusedCount: 1, refused: [row.refused] }
        : takeReport(
            entry.names,
            { rows: [{ at: row.at, values: row.values.map(fromCell) }], number: null },
            now,
          );
    for (const one of taken.accepted)
      // An export says where between two milliseconds a reading lies.
      accepted.push(
        'at' in row && typeof row.at === 'number' && row.at % 1 !== 0 ? { ...one, at: row.at } : one,
      );
    refused += taken.refusedCount;
    for (const { name, reason, hint } of taken.refused)
      if (errors.length < MOST_ERRORS) errors.push({ row: row.line, name, reason, hint });
  }
  return {
    accepted,
    result: { rows, accepted: accepted.length, refused, errors, notes: sheet.notes() },
  };
}

/** A value as a spreadsheet kept it. */
function fromCell([name, raw, unit]: ReportRow['values'][number]): ReportRow['values'][number] {
  const value = typeof raw === 'string' ? fromSheetCell(raw) : raw;
  return unit === undefined ? [name, value] : [name, value, unit];
}
