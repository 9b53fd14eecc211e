import type { AccessKey } from '@peatmoor/contract';
import { keepNew } from '../auth/newSecrets';
import { now as clockNow } from '../clock';
import { notFound } from '../problems';
import type { KeyRow } from '../store/models';
import { insert, listIn } from '../store/rows';
import { deviceOf, numberOf, type ApiParts, type Handlers } from './context';
import { pageIn } from './pages';
import { makeAccessKey } from './scope';

type KeyHandlers = Pick<Handlers, 'listKeys' | 'createKey' | 'deleteKey'>;

/** Access keys of whoever asks. */
export function keyHandlers(parts: ApiParts): KeyHandlers {
  const { store } = parts;
  const { models } = store;
  return {
    listKeys: async (call) => {
      const { workspaceId, userId } = call.scope;
      const rows = await pageIn(models.accessKeys, workspaceId, call, {
        where: { userId },
        by: 'id',
        id: 'id',
      });
      const devices = await listIn(models.devices, workspaceId, {
        where: { rowId: rows.flatMap(({ deviceRowId }) => deviceRowId ?? []) },
      });
      return rows.map((row) =>
        toKey(row, devices.find(({ rowId }) => rowId === row.deviceRowId)?.id ?? null),
      );
    },
    createKey: async ({ scope: caller, body }) => {
      const { workspaceId, userId } = caller;
      const { title, scope = 'everything', deviceId = null, days = null } = body;
      // What the caller does not see is as if it were not there.
      const device = deviceId === null ? null : await deviceOf(parts, caller, deviceId);
      const { made, row } = await keepNew(makeAccessKey, ({ fingerprint, secretHash }) =>
        insert(models.accessKeys, {
          workspaceId,
          userId,
          title,
          createdAt: clockNow(),
          usedAt: null,
          scope,
          deviceRowId: device?.rowId ?? null,
          endsAt: days === null ? null : clockNow() + days * 86_400_000,
          fingerprint,
          secretHash,
        }),
      );
      return { ...toKey(row, deviceId), secret: made.secret };
    },
    deleteKey: async ({ scope: caller, params }) => {
      const { workspaceId, userId } = caller;
      const gone = await models.accessKeys.destroy({
        where: { id: numberOf(params.key, 'access key'), workspaceId, userId },
      });
      if (gone === 0) throw notFound('access key', params.key ?? '');
    },
  };
}

function toKey(row: KeyRow, deviceId: string | null): AccessKey {
  const { id, title, fingerprint, createdAt, usedAt, scope, endsAt } = row;
  return { id, title, fingerprint, createdAt, usedAt, scope, deviceId, endsAt };
}
