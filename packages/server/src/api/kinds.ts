import { group } from 'd3-array';
import { counted } from '@peatmoor/core';
import {
  type Effect,
  type Kind,
  type KindIn,
  type MoveDevices,
  type NewStream,
  type PastUnit,
  type Stream,
} from '@peatmoor/contract';
import { sum } from 'd3-array';
import { Op, type Transaction, type WhereOptions } from 'sequelize';
import { checkComputations, checkFollows, streamsAfter } from '../definitions/computations';
import { createKind, keepStream, titleFor, toRow } from '../definitions/kind';
import { keepUnitChange, unitChangeOf, type UnitChange } from '../definitions/unitChange';
import { deleteSeries } from '../history/deleting';
import { now as clockNow } from '../clock';
import { conflict, notFound } from '../problems';
import { tellRules } from '../rules/tell';
import { kindsSeen, narrowedKind } from '../sharing/kinds';
import type { KindRow, RuleRow, StreamRow } from '../store/models';
import { afterCommit } from '../store/ambient';
import { addTo, changeIn, deleteIn, findAll, listIn, oneIn } from '../store/rows';
import type { Store } from '../store/store';

import { numberOf, type ApiParts, type Handlers } from './context';
import { tellGone } from '../definitions/gone';
import { countReadings, moveDevices } from './moving';
import { pageIn } from './pages';
import { containsAnyCase } from '../store/filters';
import type { Scope } from './scope';

type KindHandlers = Pick<
  Handlers,
  | 'listKinds'
  | 'createKind'
  | 'readKind'
  | 'changeKind'
  | 'deleteKind'
  | 'copyKind'
  | 'moveDevices'
  | 'streamEffect'
  | 'createStream'
  | 'changeStream'
  | 'deleteStream'
>;

