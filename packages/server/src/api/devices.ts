import { flattenRow, inspectToken, isRefusal, presenceOf, type DecodedReport } from '@peatmoor/core';
import { Op, type WhereOptions } from 'sequelize';
import type { Arrival, Device, TokenOwner } from '@peatmoor/contract';
import { addToken, createDevice } from '../definitions/device';
import { JournalBusyError } from '../journal/writer';
import { conflict, notFound, unavailable, wrongField } from '../problems';
import { remoteAddress } from '../listeners/address';
import { hashSecret, type DeviceEntry } from '../registry';
import type { ArrivalRow, DeviceRow, TokenRow } from '../store/models';
import { changeIn, listIn, oneIn } from '../store/rows';
import { readDeviceList } from './manyDevices';
import { retakeRefused } from '../ingest/retake';
import { deviceOf, numberOf, type ApiParts, type Handlers } from './context';
import { deleteDevice } from '../history/deleting';
import { newestOf } from '../history/newest';
import { contains, containsAnyCase, ofDevicesIn, pageIn, period, type PageCall } from './pages';
import type { Scope } from './scope';
import { now as clockNow } from '../clock';

type DeviceHandlers = Pick<
  Handlers,
  | 'listDevices'
  | 'createDevice'
  | 'createDevices'
  | 'readDevice'
  | 'changeDevice'
  | 'deleteDevice'
  | 'listTokens'
  | 'createToken'
  | 'withdrawToken'
  | 'whoseToken'
  | 'listArrivals'
  | 'listAllArrivals'
  | 'retake'
  | 'reportByHand'
>;

