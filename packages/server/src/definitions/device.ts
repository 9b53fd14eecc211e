import { demandNoClash } from '../rules/clashes';
import { randomBytes } from 'node:crypto';
import { Op, UniqueConstraintError, type Transaction } from 'sequelize';
import { EMPTY_PROOF, inspectToken, makeToken, proposeDeviceId, TOKEN_RANDOM_BYTES } from '@peatmoor/core';
import type { DeviceIn, MadeToken } from '@peatmoor/contract';
import { keepNew, type KeptSecret } from '../auth/newSecrets';
import { conflict, wrongField } from '../problems';
import { hashSecret } from '../registry';
import type { DeviceRow, KindRow } from '../store/models';
import { addTo, findAll, listIn, oneIn } from '../store/rows';
import { takeRow, type Store } from '../store/store';
import { createKind } from './kind';
import { now as clockNow } from '../clock';

/** Registers a device, with a kind made behind it where none is named, and its first token. */
export async function createDevice(
  store: Store,
  workspaceId: number,
  body: DeviceIn,
  within?: Transaction,
): Promise<{ row: DeviceRow; token: string }> {
  const { models } = store;
  if (
    body.kindId !== undefined &&
    (await oneIn(models.kinds, workspaceId, { id: body.kindId }, within)) === null
  )
    throw wrongField(
      'kindId',
      `${body.kindId} is not a kind of this workspace`,
      'Choose one of its kinds, or give newKind.',
    );
  const gateway = await gatewayOf(store, workspaceId, body, within);
  // Only IDs that begin alike can stand in the way.
  const alike = (body.id ?? proposeDeviceId(body.name)).slice(0, 30);
  const taken = new Set(
    (
      await listIn(models.devices, workspaceId, {
        where: { id: { [Op.startsWith]: alike } },
        ...(within && { transaction: within }),
      })
    ).map(({ id }) => id),
  );
  const id = body.id ?? proposeDeviceId(body.name, taken);
  const inUse = (): Error =>
    wrongField(
      'id',
      `"${id}" is used by another device of this workspace`,
      `Choose another, such as "${proposeDeviceId(id, taken)}".`,
    );
  if (taken.has(id)) throw inUse();
  try {
    const make = async (transaction: Transaction): Promise<{ row: DeviceRow; token: string }> => {
      const kindId =
        body.kindId ??
        ((await createKind(store, workspaceId, body.newKind!, transaction, true)) satisfies KindRow).id;
      const values = {
        kindId,
        id,
        name: body.name,
        createdAt: clockNow(),
        lastSeenAt: null,
        proof: EMPTY_PROOF,
        dashboardId: null,
        labels: body.labels ?? [],
        place: null,
        notes: '',
        about: {},
        gatewayRowId: gateway?.rowId ?? null,
        serial: body.serial ?? null,
        claimId: null,
        claimOpen: false,
      };
      const row = await addTo(models.devices, workspaceId, values, transaction);
      if (row.labels.length > 0) await demandNoClash(store, workspaceId, transaction);
      const { secret } = await addToken(store, row, 'first', transaction);
      return { row, token: secret };
    };
    return await (within ? make(within) : store.transaction(make));
  } catch (error) {
    if (error instanceof UniqueConstraintError && /workspaceDevice/.test(error.parent.message)) throw inUse();
    if (error instanceof UniqueConstraintError && /gatewaySerial/.test(error.parent.message))
      throw wrongField(
        'serial',
        `"${body.serial}" is another sub-device of ${gateway?.name} already`,
        'Give each its own serial text.',
      );
    throw error;
  }
}

/** The gateway that a new sub-device names; it must be a device of the workspace and no sub-device itself. */
async function gatewayOf(
  store: Store,
  workspaceId: number,
  body: DeviceIn,
  within?: Transaction,
): Promise<DeviceRow | null> {
  if (body.gateway === undefined) {
    if (body.serial !== undefined)
      throw wrongField('serial', 'is only for a sub-device', 'Name its gateway too, or leave it out.');
    return null;
  }
  const gateway = await oneIn(store.models.devices, workspaceId, { id: body.gateway }, within);
  if (gateway === null)
    throw wrongField(
      'gateway',
      `"${body.gateway}" is not a device of this workspace`,
      'Choose one of its devices.',
    );
  if (gateway.gatewayRowId !== null)
    throw wrongField('gateway', `"${body.gateway}" is itself behind a gateway`, 'Choose the gateway.');
  return gateway;
}

/** Makes another token of a device, in the caller's transaction. Throws 409 beyond 20 that are not withdrawn. */
export async function addToken(
  store: Store,
  device: DeviceRow,
  title: string,
  transaction?: Transaction,
): Promise<MadeToken> {
  const { models } = store;
  if (transaction === undefined) return store.transaction((within) => addToken(store, device, title, within));
  // Written first: a second caller waits here, and then counts this one too.
  await takeRow(store, 'devices', { column: 'rowId', value: device.rowId }, transaction);
  const kept = await findAll(models.deviceTokens, {
    where: { deviceRowId: device.rowId, withdrawnAt: null },
    transaction,
  });
  if (kept.length >= 20)
    throw conflict(`${device.name} has 20 tokens already. Withdraw one that is not used.`);
  const values = {
    title: title || `token ${kept.length + 1}`,
    createdAt: clockNow(),
    usedAt: null,
    withdrawnAt: null,
  };
  const { made, row } = await keepNew(makeDeviceToken, ({ fingerprint, secretHash }) =>
    addTo(
      models.deviceTokens,
      device.workspaceId,
      { ...values, deviceRowId: device.rowId, fingerprint, secretHash },
      transaction,
    ),
  );
  return { ...values, id: row.id, fingerprint: made.fingerprint, secret: made.secret };
}

function makeDeviceToken(): KeptSecret & { secret: string } {
  const secret = makeToken(randomBytes(TOKEN_RANDOM_BYTES));
  return { secret, fingerprint: inspectToken(secret).fingerprint!, secretHash: hashSecret(secret) };
}
