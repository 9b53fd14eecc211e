import { keptUnitOf, showUnit } from '@peatmoor/core';
import type { MoveDevices, MovedDevices } from '@peatmoor/contract';
import type { Transaction } from 'sequelize';
import { wrongField } from '../problems';
import type { DeviceRow, KindRow, SeriesRow, StreamRow } from '../store/models';
import { changeIn, deleteIn, listIn } from '../store/rows';
import { demandNoClash } from '../rules/clashes';
import type { Store } from '../store/store';
import type { ApiParts } from './context';
import { deleteSeries } from '../history/deleting';

interface Moved extends MovedDevices {
  rowIds: number[];
  /** Kinds that devices came from. */
  from: number[];
}

/** Readings of a series, those in the journal's tail not counted. */
async function countFolded(store: Store, seriesId: number): Promise<number> {
  return store.withConnection(async (connection) => {
    const [row] = (await connection.query(
      `SELECT COALESCE((SELECT SUM(count) FROM chunks WHERE seriesId = ?), 0)
        + (SELECT COUNT(*) FROM texts WHERE seriesId = ?) + (SELECT COUNT(*) FROM locations WHERE seriesId = ?)
        + (SELECT COUNT(*) FROM images WHERE seriesId = ?) AS count`,
      [seriesId, seriesId, seriesId, seriesId],
    )) as { count: number }[];
    return Number(row!.count);
  });
}

/** Readings of each of some series; what is not folded yet counts too. */
export async function countReadings(
  { store, recent }: Pick<ApiParts, 'store' | 'recent'>,
  series: readonly Pick<SeriesRow, 'id'>[],
): Promise<number[]> {
  return Promise.all(
    series.map(async ({ id }) => (await countFolded(store, id)) + recent.of(id).times.length),
  );
}

/**
 * Moves devices to a kind. History of datastreams with the same key and type goes along; the rest is told first (`try`)
 * and deleted with the move.
 */
export async function moveDevices(
  { store, folding }: ApiParts,
  workspaceId: number,
  kind: KindRow,
  { devices: ids, try: only }: MoveDevices,
): Promise<Moved> {
  const { models } = store;
  const rows = await listIn(models.devices, workspaceId, { where: { id: ids } });
  const strange = ids.find((id) => !rows.some((row) => row.id === id));
  if (strange !== undefined)
    throw wrongField('devices', `: "${strange}" is not a device of this workspace`, 'Choose its devices.');
  await folding.settled();
  const target = await listIn(models.streams, workspaceId, { where: { kindId: kind.id } });
  const result: Moved = { moved: 0, keeps: [], loses: [], rowIds: [], from: [] };
  const keeps = new Set<string>();
  const plans: { row: DeviceRow; kept: [SeriesRow, StreamRow][]; lost: SeriesRow[] }[] = [];
  for (const row of rows) {
    if (row.kindId === kind.id) continue;
    const before = await listIn(models.streams, workspaceId, { where: { kindId: row.kindId } });
    const series = await listIn(models.series, workspaceId, { where: { deviceRowId: row.rowId } });
    const plan: (typeof plans)[number] = { row, kept: [], lost: [] };
    for (const one of series) {
      const stream = before.find(({ id }) => id === one.streamId);
      const same = target.find(({ key, type }) => key === stream?.key && type === stream.type);
      if (same !== undefined) {
        await checkUnits(store, one, stream!, same);
        plan.kept.push([one, same]);
        keeps.add(same.key);
        continue;
      }
      plan.lost.push(one);
      const readings = await countFolded(store, one.id);
      if (readings > 0) result.loses.push({ device: row.id, stream: stream?.key ?? '?', readings });
    }
    plans.push(plan);
  }
  result.keeps = [...keeps];
  result.moved = plans.length;
  if (only) return result;
  for (const { row, kept, lost } of plans)
    await store.transaction(async (transaction) => {
      await moveOne(store, workspaceId, kind, row, kept, lost, transaction);
      await demandNoClash(store, workspaceId, transaction);
    });
  result.rowIds = plans.map(({ row }) => row.rowId);
  result.from = plans.map(({ row }) => row.kindId);
  return result;
}

/** Readings keep the unit they are in: they cannot go along to where the same numbers would be called something else. */
async function checkUnits(store: Store, series: SeriesRow, from: StreamRow, to: StreamRow): Promise<void> {
  const [before, after] = [keptUnitOf(from), keptUnitOf(to)];
  if (before === null || after === null || before === after) return;
  if ((await countFolded(store, series.id)) === 0) return;
  throw wrongField(
    'devices',
    `have readings of "${from.key}" in ${showUnit(before)}, which would become ${showUnit(after)}`,
    'Give both datastreams the same unit first.',
  );
}

async function moveOne(
  store: Store,
  workspaceId: number,
  kind: KindRow,
  row: DeviceRow,
  kept: [SeriesRow, StreamRow][],
  lost: SeriesRow[],
  transaction: Transaction,
): Promise<void> {
  const { models } = store;
  for (const [series, stream] of kept)
    await changeIn(models.series, workspaceId, { id: series.id }, { streamId: stream.id }, transaction);
  await deleteSeries(
    store,
    lost.map(({ id }) => id),
    transaction,
  );
  // Commands, calibrations and event rules speak of datastreams of the kind before.
  for (const { streamId } of lost) {
    await deleteIn(models.commands, workspaceId, { deviceRowId: row.rowId, streamId }, transaction);
    await deleteIn(models.calibrations, workspaceId, { deviceRowId: row.rowId, streamId }, transaction);
  }
  for (const [{ streamId }, stream] of kept)
    for (const table of [models.commands, models.calibrations] as (typeof models.commands)[])
      await changeIn(
        table,
        workspaceId,
        { deviceRowId: row.rowId, streamId },
        { streamId: stream.id },
        transaction,
      );
  await changeIn(models.devices, workspaceId, { rowId: row.rowId }, { kindId: kind.id }, transaction);
}
