import { inspectToken } from '@peatmoor/core';
import { Op, type WhereOptions } from 'sequelize';
import type { TokenOwner } from '@peatmoor/contract';
import { now as clockNow } from '../clock';
import { addToken } from '../definitions/device';
import { notFound } from '../problems';
import { hashSecret } from '../registry';
import type { TokenRow } from '../store/models';
import { changeIn, oneIn } from '../store/rows';
import { numberOf, type ApiParts, type Handlers } from './context';
import { rowOfDevice } from './describeDevices';
import { pageIn } from './pages';
import type { Scope } from './scope';

type TokenHandlers = Pick<Handlers, 'listTokens' | 'createToken' | 'withdrawToken' | 'whoseToken'>;

export function tokenHandlers(parts: ApiParts): TokenHandlers {
  const { store, bus, tokenUse } = parts;
  const { models } = store;
  return {
    listTokens: async (call) => {
      const { scope, params, query } = call;
      const row = await rowOfDevice(parts, scope, params.device);
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
      const row = await rowOfDevice(parts, scope, params.device);
      return addToken(store, row, body.title ?? '');
    },
    withdrawToken: async ({ scope, params }) => {
      const row = await rowOfDevice(parts, scope, params.device);
      const id = numberOf(params.token, 'token');
      const count = await changeIn(
        models.deviceTokens,
        scope.workspaceId,
        { id, deviceRowId: row.rowId },
        { withdrawnAt: clockNow() },
      );
      if (count === 0) throw notFound('token', params.token ?? '');
      bus.emit('definitions', { workspaceId: scope.workspaceId, deviceRowId: row.rowId });
      bus.emit('live', {
        workspaceId: scope.workspaceId,
        message: { type: 'changed', what: 'devices', id: row.id, by: scope.userName },
      });
      bus.emit('dismiss', { deviceRowId: row.rowId, tokenId: id });
    },
    whoseToken: async ({ scope, body }) => whose(parts, scope, body.text),
  };
}

/** Tells device and state of a pasted token, as far as it belongs to the caller's workspace. */
async function whose({ store, registry }: ApiParts, scope: Scope, text: string): Promise<TokenOwner> {
  const shape = inspectToken(text);
  const nobody = { fingerprint: shape.fingerprint, deviceId: null, deviceName: null };
  if (shape.state === 'not-a-token')
    return {
      ...nobody,
      state: 'not-a-token',
      explanation: 'This is not a device token: those begin with "moor".',
    };
  const row =
    shape.fingerprint === null
      ? null
      : await oneIn(store.models.deviceTokens, scope.workspaceId, { fingerprint: shape.fingerprint });
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