export function deviceHandlers(parts: ApiParts): DeviceHandlers {
  const { store, bus, registry, presence, arrivals, verbs, recent, clearing, tokenUse } = parts;
  const { models } = store;
  const changed = (scope: Scope, deviceRowId: number, id: string): void => {
    bus.emit('definitions', { workspaceId: scope.workspaceId, deviceRowId });
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'devices', id, by: scope.userName },
    });
  };
  const describe = (
    entry: DeviceEntry,
    row: DeviceRow,
    openEvents: number,
    gateways: ReadonlyMap<number, string>,
    pictures: ReadonlyMap<number, number>,
  ): Device => {
    const lastSeenAt = presence.lastSeen(entry.rowId) ?? entry.lastSeenAt;
    const connected = presence.sessions(entry.rowId).size > 0;
    return {
      id: entry.id,
      name: entry.name,
      kindId: entry.kindId,
      kindTitle: entry.kindTitle,
      createdAt: row.createdAt,
      lastSeenAt,
      connected,
      presence: presenceOf({ connected, lastSeenAt, intervalS: entry.intervalS }, clockNow()),
      proof: entry.proof,
      newest: newestOf(entry, recent),
      openEvents,
      dashboardId: row.dashboardId,
      labels: row.labels,
      place: row.place,
      notes: row.notes,
      about: row.about,
      gateway: gateways.get(row.gatewayRowId ?? 0) ?? null,
      serial: row.serial,
      pictureAt: pictures.get(entry.rowId) ?? null,
      version: row.revision,
    };
  };
  const describeAll = async (scope: Scope, rows: DeviceRow[]): Promise<Device[]> => {
    const open = new Map<number, number>();
    for (const { deviceRowId } of await listIn(models.events, scope.workspaceId, {
      where: { closedAt: null, deviceRowId: rows.map(({ rowId }) => rowId) },
      attributes: ['deviceRowId'],
    }))
      open.set(deviceRowId, (open.get(deviceRowId) ?? 0) + 1);
    const entries = await registry.load(rows.map(({ rowId }) => rowId));
    const behind = rows.flatMap(({ gatewayRowId }) => gatewayRowId ?? []);
    const gateways = new Map(
      behind.length === 0
        ? []
        : (await listIn(models.devices, scope.workspaceId, { where: { rowId: behind } })).map(
            ({ rowId, id }) => [rowId, id] as const,
          ),
    );
    const pictures = await picturesOf(scope);
    return rows.flatMap((row) => {
      const entry = entries.get(row.rowId);
      return entry ? [describe(entry, row, open.get(row.rowId) ?? 0, gateways, pictures)] : [];
    });
  };
  /** When the pictures of devices were made, by device. */
  const picturesOf = async ({ workspaceId }: Scope): Promise<Map<number, number>> => {
    const rows = await store.withConnection(
      async (connection) =>
        (await connection.execute('SELECT deviceRowId, madeAt FROM devicePictures WHERE workspaceId = ?', [
          workspaceId,
        ])) as { deviceRowId: number; madeAt: number }[],
    );
    return new Map(rows.map(({ deviceRowId, madeAt }) => [deviceRowId, Number(madeAt)]));
  };
  const filterOf = async (
    scope: Scope,
    { kind, label, gateway, text }: Record<string, unknown>,
  ): Promise<WhereOptions<DeviceRow>> => {
    const gatewayRow =
      gateway === undefined ? null : await oneIn(models.devices, scope.workspaceId, { id: String(gateway) });
    return {
      ...(kind !== undefined && { kindId: Number(kind) }),
      ...(gateway !== undefined && { gatewayRowId: gatewayRow?.rowId ?? 0 }),
      // Labels are kept as a JSON list.
      ...(label !== undefined && { labels: contains(JSON.stringify(String(label))) }),
      ...(text !== undefined && {
        [Op.or]: [containsAnyCase('name', String(text)), containsAnyCase('id', String(text))],
      }),
    } as WhereOptions<DeviceRow>;
  };
  const listArrivals = async (
    call: PageCall & { scope: Scope },
    deviceRowId: number | null,
  ): Promise<Arrival[]> => {
    await arrivals.save();
    const { outcome } = call.query;
    const rows = await pageIn(models.arrivals, call.scope.workspaceId, call, {
      where: {
        deviceRowId: deviceRowId ?? ofDevicesIn(call.scope.workspaceId),
        ...(outcome !== undefined && { refused: outcome === 'refused' }),
        ...period('receivedAt', call.query),
      } as WhereOptions<ArrivalRow>,
      by: 'id',
      id: 'id',
      direction: 'DESC',
    });
    return rows.map(({ body }) => body as Arrival);
  };
  const rowOf = async (scope: Scope, id: string | undefined): Promise<DeviceRow> => {
    const row = await oneIn(models.devices, scope.workspaceId, { id: (id ?? '').slice(0, 80) });
    if (row === null) throw notFound('device', id ?? '');
    return row;
  };
  const one = async (scope: Scope, id: string | undefined): Promise<Device> =>
    (await describeAll(scope, [await rowOf(scope, id)]))[0]!;

  return {
    listDevices: async (call) =>
      describeAll(
        call.scope,
        await pageIn(models.devices, call.scope.workspaceId, call, {
          where: await filterOf(call.scope, call.query),
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
      const row = await rowOf(scope, params.device);
      const change = Object.fromEntries(
        Object.entries(body).filter(([, value]) => value !== undefined),
      ) as Partial<DeviceRow>;
      if (Object.keys(change).length > 0)
        await changeIn(models.devices, scope.workspaceId, { rowId: row.rowId }, change);
      changed(scope, row.rowId, row.id);
      return one(scope, params.device);
    },
    deleteDevice: async ({ scope, params }) => {
      const { rowId, id, name } = await rowOf(scope, params.device);
      const behind = await listIn(models.devices, scope.workspaceId, { where: { gatewayRowId: rowId } });
      if (behind.length > 0)
        throw conflict(
          `${behind.length} ${behind.length === 1 ? 'sub-device is' : 'sub-devices are'} behind ${name}. Delete them first.`,
        );
      const rules = await listIn(models.rules, scope.workspaceId, { where: { deviceRowId: rowId } });
      await store.transaction((transaction) => deleteDevice(store, rowId, transaction));
      clearing.wake();
      bus.emit('dismiss', { deviceRowId: rowId });
      for (const rule of rules) bus.emit('rules', { workspaceId: scope.workspaceId, ruleId: rule.id });
      changed(scope, rowId, id);
    },
    listTokens: async (call) => {
      const { scope, params, query } = call;
      const row = await rowOf(scope, params.device);
      const tokens = await pageIn(models.deviceTokens, scope.workspaceId, call, {
        where: {
          deviceRowId: row.rowId,
          ...(query.state !== undefined && {
            withdrawnAt: query.state === 'in-use' ? null : { [Op.ne]: null },
          }),
        } as WhereOptions<TokenRow>,
        by: 'id',
        id: 'id',
      });
      return tokens.map(({ id, title, fingerprint, createdAt, usedAt, withdrawnAt }) => ({
        id,
        title,
        fingerprint,
        createdAt,
        usedAt: tokenUse.lastUsed(id) ?? usedAt,
        withdrawnAt,
      }));
    },
    createToken: async ({ scope, params, body }) => {
      const row = await rowOf(scope, params.device);
      return addToken(store, row, body.title ?? '');
    },
    withdrawToken: async ({ scope, params }) => {
      const row = await rowOf(scope, params.device);
      const id = numberOf(params.token, 'token');
      const count = await changeIn(
        models.deviceTokens,
        scope.workspaceId,
        { id, deviceRowId: row.rowId },
        { withdrawnAt: clockNow() },
      );
      if (count === 0) throw notFound('token', params.token ?? '');
      changed(scope, row.rowId, row.id);
      bus.emit('dismiss', { deviceRowId: row.rowId, tokenId: id });
    },
    whoseToken: async ({ scope, body }) => whose(scope, body.text),
    listArrivals: async (call) =>
      listArrivals(call, (await deviceOf(parts, call.scope, call.params.device)).rowId),
    listAllArrivals: async (call) => listArrivals(call, null),
    retake: async ({ scope, params }) =>
      retakeRefused({ arrivals, report: verbs.report }, await deviceOf(parts, scope, params.device)),
    reportByHand: async ({ scope, params, body, request }) => {
      const entry = await deviceOf(parts, scope, params.device);
      if (
        typeof body.values !== 'object' ||
        body.values === null ||
        Array.isArray(body.values) ||
        Object.keys(body.values).length === 0
      )
        throw wrongField(
          'values',
          'must be an object of names and values',
          'Send {"values": {"level": -121}}.',
        );
      const row = flattenRow(body.values);
      const decoded: DecodedReport | typeof row = isRefusal(row) ? row : { rows: [row], number: null };
      try {
        const raw = Buffer.from(JSON.stringify(body.values));
        return await verbs.report.take(entry, decoded, {
          way: 'by hand',
          from: remoteAddress(request),
          size: raw.length,
          receivedAt: clockNow(),
          form: 'application/json',
          raw,
        });
      } catch (error) {
        throw error instanceof JournalBusyError ? unavailable() : error;
      }
    },
  };

  /** Tells device and state of a pasted token, as far as it belongs to the caller's workspace. */
  async function whose(scope: Scope, text: string): Promise<TokenOwner> {
    const shape = inspectToken(text);
    const nobody = { fingerprint: shape.fingerprint, deviceId: null, deviceName: null };
    if (shape.state === 'not-a-token')
      return {
        ...nobody,
        state: 'not-a-token',
        explanation: 'This is no device token: those begin with "moor".',
      };
    const row =
      shape.fingerprint === null
        ? null
        : await oneIn(models.deviceTokens, scope.workspaceId, { fingerprint: shape.fingerprint });
    const entry = row === null ? null : await registry.byRow(row.deviceRowId);
    if (row === null || entry === null) {
      const explanation = {
        whole: 'No device of this workspace has this token.',
        'half-copied': 'Only a part of a token; too little is there to say whose.',
        mistyped: 'At least one letter is wrong, and no device of this workspace has a token like it.',
      }[shape.state];
      return { ...nobody, state: shape.state === 'whole' ? 'unknown' : shape.state, explanation };
    }
    const known = { fingerprint: shape.fingerprint, deviceId: entry.id, deviceName: entry.name };
    if (shape.state !== 'whole')
      return {
        ...known,
        state: shape.state,
        explanation: `A ${shape.state} token of ${entry.name}: copy it again, or make a new one.`,
      };
    if (!row.secretHash.equals(hashSecret(shape.token)))
      return {
        ...known,
        state: 'mistyped',
        explanation: `It looks like a token of ${entry.name}, but is not the one that was made.`,
      };
    if (row.withdrawnAt !== null)
      return {
        ...known,
        state: 'withdrawn',
        explanation: `A token of ${entry.name}, withdrawn on ${new Date(row.withdrawnAt).toISOString().slice(0, 10)}.`,
      };
    return { ...known, state: 'in-use', explanation: `The token of ${entry.name}. It is whole and valid.` };
  }
}
