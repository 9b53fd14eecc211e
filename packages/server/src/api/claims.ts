import type { Claim } from '@peatmoor/contract';
import { keepNew } from '../auth/newSecrets';
import { makeClaimSecret } from '../definitions/claiming';
import { notFound, wrongField } from '../problems';
import type { ClaimRow, DeviceRow, KindRow } from '../store/models';
import { addTo, changeIn, listIn, oneIn } from '../store/rows';
import { numberOf, type ApiParts, type Handlers } from './context';
import { pageIn } from './pages';
import type { Scope } from './scope';
import { now as clockNow } from '../clock';

const DAY_MS = 86_400_000;

type ClaimHandlers = Pick<Handlers, 'listClaims' | 'createClaim' | 'endClaim' | 'reopenClaim'>;

/** Claim secrets of a kind: made, listed with the boards that claimed, ended, and opened again for one board. */
export function claimHandlers({ store, bus }: ApiParts): ClaimHandlers {
  const { models } = store;
  const kindOf = async (scope: Scope, text: string | undefined): Promise<KindRow> => {
    const kind = await oneIn(models.kinds, scope.workspaceId, { id: numberOf(text, 'kind') });
    if (kind === null) throw notFound('kind', text ?? '');
    return kind;
  };
  const claimOf = async (scope: Scope, params: Record<string, string>): Promise<ClaimRow> => {
    const kind = await kindOf(scope, params.kind);
    const id = numberOf(params.claim, 'claim');
    const claim = await oneIn(models.claims, scope.workspaceId, { id, kindId: kind.id });
    if (claim === null) throw notFound('claim', params.claim ?? '');
    return claim;
  };
  const changed = (scope: Scope, kindId: number): void =>
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'kinds', id: kindId, by: scope.userName },
    });
  return {
    listClaims: async (call) => {
      const { scope, params } = call;
      const kind = await kindOf(scope, params.kind);
      const rows = await pageIn(models.claims, scope.workspaceId, call, {
        where: { kindId: kind.id },
        by: 'id',
        id: 'id',
        direction: 'DESC',
      });
      const devices =
        rows.length === 0
          ? []
          : await listIn(models.devices, scope.workspaceId, {
              where: { claimId: rows.map(({ id }) => id) },
              order: ['rowId'],
            });
      return rows.map((row) => ({
        ...toClaim(row),
        devices: devices.filter(({ claimId }) => claimId === row.id).map(toClaimed),
      }));
    },
    createClaim: async ({ scope, params, body }) => {
      const kind = await kindOf(scope, params.kind);
      const { title = '', most = 100, days = 30 } = body;
      const now = clockNow();
      const { made, row } = await keepNew(makeClaimSecret, ({ fingerprint, secretHash }) =>
        addTo(models.claims, scope.workspaceId, {
          fingerprint,
          secretHash,
          kindId: kind.id,
          title: title || `for ${most} ${most === 1 ? 'board' : 'boards'}`,
          most,
          used: 0,
          userName: scope.userName,
          createdAt: now,
          endsAt: Math.round(now + days * DAY_MS),
          endedAt: null,
        }),
      );
      changed(scope, kind.id);
      return { ...toClaim(row), secret: made.secret };
    },
    endClaim: async ({ scope, params }) => {
      const claim = await claimOf(scope, params);
      await changeIn(
        models.claims,
        scope.workspaceId,
        { id: claim.id, endedAt: null },
        { endedAt: clockNow() },
      );
      changed(scope, claim.kindId);
    },
    reopenClaim: async ({ scope, params, body }) => {
      const claim = await claimOf(scope, params);
      const count = await changeIn(
        models.devices,
        scope.workspaceId,
        { claimId: claim.id, id: body.device },
        { claimOpen: true },
      );
      const known = await oneIn(models.devices, scope.workspaceId, { claimId: claim.id, id: body.device });
      if (count === 0 && known === null)
        throw wrongField(
          'device',
          `"${body.device}" has not claimed with this secret`,
          'Choose one of its devices.',
        );
      changed(scope, claim.kindId);
    },
  };
}

function toClaim(row: ClaimRow): Omit<Claim, 'devices'> {
  const { id, title, fingerprint, most, used, userName, createdAt, endsAt, endedAt } = row;
  return { id, title, fingerprint, most, used, by: userName, createdAt, endsAt, endedAt };
}

function toClaimed({ id, name, serial, createdAt }: DeviceRow): Claim['devices'][number] {
  return { id, name, serial: serial ?? '', claimedAt: createdAt };
}
