import {
  applyCalibration,
  calibrate,
  checkCalibration,
  errorPercent,
  isScalar,
  type Calibration,
} from '@peatmoor/core';
import type { CalibrationPreview, KeptCalibration } from '@peatmoor/contract';
import { notFound, wrongField } from '../problems';
import type { DeviceEntry } from '../registry';
import type { CalibrationRow } from '../store/models';
import { addTo, deleteIn, oneIn } from '../store/rows';
import { deviceOf, numberOf, type ApiParts, type Handlers } from './context';
import { numericOf, streamOf } from './data';
import { pageIn } from './pages';
import type { Scope } from './scope';
import { now as clockNow } from '../clock';

/** Newest readings that a preview shows at the most, and how far back it looks. */
const PREVIEW_READINGS = 20;
const PREVIEW_MS = 30 * 86_400_000;

type CalibrationHandlers = Pick<Handlers, 'listCalibrations' | 'createCalibration' | 'deleteCalibration'>;

/** Making values right, on the way out: what is stored stays as it came. */
export function calibrationHandlers(parts: ApiParts): CalibrationHandlers {
  const { store, bus, history, recomputing } = parts;
  const { calibrations } = store.models;
  const changed = (scope: Scope, entry: DeviceEntry): void => {
    bus.emit('definitions', { workspaceId: scope.workspaceId, deviceRowId: entry.rowId });
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'devices', id: entry.id, by: scope.userName },
    });
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'past', device: entry.id, streams: entry.streams.map(({ key }) => key) },
    });
  };
  return {
    listCalibrations: async (call) => {
      const { scope, params, query } = call;
      const entry = await deviceOf(parts, scope, params.device);
      const rows = await pageIn(calibrations, scope.workspaceId, call, {
        where: {
          deviceRowId: entry.rowId,
          ...(query.stream !== undefined && { streamId: streamOf(entry, String(query.stream)).streamId }),
        },
        by: 'id',
        id: 'id',
        direction: 'DESC',
      });
      return rows.map((row) => toKept(row, entry));
    },
    createCalibration: async ({ scope, params, body }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const stream = numericOf(entry, body.stream);
      if (!isScalar(stream))
        throw wrongField(
          'stream',
          `"${stream.key}" is of type ${stream.type}`,
          'Only numbers can be calibrated.',
        );
      if (stream.computation !== null)
        throw wrongField('stream', `"${stream.key}" is computed`, 'Calibrate what it is computed from.');
      const wrong = checkCalibration(body.calibration as Calibration);
      if (wrong !== null)
        throw wrongField('calibration', `: ${wrong}`, 'Correct it, and look at the preview.');
      const calibration = body.calibration as Calibration;
      const to = clockNow() + 1;
      const raw = await history.readings(
        { seriesId: stream.seriesId, calibrations: [] },
        to - PREVIEW_MS,
        to,
      );
      const start = Math.max(0, raw.times.length - PREVIEW_READINGS);
      const preview: CalibrationPreview['preview'] = raw.times.slice(start).map((at, i) => {
        const measured = raw.values[start + i]!;
        return [at, measured, applyCalibration(calibration, measured)];
      });
      if (body.try === true) return { kept: null, preview };
      const row = await addTo(calibrations, scope.workspaceId, {
        deviceRowId: entry.rowId,
        streamId: stream.streamId,
        fromAt: body.from ?? null,
        calibration,
        captured: body.captured ?? null,
        userName: scope.userName,
        madeAt: clockNow(),
      });
      changed(scope, entry);
      await recomputing.pastChanged(entry, stream, row.fromAt ?? -Infinity, scope.userName);
      return { kept: toKept(row, entry), preview };
    },
    deleteCalibration: async ({ scope, params }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const id = numberOf(params.calibration, 'calibration');
      const row = await oneIn(calibrations, scope.workspaceId, { id, deviceRowId: entry.rowId });
      if (row === null) throw notFound('calibration', params.calibration ?? '');
      await deleteIn(calibrations, scope.workspaceId, { id: row.id });
      changed(scope, entry);
      const stream = entry.streams.find(({ streamId }) => streamId === row.streamId);
      if (stream !== undefined)
        await recomputing.pastChanged(entry, stream, row.fromAt ?? -Infinity, scope.userName);
    },
  };
}

function toKept(row: CalibrationRow, entry: DeviceEntry): KeptCalibration {
  const stream = entry.streams.find(({ streamId }) => streamId === row.streamId);
  const { captured } = row;
  const steps = (stream?.keptSteps ?? []).filter(({ from }) => from !== row.fromAt);
  return {
    id: row.id,
    stream: stream?.key ?? '?',
    calibration: row.calibration,
    from: row.fromAt,
    captured,
    errorBefore:
      captured === null
        ? null
        : errorPercent(calibrate(steps, row.madeAt, captured.measured), captured.reference),
    errorAfter:
      captured === null
        ? null
        : errorPercent(applyCalibration(row.calibration, captured.measured), captured.reference),
    by: row.userName,
    at: row.madeAt,
  };
}
