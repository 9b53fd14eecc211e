import { randomBytes, timingSafeEqual } from 'node:crypto';
import { inspectToken, makeToken, refusal, TOKEN_RANDOM_BYTES, type Refusal } from '@peatmoor/core';
import type { Address, ClaimAnswer } from '@peatmoor/contract';
import type { Transaction } from 'sequelize';
import { addToken, createDevice } from './device';
import { createLimits, type Bound } from '../auth/limits';
import type { Bus } from '../bus';
import type { TokenUse } from '../presence/tokenUse';
import { hashSecret } from '../registry';
import type { ClaimRow, DeviceRow, KindRow } from '../store/models';
import { changeIn, findOne, listIn, oneIn } from '../store/rows';
import { takeRow, type Store } from '../store/store';
import { now as clockNow } from '../clock';

/** What a claim secret begins with, before letters made like those of a device token. */
export const CLAIM_PREFIX = 'claim_';
/** Wrong secrets from one address in five minutes. */
const MOST_WRONG = 30;

export interface ClaimOutcome {
  status: number;
  body: ClaimAnswer | Refusal;
  retryAfterS?: number;
}

/** Boards of a kind fetching a device and token of their own, with the kind's claim secret and their serial. */
export interface Claiming {
  claim(secret: string | null, request: unknown, from: string): Promise<ClaimOutcome>;
}

interface Parts {
  store: Store;
  bus: Bus;
  tokenUse: TokenUse;
  address(): Address;
}

/** A new claim secret: its text, shown once, and what is kept. */
export function makeClaimSecret(): { secret: string; fingerprint: string; secretHash: Buffer } {
  const token = makeToken(randomBytes(TOKEN_RANDOM_BYTES));
  return {
    secret: CLAIM_PREFIX + token,
    fingerprint: inspectToken(token).fingerprint!,
    secretHash: hashSecret(token),
  };
}