export function kindHandlers(parts: ApiParts): KindHandlers {
  const { store, bus, recent } = parts;
  const { models } = store;
  const changed = (scope: Scope, kindId: number): void => {
    bus.emit('definitions', { workspaceId: scope.workspaceId, kindId });
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'kinds', id: kindId, by: scope.userName },
    });
  };
  const kindOf = async (scope: Scope, text: string | undefined): Promise<KindRow> => {
    const kind = await oneIn(models.kinds, scope.workspaceId, { id: numberOf(text, 'kind') });
    if (kind === null) throw notFound('kind', text ?? '');
    return kind;
  };
  const streamOf = async (kind: KindRow, key: string | undefined): Promise<StreamRow> => {
    const stream = await oneIn(models.streams, kind.workspaceId, { kindId: kind.id, key: key ?? '' });
    if (stream === null) throw notFound('datastream', key ?? '');
    return stream;
  };
  const effectOf = async (scope: Scope, stream: StreamRow): Promise<Effect> => {
    const series = await listIn(models.series, scope.workspaceId, { where: { streamId: stream.id } });
    const counts = await countReadings(parts, series);
    return { devices: counts.filter((count) => count > 0).length, readings: sum(counts) };
  };
  const read = async (kind: KindRow): Promise<Kind> => (await withStreams(store, [kind]))[0]!;

  return {
    listKinds: async (call) => {
      const seen = await kindsSeen(store, call.scope);
      const kinds = await pageIn(models.kinds, call.scope.workspaceId, call, {
        where: {
          ...(seen !== null && { id: [...seen.keys()] }),
          ...(call.query.text !== undefined && {
            [Op.and]: containsAnyCase('title', String(call.query.text)),
          }),
        } as WhereOptions<KindRow>,
        by: 'title',
        id: 'id',
      });
      return (await withStreams(store, kinds)).map((kind) => narrowedKind(seen, kind));
    },
    createKind: async ({ scope, body }) => {
      const kind = await store.transaction((transaction) =>
        createKind(store, scope.workspaceId, body, transaction),
      );
      changed(scope, kind.id);
      return read(kind);
    },
    readKind: async ({ scope, params }) => {
      const seen = await kindsSeen(store, scope);
      const kind = await kindOf(scope, params.kind);
      if (seen !== null && !seen.has(kind.id)) throw notFound('kind', params.kind ?? '');
      return narrowedKind(seen, await read(kind));
    },
    changeKind: async (call) => {
      const { scope, params, body } = call;
      const kind = await kindOf(scope, params.kind);
      const change = Object.fromEntries(Object.entries(body).filter(([, value]) => value !== undefined));
      const keep = (transaction?: Transaction): Promise<number> =>
        changeIn(models.kinds, scope.workspaceId, { id: kind.id }, change, transaction);
      if (body.title !== undefined && body.title !== kind.title)
        await store.transaction(async (transaction) => {
          await titleFor(store, scope.workspaceId, body.title!, { transaction, except: kind.id });
          await keep(transaction);
        });
      else if (Object.keys(change).length > 0) await store.alone(() => keep());
      changed(scope, kind.id);
      const after = await read({ ...kind, ...change });
      const { title, intervalS, acceptNew, notes, board, icon } = kind;
      call.before = { ...after, title, intervalS, acceptNew, notes, board, icon };
      return after;
    },
    deleteKind: async ({ scope, params }) => {
      const kind = await kindOf(scope, params.kind);
      const devices = await models.devices.count({
        where: { kindId: kind.id, workspaceId: scope.workspaceId },
      });
      if (devices > 0)
        throw conflict(
          `${counted(devices, 'device is', 'devices are')} of the kind "${kind.title}". Delete them first.`,
        );
      await store.transaction(async (transaction) => {
        const target = String(kind.id);
        await deleteIn(models.mutes, scope.workspaceId, { sort: 'kind', target }, transaction);
        await deleteIn(models.kinds, scope.workspaceId, { id: kind.id }, transaction);
      });
      tellGone(bus, { workspaceId: scope.workspaceId, kinds: [kind.id], rules: 'all' });
      changed(scope, kind.id);
    },
    copyKind: async ({ scope, params, body }) => {
      const {
        title: _title,
        id: _id,
        devices: _devices,
        version: _version,
        streams,
        ...rest
      } = await read(await kindOf(scope, params.kind));
      const copied = streams.map(({ id: _stream, unconfirmed: _new, ...stream }) => stream);
      const kind = await store.transaction((transaction) =>
        createKind(
          store,
          scope.workspaceId,
          { ...rest, title: body.title, streams: copied } as KindIn,
          transaction,
        ),
      );
      changed(scope, kind.id);
      return read(kind);
    },
    moveDevices: async ({ scope, params, body }) => {
      const kind = await kindOf(scope, params.kind);
      const { rowIds, from, ...told } = await moveDevices(
        parts,
        scope.workspaceId,
        kind,
        body as MoveDevices,
      );
      if (body.try === true) return told;
      bus.emit('rules', { workspaceId: scope.workspaceId });
      for (const id of new Set([kind.id, ...from])) changed(scope, id);
      for (const rowId of rowIds)
        bus.emit('definitions', { workspaceId: scope.workspaceId, deviceRowId: rowId });
      return told;
    },
    streamEffect: async ({ scope, params }) =>
      effectOf(scope, await streamOf(await kindOf(scope, params.kind), params.stream)),
    createStream: async ({ scope, params, body }) => {
      const kind = await kindOf(scope, params.kind);
      const made = { ...toRow(body as NewStream), kindId: kind.id } as StreamRow;
      const after = await streamsAfter(store, scope.workspaceId, kind.id, (streams) => [...streams, made]);
      checkComputations(after, made.key);
      checkFollows(after, made.key);
      const stream = await keepStream(body as NewStream, () =>
        addTo(models.streams, scope.workspaceId, { ...toRow(body as NewStream), kindId: kind.id }),
      );
      changed(scope, kind.id);
      return toStream(stream);
    },
    changeStream: async (call) => {
      const { scope, params, body } = call;
      const kind = await kindOf(scope, params.kind);
      const stream = await streamOf(kind, params.stream);
      call.before = toStream(stream);
      const { past, ...wanted } = body as NewStream & { past?: PastUnit };
      let next = toRow(wanted);
      if (next.type !== stream.type) {
        const series = await findAll(models.series, { where: { streamId: stream.id } });
        if (series.some(({ id, newestAt }) => newestAt !== null || recent.newest(id) !== undefined)) {
          await parts.folding.settled();
          const { readings, devices } = await effectOf(scope, stream);
          throw conflict(
            `"${stream.key}" has ${counted(readings, 'reading')} of type ${stream.type} on ${counted(devices, 'device')} already. Make a new datastream for ${next.type} values, so that they keep their meaning.`,
          );
        }
      }
      if (next.key !== stream.key && !next.aliases.includes(stream.key))
        next.aliases = [...next.aliases, stream.key];
      const after = await streamsAfter(store, scope.workspaceId, kind.id, (streams) =>
        streams.map((one) => (one.id === stream.id ? { ...one, ...next } : one)),
      );
      checkComputations(after, next.key);
      checkFollows(after, next.key);
      const units = await unitChangeOf(store, scope.workspaceId, {
        stream,
        next,
        past,
        sends: wanted.sentUnit,
        effect: async () => {
          await parts.folding.settled();
          return effectOf(scope, stream);
        },
      });
      next = units.next;
      await keepStream(next, () =>
        store.transaction((transaction) => keepUnitChange(store, stream, units, transaction)),
      );
      if (next.key !== stream.key) await renameUses(scope, kind.id, stream.key, next.key);
      changed(scope, kind.id);
      if (next.unit !== stream.unit) await tellUnit(scope, kind.id, next.key, units);
      return toStream({ ...stream, ...next });
    },
    deleteStream: async (call) => {
      const { scope, params } = call;
      const kind = await kindOf(scope, params.kind);
      const stream = await streamOf(kind, params.stream);
      call.before = toStream(stream);
      const after = await streamsAfter(store, scope.workspaceId, kind.id, (streams) =>
        streams.filter(({ id }) => id !== stream.id),
      );
      checkComputations(after, '');
      checkFollows(after, '');
      await store.transaction(async (transaction) => {
        const series = await listIn(models.series, scope.workspaceId, {
          where: { streamId: stream.id },
          transaction,
        });
        await deleteSeries(
          store,
          series.map(({ id }) => id),
          transaction,
        );
        await deleteIn(models.commands, scope.workspaceId, { streamId: stream.id }, transaction);
        for (const table of ['overrides', 'runs', 'boardHas'])
          await store.sequelize.query(`DELETE FROM ${table} WHERE streamId = ? AND workspaceId = ?`, {
            replacements: [stream.id, scope.workspaceId],
            transaction,
          });
        await deleteIn(models.recomputations, scope.workspaceId, { streamId: stream.id }, transaction);
        await deleteIn(models.streams, scope.workspaceId, { id: stream.id }, transaction);
      });
      parts.clearing.wake();
      bus.emit('rules', { workspaceId: scope.workspaceId });
      changed(scope, kind.id);
    },
  };

  /** Rules begin anew, as what they remember is in the unit before; pages read the past again. */
  async function tellUnit(scope: Scope, kindId: number, key: string, units: UnitChange): Promise<void> {
    const { workspaceId } = scope;
    for (const { id } of units.rules) bus.emit('rules', { workspaceId, ruleId: id });
    const at = clockNow();
    if (units.rules.length > 0)
      await afterCommit(() =>
        tellRules(
          parts,
          workspaceId,
          units.rules.map(({ id }) => ({ kind: 'rule-changed', rule: id, at })),
        ),
      );
    for (const { row } of units.dashboards)
      bus.emit('live', {
        workspaceId,
        message: { type: 'changed', what: 'dashboards', id: row.id, by: scope.userName },
      });
    const devices = await listIn(models.devices, workspaceId, { where: { kindId }, attributes: ['id'] });
    for (const { id } of devices)
      bus.emit('live', { workspaceId, message: { type: 'past', device: id, streams: [key] } });
  }

  /** Rules that speak of a renamed datastream go on speaking of it. */
  async function renameUses(scope: Scope, kindId: number, before: string, after: string): Promise<void> {
    const rules = await listIn(models.rules, scope.workspaceId, {
      where: { streamKey: before, sort: { [Op.ne]: 'raised' } } as WhereOptions<RuleRow>,
    });
    const devices = await listIn(models.devices, scope.workspaceId, {
      where: { kindId, rowId: rules.flatMap(({ deviceRowId }) => deviceRowId ?? []) },
      attributes: ['rowId'],
    });
    const ofKind = new Set(devices.map(({ rowId }) => rowId));
    for (const rule of rules)
      if (rule.kindId === kindId || ofKind.has(rule.deviceRowId ?? 0))
        await changeIn(models.rules, scope.workspaceId, { id: rule.id }, { streamKey: after });
    bus.emit('rules', { workspaceId: scope.workspaceId });
  }
}

export function toStream(row: StreamRow): Stream {
  const { workspaceId: _workspace, kindId: _kind, ...stream } = row;
  return stream;
}

async function withStreams(store: Store, kinds: KindRow[]): Promise<Kind[]> {
  const ids = kinds.map(({ id }) => id);
  const workspaces = [...new Set(kinds.map(({ workspaceId }) => workspaceId))];
  const where = { kindId: ids, workspaceId: workspaces };
  const streams = group(
    await findAll(store.models.streams, { where, order: ['id'] }),
    ({ kindId }) => kindId,
  );
  const counts = await store.models.devices.count({ where, group: ['kindId'] });
  const devices = new Map(counts.map(({ kindId, count }) => [kindId as number, count]));
  return kinds.map(({ id, title, intervalS, acceptNew, notes, board, icon, revision }) => ({
    id,
    title,
    intervalS,
    acceptNew,
    notes,
    board,
    icon,
    version: revision,
    streams: (streams.get(id) ?? []).map(toStream),
    devices: devices.get(id) ?? 0,
  }));
}
