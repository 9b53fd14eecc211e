import express, { type Express, type Request } from 'express';
import { counted, MOST_FIRMWARE_BYTES, VERSION_PATTERN, versionWithin } from '@peatmoor/core';
import type { Firmware, NewRound, Round } from '@peatmoor/contract';
import { UniqueConstraintError } from 'sequelize';
import { now as clockNow } from '../clock';
import { conflict, notFound, wrongField } from '../problems';
import type { FirmwareRow, KindRow, RoundRow } from '../store/models';
import { addTo, changeIn, deleteIn, listIn, oneIn } from '../store/rows';
import { write } from './recorded';
import { numberOf, type ApiParts, type Handlers } from './context';
import { demand, demandReach, scopeOf, type Scope } from './scope';

type FirmwareHandlers = Pick<
  Handlers,
  'listFirmware' | 'deleteFirmware' | 'readFirmwareKey' | 'listRounds' | 'createRound' | 'changeRound'
>;

/** Programs of one kind, and rounds that are told, at the most. */
const MOST_FIRMWARES = 30;
const MOST_ROUNDS = 20;
/** Boards of a round that are told of one by one. */
const MOST_DEVICES = 500;
const LONGEST_NOTES = 500;

async function kindOf({ store }: ApiParts, scope: Scope, text: string | undefined): Promise<KindRow> {
  const kind = await oneIn(store.models.kinds, scope.workspaceId, { id: numberOf(text, 'kind') });
  if (kind === null) throw notFound('kind', text ?? '');
  return kind;
}

const toFirmware = ({ version, notes, size, sha256, userName, madeAt }: FirmwareRow): Firmware => ({
  version,
  notes,
  size,
  sha256: Buffer.from(sha256).toString('hex'),
  by: userName,
  at: madeAt,
});

/** Built programs of a kind, and to whom they are given. */
export function firmwareHandlers(parts: ApiParts): FirmwareHandlers {
  const { store, bus, firmware: book } = parts;
  const { models } = store;
  const changed = (scope: Scope, kindId: number): void =>
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'kinds', id: kindId, by: scope.userName },
    });
  const describe = async (scope: Scope, rows: readonly RoundRow[]): Promise<Round[]> => {
    const { workspaceId } = scope;
    const firmwares = await listIn(models.firmwares, workspaceId, {
      where: { id: rows.map(({ firmwareId }) => firmwareId) },
    });
    const states = await listIn(models.firmwareStates, workspaceId, {
      where: { roundId: rows.map(({ id }) => id) },
      order: [['at', 'DESC']],
      limit: MOST_DEVICES,
    });
    const devices = await listIn(models.devices, workspaceId, {
      where: { rowId: states.map(({ deviceRowId }) => deviceRowId) },
      attributes: ['rowId', 'id', 'name'],
    });
    return rows.map((row) => ({
      id: row.id,
      version: firmwares.find(({ id }) => id === row.firmwareId)?.version ?? '?',
      target: row.sort,
      name: row.target,
      percent: row.percent,
      mostFailures: row.mostFailures,
      state: row.state,
      reason: row.reason,
      by: row.userName,
      at: row.madeAt,
      devices: states
        .filter(({ roundId }) => roundId === row.id)
        .flatMap(({ deviceRowId, state, note, bytes, at }) => {
          const device = devices.find(({ rowId }) => rowId === deviceRowId);
          return device === undefined ? [] : { id: device.id, name: device.name, state, note, bytes, at };
        }),
    }));
  };
  const firmwareOf = async (scope: Scope, kind: KindRow, version: string): Promise<FirmwareRow> => {
    const row = await oneIn(models.firmwares, scope.workspaceId, { kindId: kind.id, version });
    if (row === null) throw notFound('firmware', version);
    return row;
  };
  return {
    listFirmware: async ({ scope, params }) => {
      const kind = await kindOf(parts, scope, params.kind);
      const rows = await listIn(models.firmwares, scope.workspaceId, {
        where: { kindId: kind.id },
        order: [['id', 'DESC']],
      });
      return rows.map(toFirmware);
    },
    deleteFirmware: async ({ scope, params }) => {
      const kind = await kindOf(parts, scope, params.kind);
      const row = await firmwareOf(scope, kind, params.version ?? '');
      await deleteIn(models.firmwares, scope.workspaceId, { id: row.id });
      changed(scope, kind.id);
    },
    readFirmwareKey: async ({ scope, params }) => {
      const kind = await kindOf(parts, scope, params.kind);
      return { publicKey: await book.publicKey(scope.workspaceId, kind.id) };
    },
    listRounds: async ({ scope, params }) => {
      const kind = await kindOf(parts, scope, params.kind);
      return describe(
        scope,
        await listIn(models.firmwareRounds, scope.workspaceId, {
          where: { kindId: kind.id },
          order: [['id', 'DESC']],
          limit: MOST_ROUNDS,
        }),
      );
    },
    createRound: async ({ scope, params, body }) => {
      const kind = await kindOf(parts, scope, params.kind);
      const { version, target, name, percent, mostFailures } = body as NewRound;
      const row = await oneIn(models.firmwares, scope.workspaceId, { kindId: kind.id, version });
      if (row === null)
        throw wrongField('version', `"${version}" was not uploaded to this kind`, 'Upload its file first.');
      if (target === 'device') {
        const device = await oneIn(models.devices, scope.workspaceId, { id: name, kindId: kind.id });
        if (device === null)
          throw wrongField('name', `"${name}" is not a device of this kind`, 'Choose one of its devices.');
      }
      if (target === 'label') {
        const devices = await listIn(models.devices, scope.workspaceId, { where: { kindId: kind.id } });
        if (!devices.some(({ labels }) => labels.includes(name)))
          throw wrongField(
            'name',
            `: no device of this kind has the label "${name}"`,
            'Choose another label.',
          );
      }
      const made = await addTo(models.firmwareRounds, scope.workspaceId, {
        kindId: kind.id,
        firmwareId: row.id,
        sort: target,
        target: target === 'kind' ? '' : name,
        percent,
        mostFailures,
        state: 'going',
        reason: '',
        userName: scope.userName,
        madeAt: clockNow(),
      });
      changed(scope, kind.id);
      return (await describe(scope, [made]))[0]!;
    },
    changeRound: async ({ scope, params, body }) => {
      const kind = await kindOf(parts, scope, params.kind);
      const id = numberOf(params.round, 'round');
      const row = await oneIn(models.firmwareRounds, scope.workspaceId, { id, kindId: kind.id });
      if (row === null) throw notFound('round', params.round ?? '');
      const { percent = row.percent, state = row.state } = body;
      const reason =
        state === row.state ? row.reason : state === 'stopped' ? `Stopped by ${scope.userName}.` : '';
      if (percent < row.percent)
        throw wrongField('percent', `is less than the ${row.percent} it was given to`, 'Stop it instead.');
      const change = { percent, state, reason: reason.slice(0, 200) };
      await changeIn(models.firmwareRounds, scope.workspaceId, { id }, change);
      changed(scope, kind.id);
      return (await describe(scope, [{ ...row, ...change }]))[0]!;
    },
  };
}

