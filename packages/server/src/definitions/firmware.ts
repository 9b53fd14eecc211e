import { createPrivateKey, generateKeyPairSync, sign, webcrypto, type KeyObject } from 'node:crypto';
import { promisify } from 'node:util';
import {
  firmwareAsked,
  isAmongFirst,
  isFailure,
  isOffered,
  MOST_RANGE_BYTES,
  readRange,
  refusal,
  type AskedFirmware,
  type FirmwareState,
  type Refusal,
} from '@peatmoor/core';
import type { Sealer } from '../auth/secrets';
import type { Bus } from '../bus';
import { now as clockNow } from '../clock';
import type { DeviceEntry } from '../registry';
import type { FirmwareKeyRow, FirmwareRow, FirmwareStateRow, RoundRow } from '../store/models';
import { notFound } from '../problems';
import { addTo, changeIn, listIn, oneIn } from '../store/rows';
import type { Store } from '../store/store';

/** Bytes of a file in one row: a board fetches as many at the most, so that no question reads more than two. */
const PART_BYTES = MOST_RANGE_BYTES;

const signAside = promisify(
  sign as (
    algorithm: string,
    body: Buffer,
    key: KeyObject,
    done: (error: Error | null, signature: Buffer) => void,
  ) => void,
);

/** What a board is told of the program that is meant for it; `version` null for none. */
export type FirmwareAnswer =
  | { version: null; state?: FirmwareState }
  | { version: string; size: number; sha256: string; signature: string };

/** Bytes of a program, and where they stand in it. */
export interface FirmwareBytes {
  bytes: Buffer;
  start: number;
  size: number;
}

/** Programs of kinds: signed, given in rounds, fetched by boards. */
export interface FirmwareBook {
  /** The public half of a kind's key (PEM); made with the first question. */
  publicKey(workspaceId: number, kindId: number): Promise<string>;
  /** Signs a file with the key of its kind (ECDSA on P-256 over SHA-256, in DER) and keeps both. */
  add(
    about: Pick<FirmwareRow, 'workspaceId' | 'kindId' | 'version' | 'notes' | 'userName'>,
    body: Buffer,
  ): Promise<FirmwareRow>;
  /** A board asks; what it says it has tells what became of the one before. */
  ask(entry: DeviceEntry, asked: AskedFirmware): Promise<FirmwareAnswer>;
  /** A part of the program that a board was told of; a refusal where it was not, `null` for a range that is not there. */
  read(
    entry: DeviceEntry,
    version: string,
    range: string | undefined,
  ): Promise<FirmwareBytes | Refusal | null>;
  /** A board says how far it came: the whole was fetched and is right, or not. */
  said(
    entry: DeviceEntry,
    version: string,
    state: 'fetched' | 'failed',
    note: string,
  ): Promise<Refusal | null>;
}

