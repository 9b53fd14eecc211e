import { randomBytes } from 'node:crypto';
import { sum } from 'd3-array';
import type { Transaction } from 'sequelize';
import { isDeepStrictEqual } from 'node:util';
import { now as clockNow } from '../clock';
import { titleFor } from '../definitions/kind';
import { tellGone } from '../definitions/gone';
import { deleteAlertsOf } from '../history/deleting';
import { addToken } from '../definitions/device';
import { conflict, notFound, ProblemError, wrongField } from '../problems';
import { hashSecret } from '../registry';
import type { DeviceRow, OfferRow, StreamRow } from '../store/models';
import { addTo, deleteIn, findOne, listIn, oneIn } from '../store/rows';
import type { ApiParts, Handlers } from './context';
import { rowOfDevice } from './describeDevices';
import { countReadings } from './moving';
import { write } from './recorded';
import { type Scope } from './scope';

type HandoverHandlers = Pick<Handlers, 'offerDevice' | 'withdrawOffer' | 'readOffer' | 'takeDevice'>;
const HOLDS_MS = 7 * 86_400_000;
const SECRET_BYTES = 24;

/** Tables whose rows go along with a device, by its row; each names its workspace too. */
const GO_ALONG = [
  'series',
  'deviceTokens',
  'calibrations',
  'corrections',
  'notes',
  'devicePictures',
] as const;
/** What the old side had of it and nobody takes along: what happened there, and what was made for it there. */
const STAY_BEHIND = [
  'events',
  'ruleStates',
  'arrivals',
  'commands',
  'recomputations',
  'firmwareStates',
  'timetables',
  'grants',
  'shareLinks',
] as const;

