import { demandNoClash } from '../rules/clashes';
import { Op, type WhereOptions } from 'sequelize';
import type { Device } from '@peatmoor/contract';
import { createDevice } from '../definitions/device';
import { tellGone } from '../definitions/gone';
import { deleteDevices } from '../history/deleting';
import { conflict } from '../problems';
import { devicesSeen } from '../sharing/reach';
import type { DeviceRow } from '../store/models';
import { changeIn, deleteIn, listIn, oneIn } from '../store/rows';
import { describeDevices, rowOfDevice } from './describeDevices';
import { readDeviceList } from './manyDevices';
import type { ApiParts, Handlers } from './context';
import { pageIn } from './pages';
import { contains, containsAnyCase } from '../store/filters';
import type { Scope } from './scope';

type DeviceHandlers = Pick<
  Handlers,
  'listDevices' | 'createDevice' | 'createDevices' | 'readDevice' | 'changeDevice' | 'deleteDevice'
>;

export function deviceHandlers(parts: ApiParts): DeviceHandlers {
  const { store, bus, clearing } = parts;
  const { models } = store;
  const changed = (scope: Scope, deviceRowId: number, id: string): void => {
    bus.emit('definitions', { workspaceId: scope.workspaceId, deviceRowId });
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'devices', id, by: scope.userName },
    });
  };
  const one = async (scope: Scope, id: string | undefined): Promise<Device> =>
    (await describeDevices(parts, scope, [await rowOfDevice(parts, scope, id)]))[0]!;

  return {
    listDevices: async (call) =>
      describeDevices(
        parts,
        call.scope,
        await pageIn(models.devices, call.scope.workspaceId, call, {
          where: await filterOf(parts, call.scope, call.query),
          by: 'name',
          id: 'rowId',
        }),
      ),
    createDevice: async ({ scope, body }) => {
      const made = await createDevice(store, scope.workspaceId, body);
      changed(scope, made.row.rowId, made.row.id);
      return { device: await one(scope, made.row.id), token: made.token };
    },
    createDevices: async ({ scope, body }) => {
      const rows = await readDeviceList(store, scope.workspaceId, body.csv);
      const made = await store.transaction(async (transaction) => {
        const list: { id: string; name: string; token: string; row: DeviceRow }[] = [];
        for (const device of rows) {
          const { row, token } = await createDevice(store, scope.workspaceId, device, transaction);
          list.push({ id: row.id, name: row.name, token, row });
        }
        return list;
      });
      for (const { row } of made) changed(scope, row.rowId, row.id);
      return made.map(({ id, name, token }) => ({ id, name, token }));
    },
    readDevice: async ({ scope, params }) => one(scope, params.device),
    changeDevice: async ({ scope, params, body }) => {
      const row = await rowOfDevice(parts, scope, params.device);
      const change = Object.fromEntries(
        Object.entries(body).filter(([, value]) => value !== undefined),
      ) as Partial<DeviceRow>;
      if (Object.keys(change).length > 0)
        await store.transaction(async (transaction) => {
          await changeIn(models.devices, scope.workspaceId, { rowId: row.rowId }, change, transaction);
          if (change.labels !== undefined) await demandNoClash(store, scope.workspaceId, transaction);
        });
      changed(scope, row.rowId, row.id);
      return one(scope, params.device);
    },
    deleteDevice: async ({ scope, params }) => {
      const { rowId, id, name } = await rowOfDevice(parts, scope, params.device);
      const { putOff } = parts;
      const behind = (
        await listIn(models.devices, scope.workspaceId, { where: { gatewayRowId: rowId } })
      ).filter((one) => putOff?.has(one.rowId) !== true);
      if (behind.length > 0)
        throw conflict(
          `${behind.length} ${behind.length === 1 ? 'sub-device is' : 'sub-devices are'} behind ${name}. Delete them first.`,
        );
      const rules = await listIn(models.rules, scope.workspaceId, { where: { deviceRowId: rowId } });
      await store.transaction(async (transaction) => {
        await deleteIn(models.mutes, scope.workspaceId, { sort: 'device', target: id }, transaction);
        if (putOff === undefined) await deleteDevices(store, [rowId], transaction);
        else putOff.add(rowId);
      });
      clearing.wake();
      tellGone(bus, {
        workspaceId: scope.workspaceId,
        devices: [rowId],
        rules: rules.map((rule) => rule.id),
      });
      changed(scope, rowId, id);
    },
  };
}

/** What a list of devices is narrowed to. */
async function filterOf(
  { store }: ApiParts,
  scope: Scope,
  { kind, label, gateway, text }: Record<string, unknown>,
): Promise<WhereOptions<DeviceRow>> {
  const gatewayRow =
    gateway === undefined
      ? null
      : await oneIn(store.models.devices, scope.workspaceId, { id: String(gateway) });
  const seen = devicesSeen(scope);
  return {
    ...(seen !== null && { rowId: seen }),
    ...(kind !== undefined && { kindId: Number(kind) }),
    ...(gateway !== undefined && { gatewayRowId: gatewayRow?.rowId ?? 0 }),
    // Labels are kept as a JSON list.
    ...(label !== undefined && { labels: contains(JSON.stringify(String(label))) }),
    ...(text !== undefined && {
      [Op.or]: [containsAnyCase('name', String(text)), containsAnyCase('id', String(text))],
    }),
  } as WhereOptions<DeviceRow>;
}
