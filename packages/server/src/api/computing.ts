import { compute, type Computing, type Datastream } from '@peatmoor/core';
import { streamSchema, type NewStream, type Recomputation, type Tried } from '@peatmoor/contract';
import { inputsOver } from '../computing/work';
import { targetsOf, type Target } from '../computing/targets';
import { readyComputation } from '../definitions/computations';
import { conflict, notFound, wrongField } from '../problems';
import type { DeviceEntry } from '../registry';
import type { StreamRow } from '../store/models';
import { listIn, oneIn } from '../store/rows';
import { deviceOf, numberOf, type ApiParts, type Handlers } from './context';
import { pageOf } from './pages';
import type { Scope } from './scope';

const PREVIEW_VALUES = 20;
const PREVIEW_MS = 86_400_000;
const MOST_LISTED = 500;

type ComputingHandlers = Pick<Handlers, 'tryComputation' | 'recompute' | 'listRecomputations'>;

/** Computed datastreams: trying one, and working one out over history. */
export function computingHandlers(parts: ApiParts): ComputingHandlers {
  const { store, registry, recomputing } = parts;
  const { models } = store;
  const streamsOf = async (scope: Scope, kindText: string | undefined): Promise<StreamRow[]> => {
    const kind = await oneIn(models.kinds, scope.workspaceId, { id: numberOf(kindText, 'kind') });
    if (kind === null) throw notFound('kind', kindText ?? '');
    return listIn(models.streams, scope.workspaceId, { where: { kindId: kind.id }, order: ['id'] });
  };
  const computedOf = async (scope: Scope, params: Record<string, string>): Promise<StreamRow> => {
    const stream = (await streamsOf(scope, params.kind)).find(({ key }) => key === params.stream);
    if (stream === undefined) throw notFound('datastream', params.stream ?? '');
    return stream;
  };
  return {
    tryComputation: async ({ scope, params, body }) => {
      const streams = await streamsOf(scope, params.kind);
      const stream = streamSchema.cast(body.stream) as NewStream;
      if (stream.computation === null)
        throw wrongField('stream.computation', 'is missing', 'Say how it is computed.');
      const all = [...streams.filter(({ key }) => key !== stream.key), stream] as Datastream[];
      const computing = readyComputation(stream, all, 'stream.');
      const device = await previewDevice(parts, scope, Number(params.kind), body.device);
      if (device === null) return { inputs: computing.inputs, device: null, preview: [] };
      const preview = await previewOf(parts, device, computing);
      return { inputs: computing.inputs, device: device.id, preview };
    },
    recompute: async ({ scope, params, body }) => {
      const stream = await computedOf(scope, params);
      if (stream.computation === null)
        throw conflict(`"${stream.key}" is not computed: what it has came from devices, and stays as it is.`);
      const rows = await listIn(models.devices, scope.workspaceId, { where: { kindId: stream.kindId } });
      const chosen = body.device === undefined ? rows : rows.filter(({ id }) => id === body.device);
      if (body.device !== undefined && chosen.length === 0)
        throw wrongField(
          'device',
          `"${body.device}" is not a device of this kind`,
          'Choose one of them, or none for all.',
        );
      const entries = await Promise.all(chosen.map(({ rowId }) => registry.byRow(rowId)));
      const targets = entries.flatMap((entry): Target[] =>
        entry === null ? [] : targetsOf(entry).filter((one) => one.stream.streamId === stream.id),
      );
      await recomputing.request(targets, -Infinity, scope.userName);
      return { devices: targets.length };
    },
    listRecomputations: async (call) => {
      const { scope, params, query } = call;
      const stream = await computedOf(scope, params);
      const rows = await listIn(models.recomputations, scope.workspaceId, {
        where: { streamId: stream.id },
        order: [['id', 'DESC']],
        limit: MOST_LISTED,
      });
      const newest = rows.filter((row, i) => rows.findIndex((one) => one.seriesId === row.seriesId) === i);
      const entries = await Promise.all(newest.map(({ deviceRowId }) => registry.byRow(deviceRowId)));
      const all = newest.map((row, i): Recomputation => ({
        device: entries[i]?.id ?? '?',
        state: row.state,
        doneDays: row.doneDays,
        days: row.days,
        note: row.note,
        by: row.userName,
        at: row.madeAt,
        endedAt: row.endedAt,
      }));
      return pageOf(
        call,
        all.filter(
          ({ device, state }) =>
            device === (query.device ?? device) &&
            state === ((query.state as typeof state | undefined) ?? state),
        ),
        ({ device }) => device,
      );
    },
  };
}

async function previewDevice(
  parts: ApiParts,
  scope: Scope,
  kindId: number,
  id: string | undefined,
): Promise<DeviceEntry | null> {
  if (id !== undefined) return deviceOf(parts, scope, id);
  const rows = await listIn(parts.store.models.devices, scope.workspaceId, {
    where: { kindId },
    order: [['lastSeenAt', 'DESC']],
    limit: 1,
  });
  return rows[0] === undefined ? null : parts.registry.byRow(rows[0].rowId);
}

/** The newest outputs of a computation over the last day that its inputs have readings of. */
async function previewOf(
  parts: ApiParts,
  entry: DeviceEntry,
  computing: Computing,
): Promise<Tried['preview']> {
  const inputs = entry.streams.filter(({ key }) => computing.inputs.includes(key));
  let newest = -Infinity;
  for (const input of inputs)
    newest = Math.max(newest, (await parts.history.nearest(input, Infinity, 'before'))?.at ?? -Infinity);
  if (newest === -Infinity) return [];
  const from = newest - PREVIEW_MS;
  const target = { entry, inputs, computing, stream: inputs[0]! };
  const material = await inputsOver(parts.history, target, from, newest, Infinity);
  const { times, values } = compute(computing, { inputs: material!, from, prior: null });
  return times.slice(-PREVIEW_VALUES).map((at, i) => [at, values.slice(-PREVIEW_VALUES)[i]!]);
}