export function createClaiming({ store, bus, tokenUse, address }: Parts): Claiming {
  const { models } = store;
  // Wrong secrets by address, at all nodes together.
  const limits = createLimits(store);
  const wrongFrom = (from: string): Bound => ({ name: `claim ${from}`, most: MOST_WRONG, seconds: 300 });
  const refused = (status: number, hint: string): ClaimOutcome => ({
    status,
    body: refusal('', 'bad-token', hint),
  });

  /** The claim of a secret, or why there is none. */
  const claimOf = async (secret: string | null, from: string): Promise<ClaimRow | ClaimOutcome> => {
    const waitS = await limits.spent(wrongFrom(from));
    if (waitS !== null)
      return {
        ...refused(429, 'Too many wrong claim secrets came from this address. Wait five minutes.'),
        retryAfterS: waitS,
      };
    const wrong = async (hint: string): Promise<ClaimOutcome> => {
      await limits.failed(wrongFrom(from));
      return refused(401, hint);
    };
    if (secret === null || !secret.startsWith(CLAIM_PREFIX))
      return wrong('No claim secret came. Send it as "Authorization: Bearer claim_…".');
    const shape = inspectToken(secret.slice(CLAIM_PREFIX.length));
    if (shape.state !== 'whole')
      return wrong(
        'The claim secret is cut short or mistyped; its own check letters do not fit. Copy it again.',
      );
    const claim = await findOne(models.claims, { fingerprint: shape.fingerprint });
    if (claim === null || !timingSafeEqual(claim.secretHash, hashSecret(shape.token)))
      return wrong('No kind has this claim secret. Make a new one on the page of the kind.');
    if (claim.endedAt !== null)
      return refused(403, 'This claim secret was ended. Make a new one on the page of the kind.');
    if (claim.endsAt < clockNow())
      return refused(403, 'The time of this claim secret is over. Make a new one on the page of the kind.');
    return claim;
  };

  const deviceFor = async (
    claim: ClaimRow,
    serial: string,
    name: string | null,
    transaction: Transaction,
  ): Promise<{ row: DeviceRow; token: string; made: boolean } | ClaimOutcome> => {
    // Devices of one claim are made one after the other, so that its bound holds and a serial has one device.
    await takeRow(store, 'claims', { column: 'id', value: claim.id }, transaction);
    const { workspaceId, kindId } = claim;
    const known = (
      await listIn(models.devices, workspaceId, { where: { kindId, serial }, transaction })
    ).find(({ claimId }) => claimId !== null);
    if (known !== undefined) {
      const tokens = await listIn(models.deviceTokens, workspaceId, {
        where: { deviceRowId: known.rowId, withdrawnAt: null },
        transaction,
      });
      // A board that never used its token may not have got the answer: it may ask again.
      const unused = tokens.every(({ id, usedAt }) => usedAt === null && !tokenUse.used(id));
      if (!unused && !known.claimOpen)
        return refused(
          409,
          `The board with the serial "${serial}" has claimed already, as ${known.id}. To let it claim again, open it on the page of its kind.`,
        );
      const where = { deviceRowId: known.rowId, withdrawnAt: null };
      await changeIn(models.deviceTokens, workspaceId, where, { withdrawnAt: clockNow() }, transaction);
      await changeIn(models.devices, workspaceId, { rowId: known.rowId }, { claimOpen: false }, transaction);
      const { secret } = await addToken(store, known, 'claimed again', transaction);
      return { row: known, token: secret, made: false };
    }
    const current = (await findOne(models.claims, { id: claim.id }, transaction))!;
    if (current.used >= current.most)
      return refused(
        403,
        `${current.most === 1 ? 'The one board' : `All ${current.most} boards`} of this claim secret ${current.most === 1 ? 'has' : 'have'} claimed. Make a new one on the page of the kind.`,
      );
    const kind = (await oneIn(models.kinds, workspaceId, { id: kindId }, transaction)) as KindRow;
    const title = name ?? `${kind.title} ${serial}`.slice(0, 80);
    const { row, token } = await createDevice(store, workspaceId, { name: title, kindId }, transaction);
    const change = { serial, claimId: claim.id };
    await changeIn(models.devices, workspaceId, { rowId: row.rowId }, change, transaction);
    await changeIn(models.claims, workspaceId, { id: claim.id }, { used: current.used + 1 }, transaction);
    return { row, token, made: true };
  };

  return {
    async claim(secret, request, from) {
      const claim = await claimOf(secret, from);
      if ('status' in claim) return claim;
      const { serial, name } = (request ?? {}) as { serial?: unknown; name?: unknown };
      const text = typeof serial === 'number' ? String(serial) : serial;
      if (typeof text !== 'string' || !/^[\x20-\x7e]{1,80}$/.test(text.trim()))
        return {
          status: 422,
          body: refusal(
            'serial',
            'wrong-type',
            'Send {"serial": "…"}: what tells this board from the others, 1 to 80 plain letters.',
          ),
        };
      if (name !== undefined && (typeof name !== 'string' || name.trim() === '' || name.length > 80))
        return {
          status: 422,
          body: refusal('name', 'wrong-type', 'A name is a text of 1 to 80 letters; or leave it out.'),
        };
      const outcome = await store.transaction((transaction) =>
        deviceFor(claim, text.trim(), (name as string | undefined)?.trim() ?? null, transaction),
      );
      if ('status' in outcome) return outcome;
      const { row, token, made } = outcome;
      const { workspaceId } = claim;
      bus.emit('definitions', { workspaceId, deviceRowId: row.rowId });
      if (!made) bus.emit('dismiss', { deviceRowId: row.rowId });
      bus.emit('live', { workspaceId, message: { type: 'changed', what: 'devices', id: row.id } });
      const kind = (await oneIn(models.kinds, workspaceId, { id: row.kindId }))!;
      const { httpUrl, host, mqttPort } = address();
      return {
        status: made ? 201 : 200,
        body: {
          device: row.id,
          token,
          name: row.name,
          interval: kind.intervalS,
          http: httpUrl,
          mqtt: { host, port: mqttPort },
        },
      };
    },
  };
}