/** Handing a device over to another workspace: offered by an owner, taken there, with its history. */
export function handoverHandlers(parts: ApiParts): HandoverHandlers {
  const { store, bus, address } = parts;
  const { models } = store;
  const tell = (workspaceId: number, by: string): void => {
    for (const what of ['devices', 'kinds', 'rules', 'events'] as const)
      bus.emit('live', { workspaceId, message: { type: 'changed', what, by } });
  };
  const offerOf = async (secret: string, transaction?: Transaction): Promise<OfferRow> => {
    const offer = await findOne(models.offers, { secretHash: hashSecret(secret) }, transaction);
    if (offer === null || offer.endsAt < clockNow())
      throw new ProblemError(
        'link-not-valid',
        'This offer was taken, withdrawn, or is too old. Ask whoever made it for a new one.',
      );
    return offer;
  };
  return {
    offerDevice: async ({ scope, params, body }) => {
      const row = await rowOfDevice(parts, scope, params.device);
      const behind = await listIn(models.devices, scope.workspaceId, { where: { gatewayRowId: row.rowId } });
      if (row.gatewayRowId !== null || behind.length > 0)
        throw conflict(
          'A gateway and its sub-devices stay together, and cannot be handed over. Delete the sub-devices first, or register them anew on the other side.',
        );
      const secret = randomBytes(SECRET_BYTES).toString('base64url');
      const now = clockNow();
      await deleteIn(models.offers, scope.workspaceId, { deviceRowId: row.rowId });
      const offer = await addTo(models.offers, scope.workspaceId, {
        deviceRowId: row.rowId,
        secretHash: hashSecret(secret),
        keepsTokens: body.keepsTokens ?? true,
        madeBy: scope.userName,
        createdAt: now,
        endsAt: now + HOLDS_MS,
      });
      return { link: `${address().httpUrl}/take#${secret}`, endsAt: offer.endsAt };
    },
    withdrawOffer: async ({ scope, params }) => {
      const { rowId } = await rowOfDevice(parts, scope, params.device);
      if ((await deleteIn(models.offers, scope.workspaceId, { deviceRowId: rowId })) === 0)
        throw notFound('offer', params.device ?? '');
    },
    readOffer: async ({ body }) => {
      const offer = await offerOf(body.secret);
      const device = (await findOne(models.devices, { rowId: offer.deviceRowId }))!;
      const kind = (await findOne(models.kinds, { id: device.kindId }))!;
      const from = (await findOne(models.workspaces, { id: offer.workspaceId }))!;
      const series = await listIn(models.series, offer.workspaceId, {
        where: { deviceRowId: device.rowId },
      });
      return {
        deviceId: device.id,
        name: device.name,
        kind: kind.title,
        from: from.title,
        madeBy: offer.madeBy,
        keepsTokens: offer.keepsTokens,
        readings: sum(await countReadings(parts, series)),
      };
    },
    takeDevice: async ({ scope, body }) => {
      await parts.folding.settled();
      await parts.arrivals.save();
      const done = await store.transaction(async (transaction) => {
        const offer = await offerOf(body.secret, transaction);
        if (offer.workspaceId === scope.workspaceId)
          throw conflict('The device is in this workspace already. Open the link in another one.');
        // Used up before anything is moved: it works once, whoever opens it at the same time.
        if ((await models.offers.destroy({ where: { id: offer.id }, transaction })) === 0)
          throw conflict('Somebody else took it at this moment.');
        const row = (await findOne(models.devices, { rowId: offer.deviceRowId }, transaction))!;
        if ((await oneIn(models.devices, scope.workspaceId, { id: row.id }, transaction)) !== null)
          throw wrongField(
            'secret',
            `: a device "${row.id}" is in this workspace already`,
            'Delete or hand over that one first: the board names itself by its ID.',
          );
        const token = await move(scope, offer, row, transaction);
        return { offer, row, token };
      });
      const { offer, row, token } = done;
      // What was on its way while it was moved stays nowhere either.
      await parts.arrivals.save();
      for (const table of STAY_BEHIND)
        await store.sequelize.query(`DELETE FROM ${table} WHERE deviceRowId = ? AND workspaceId = ?`, {
          replacements: [row.rowId, offer.workspaceId],
        });
      for (const workspaceId of [offer.workspaceId, scope.workspaceId]) {
        bus.emit('definitions', { workspaceId, deviceRowId: row.rowId });
        bus.emit('rules', { workspaceId });
        tell(workspaceId, scope.userName);
      }
      // The board comes again, as a device of the other workspace.
      tellGone(bus, { workspaceId: row.workspaceId, devices: [row.rowId], rules: 'all' });
      const change = { what: 'device', target: row.id, title: row.name, details: [] };
      await write(store, scope, { ...change, act: 'took over' });
      await write(
        store,
        { ...scope, workspaceId: offer.workspaceId, userId: 0, userName: 'another workspace' },
        { ...change, act: 'took over' },
      );
      return { deviceId: row.id, token };
    },
  };

  /** Moves a device with all that goes along, in the caller's transaction; the new token where it has one. */
  async function move(
    scope: Scope,
    { workspaceId: from, keepsTokens }: OfferRow,
    row: DeviceRow,
    transaction: Transaction,
  ): Promise<string | null> {
    const { rowId } = row;
    const to = scope.workspaceId;
    const { kindId, streams } = await kindIn(to, from, row.kindId, transaction);
    for (const [before, after] of streams)
      for (const table of ['series', 'calibrations'] as const)
        await (models[table] as typeof models.series).update(
          { streamId: after },
          { where: { deviceRowId: rowId, streamId: before } as never, transaction },
        );
    for (const table of GO_ALONG)
      await (models[table] as typeof models.series).update(
        { workspaceId: to },
        { where: { deviceRowId: rowId } as never, transaction },
      );
    const events = await listIn(models.events, from, {
      where: { deviceRowId: rowId },
      attributes: ['id'],
      transaction,
    });
    await deleteAlertsOf(
      store,
      events.map(({ id }) => id),
      transaction,
    );
    for (const table of STAY_BEHIND)
      await store.sequelize.query(`DELETE FROM ${table} WHERE deviceRowId = ?`, {
        replacements: [rowId],
        transaction,
      });
    await deleteIn(models.rules, from, { deviceRowId: rowId }, transaction);
    await deleteIn(models.mutes, from, { sort: 'device', target: row.id }, transaction);
    await models.devices.update(
      { workspaceId: to, kindId, dashboardId: null, labels: '[]' as never, claimId: null, claimOpen: false },
      { where: { rowId }, transaction },
    );
    if (keepsTokens) return null;
    await models.deviceTokens.update(
      { withdrawnAt: clockNow() },
      { where: { deviceRowId: rowId, withdrawnAt: null } as never, transaction },
    );
    const { secret } = await addToken(store, { ...row, workspaceId: to }, 'first', transaction);
    return secret;
  }

  /** The same kind on the other side, copied where there is none with these datastreams; and which datastream is which. */
  async function kindIn(
    to: number,
    from: number,
    kindId: number,
    transaction: Transaction,
  ): Promise<{ kindId: number; streams: [number, number][] }> {
    const kind = (await oneIn(models.kinds, from, { id: kindId }, transaction))!;
    const mine = await listIn(models.streams, from, { where: { kindId }, order: ['id'], transaction });
    const pairs = (theirs: readonly StreamRow[]): [number, number][] | null => {
      const all = mine.map((one): [number, number] | null => {
        const other = theirs.find(({ key, type, unit, keptUnit, sentUnit }) =>
          isDeepStrictEqual(
            [key, type, unit, keptUnit, sentUnit],
            [one.key, one.type, one.unit, one.keptUnit, one.sentUnit],
          ),
        );
        return other !== undefined && isDeepStrictEqual(other.choices, one.choices)
          ? [one.id, other.id]
          : null;
      });
      return all.every((one) => one !== null) ? (all as [number, number][]) : null;
    };
    for (const one of await listIn(models.kinds, to, { where: { title: kind.title }, transaction })) {
      const theirs = await listIn(models.streams, to, { where: { kindId: one.id }, transaction });
      const found = pairs(theirs);
      if (found !== null) return { kindId: one.id, streams: found };
    }
    const { id: _id, workspaceId: _from, revision: _revision, ...rest } = kind;
    const title = await titleFor(store, to, kind.title, { transaction, numbered: true });
    const made = await addTo(models.kinds, to, { ...rest, title, createdAt: clockNow() }, transaction);
    const streams: [number, number][] = [];
    for (const { id, workspaceId: _workspace, kindId: _kind, ...stream } of mine) {
      const copy = await addTo(models.streams, to, { ...stream, kindId: made.id }, transaction);
      streams.push([id, copy.id]);
    }
    return { kindId: made.id, streams };
  }
}