/** Takes the file of a built program, as bytes. */
export function firmwareFiles(app: Express, parts: ApiParts): void {
  const { store, bus, firmware: book } = parts;
  const { models } = store;
  const path = '/api/kinds/:kind/firmware/:version';
  const admitted = async (request: Request): Promise<{ scope: Scope; kind: KindRow }> => {
    const scope = demand(await scopeOf(store, request), 'change');
    demandReach(scope, { method: request.method, path: request.path }, null);
    return { scope, kind: await kindOf(parts, scope, String(request.params.kind)) };
  };
  app.put(
    path,
    // Who may not is told so before eight megabytes are taken.
    (request, response, next) =>
      void admitted(request).then((found) => {
        response.locals.admitted = found;
        next();
      }, next),
    express.raw({ type: () => true, limit: MOST_FIRMWARE_BYTES }),
    async (request, response) => {
      const { scope, kind } = response.locals.admitted as Awaited<ReturnType<typeof admitted>>;
      const version = String(request.params.version);
      if (!VERSION_PATTERN.test(version))
        throw wrongField(
          'version',
          `"${version.slice(0, 40)}" is not a version`,
          'Use up to 32 letters, digits, dots, hyphens and underscores, such as 1.2.0.',
        );
      const body = Buffer.isBuffer(request.body) ? request.body : Buffer.alloc(0);
      if (body.length === 0)
        throw wrongField('file', 'is empty', 'Choose the file that your tool chain built.');
      const within = versionWithin(body);
      if (within !== null && within !== version)
        throw wrongField(
          'version',
          `: the file says that it is ${within}`,
          `Upload it as ${within}, or set FIRMWARE_VERSION in the program and build it again.`,
        );
      const there = await models.firmwares.count({
        where: { workspaceId: scope.workspaceId, kindId: kind.id },
      });
      if (there >= MOST_FIRMWARES)
        throw conflict(
          `A kind keeps ${counted(MOST_FIRMWARES, 'program')} at most. Delete an old one first.`,
        );
      const notes = String(request.query.notes ?? '').slice(0, LONGEST_NOTES);
      const row = await book
        .add(
          { workspaceId: scope.workspaceId, kindId: kind.id, version, notes, userName: scope.userName },
          body,
        )
        .catch((error: unknown) => {
          if (!(error instanceof UniqueConstraintError)) throw error;
          throw conflict(
            `This kind has a program ${version} already. Boards know a program by its version: give this one another.`,
          );
        });
      bus.emit('live', {
        workspaceId: scope.workspaceId,
        message: { type: 'changed', what: 'kinds', id: kind.id, by: scope.userName },
      });
      await write(store, scope, {
        what: 'firmware',
        act: 'uploaded',
        target: version,
        title: `${kind.title} ${version}`,
        details: [],
      }).catch((error: Error) => parts.log.warn({ err: error }, 'an upload was not written down'));
      response.status(201).location(request.path).json(toFirmware(row));
    },
  );
}