export function createFirmwareBook(store: Store, sealer: Sealer, bus: Bus): FirmwareBook {
  const { models } = store;
  const opened = ({ publicKey, sealed }: FirmwareKeyRow): { publicKey: string; privateKey: string } => ({
    publicKey,
    privateKey: sealer.open(sealed)!,
  });
  const keyOf = async (
    workspaceId: number,
    kindId: number,
  ): Promise<{ publicKey: string; privateKey: string }> => {
    const found = await oneIn(models.firmwareKeys, workspaceId, { kindId });
    if (found !== null) return opened(found);
    const made = generateKeyPairSync('ec', {
      namedCurve: 'prime256v1',
      publicKeyEncoding: { type: 'spki', format: 'pem' },
      privateKeyEncoding: { type: 'pkcs8', format: 'pem' },
    });
    // Of two who ask at once the first one's key is everybody's.
    await store.withConnection((connection) =>
      connection.query(
        'INSERT IGNORE INTO firmwareKeys (kindId, workspaceId, publicKey, sealed) VALUES (?, ?, ?, ?)',
        [kindId, workspaceId, made.publicKey, sealer.seal(made.privateKey)],
      ),
    );
    const kept = await oneIn(models.firmwareKeys, workspaceId, { kindId });
    // Its kind was deleted at the same moment.
    if (kept === null) throw notFound('kind', String(kindId));
    return opened(kept);
  };
  const tell = ({ workspaceId }: Pick<DeviceEntry, 'workspaceId'>, kindId: number): void =>
    bus.emit('live', { workspaceId, message: { type: 'changed', what: 'kinds', id: kindId } });
  const stateOf = async (entry: DeviceEntry, firmwareId: number): Promise<FirmwareStateRow | null> =>
    oneIn(models.firmwareStates, entry.workspaceId, { deviceRowId: entry.rowId, firmwareId });
  const keep = async (
    entry: DeviceEntry,
    round: Pick<RoundRow, 'id' | 'firmwareId' | 'mostFailures'>,
    state: FirmwareState,
    note: string,
  ): Promise<void> => {
    await store.withConnection((connection) =>
      connection.query(
        `INSERT INTO firmwareStates (deviceRowId, firmwareId, workspaceId, roundId, state, note, bytes, at) VALUES (?, ?, ?, ?, ?, ?, 0, ?)
          ON DUPLICATE KEY UPDATE bytes = IF(roundId = VALUES(roundId), bytes, 0), roundId = VALUES(roundId), state = VALUES(state), note = VALUES(note), at = VALUES(at)`,
        [entry.rowId, round.firmwareId, entry.workspaceId, round.id, state, note.slice(0, 200), clockNow()],
      ),
    );
    if (isFailure(state)) await stopAtFailures(entry, round);
    tell(entry, entry.kindId);
  };
  const stopAtFailures = async (
    entry: DeviceEntry,
    { id, mostFailures }: Pick<RoundRow, 'id' | 'mostFailures'>,
  ): Promise<void> => {
    const failures = await models.firmwareStates.count({
      where: { roundId: id, workspaceId: entry.workspaceId, state: ['failed', 'went-back'] },
    });
    if (failures < mostFailures) return;
    const reason = `Stopped by itself: it failed on ${failures} of at most ${mostFailures}.`;
    await changeIn(
      models.firmwareRounds,
      entry.workspaceId,
      { id, state: 'going' },
      { state: 'stopped', reason },
    );
  };
  /** The newest round that goes and covers a device. */
  const roundFor = async (entry: DeviceEntry): Promise<RoundRow | undefined> =>
    (
      await listIn(models.firmwareRounds, entry.workspaceId, {
        where: { kindId: entry.kindId, state: 'going' },
        order: [['id', 'DESC']],
      })
    ).find(
      ({ id, sort, target, percent }) =>
        (sort === 'kind' || (sort === 'label' ? entry.labels.includes(target) : target === entry.id)) &&
        isAmongFirst(id, entry.rowId, percent),
    );
  const versionOf = (entry: DeviceEntry, version: string): Promise<FirmwareRow | null> =>
    oneIn(models.firmwares, entry.workspaceId, { kindId: entry.kindId, version });

  /** What it has tells what became of the one that it fetched last, whichever round goes now. */
  const settle = async (entry: DeviceEntry, asked: AskedFirmware): Promise<void> => {
    const waiting = await listIn(models.firmwareStates, entry.workspaceId, {
      where: { deviceRowId: entry.rowId, state: 'fetched' },
    });
    for (const row of waiting) {
      const firmware = await oneIn(models.firmwares, entry.workspaceId, { id: row.firmwareId });
      const round = await oneIn(models.firmwareRounds, entry.workspaceId, { id: row.roundId });
      if (firmware === null || round === null) continue;
      const state = firmwareAsked(firmware.version, asked, 'fetched');
      await keep(entry, round, state, state === 'confirmed' ? '' : `It runs ${asked.has} again.`);
    }
  };

  return {
    publicKey: async (workspaceId, kindId) => (await keyOf(workspaceId, kindId)).publicKey,
    async add({ workspaceId, ...about }, body) {
      const { privateKey } = await keyOf(workspaceId, about.kindId);
      // Both beside the event loop: eight megabytes take their time.
      const [sha256, signature] = await Promise.all([
        webcrypto.subtle.digest('SHA-256', body),
        signAside('sha256', body, createPrivateKey(privateKey)),
      ]);
      return store.transaction(async (transaction) => {
        const row = await addTo(
          models.firmwares,
          workspaceId,
          { ...about, size: body.length, sha256: Buffer.from(sha256), signature, madeAt: clockNow() },
          transaction,
        );
        // Each part is a statement of its own: one of eight megabytes is more than a database takes, and holds everybody up.
        for (let part = 0; part * PART_BYTES < body.length; part++)
          await models.firmwareParts.create(
            { firmwareId: row.id, part, body: body.subarray(part * PART_BYTES, (part + 1) * PART_BYTES) },
            { transaction },
          );
        return row;
      });
    },
    async ask(entry, asked) {
      await settle(entry, asked);
      const round = await roundFor(entry);
      if (round === undefined) return { version: null };
      const firmware = (await oneIn(models.firmwares, entry.workspaceId, { id: round.firmwareId }))!;
      const before = await stateOf(entry, firmware.id);
      // What failed in one round may be tried again in another.
      const state = before !== null && before.roundId === round.id ? before.state : null;
      const next = firmwareAsked(firmware.version, asked, state);
      if (next !== state)
        await keep(entry, round, next, next === 'cannot' ? 'The board has no room for two programs.' : '');
      if (!isOffered(next)) return { version: null, state: next };
      const { version, size, sha256, signature } = firmware;
      return {
        version,
        size,
        sha256: Buffer.from(sha256).toString('hex'),
        signature: Buffer.from(signature).toString('hex'),
      };
    },
    async read(entry, version, range) {
      const firmware = await versionOf(entry, version);
      const state = firmware && (await stateOf(entry, firmware.id));
      if (firmware === null || state === null || !isOffered(state.state)) return notForIt(version);
      const part = readRange(range, firmware.size);
      if (part === null) return null;
      const { start, end } = part;
      const bytes = await store.withConnection(async (connection) => {
        const first = Math.floor(start / PART_BYTES);
        const rows = (await connection.query(
          'SELECT body FROM firmwareParts WHERE firmwareId = ? AND part BETWEEN ? AND ? ORDER BY part',
          [firmware.id, first, Math.floor((end - 1) / PART_BYTES)],
        )) as { body: Buffer }[];
        await connection.query(
          'UPDATE firmwareStates SET bytes = GREATEST(bytes, ?), at = ? WHERE deviceRowId = ? AND firmwareId = ? AND workspaceId = ?',
          [end, clockNow(), entry.rowId, firmware.id, entry.workspaceId],
        );
        const from = first * PART_BYTES;
        return Buffer.concat(rows.map(({ body }) => body)).subarray(start - from, end - from);
      });
      return bytes.length < end - start ? notForIt(version) : { bytes, start, size: firmware.size };
    },
    async said(entry, version, state, note) {
      const firmware = await versionOf(entry, version);
      const row = firmware && (await stateOf(entry, firmware.id));
      const round = row && (await oneIn(models.firmwareRounds, entry.workspaceId, { id: row.roundId }));
      if (!row || !round || !(isOffered(row.state) || row.state === 'fetched')) return notForIt(version);
      await keep(entry, round, state, note);
      return null;
    },
  };
}

const notForIt = (version: string): Refusal =>
  refusal(
    '',
    'wrong-topic',
    `No program "${version.slice(0, 32)}" is meant for this device. Ask at GET /device/firmware?has=…&slots=2 first.`,
  );
