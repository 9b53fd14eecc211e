import { randomBytes, timingSafeEqual } from 'node:crypto';
import fs from 'node:fs';
import path from 'node:path';
import { Op, type Transaction } from 'sequelize';
import { clockMayTidy, now as clockNow } from '../clock';
import { ProblemError } from '../problems';
import { hashSecret } from '../registry';
import type { ResetRow } from '../store/models';
import { findAll, findOne, insert } from '../store/rows';
import type { Store } from '../store/store';

const HOLDS_MS = 3_600_000;
const SECRET_BYTES = 24;
const KEY_FILE = 'reset-key';

/** What a secret is for: an email to be taken, or a new password; by whom it was made where it was not the person. */
interface ResetFor {
  email?: string;
  /** The workspace of the owner who made it. */
  workspaceId?: number;
  /** Made on the machine of the service. */
  endsFactor?: boolean;
}

/** A secret with which an account's password, or its email, is changed: works once, for an hour. */
export async function makeReset(
  store: Store,
  userId: number,
  { email, workspaceId, endsFactor = false }: ResetFor = {},
): Promise<{ secret: string; endsAt: number }> {
  const secret = randomBytes(SECRET_BYTES).toString('base64url');
  const endsAt = clockNow() + HOLDS_MS;
  await store.withConnection((connection) =>
    connection.query('DELETE FROM resets WHERE endsAt < ? AND ? LIMIT 100', [clockNow(), clockMayTidy()]),
  );
  await insert(store.models.resets, {
    secretHash: hashSecret(secret),
    userId,
    email: email ?? null,
    workspaceId: workspaceId ?? null,
    endsFactor: Number(endsFactor),
    endsAt,
  });
  return { secret, endsAt };
}

/** The row of a secret, which is not used up yet; throws where it is none, too old, or of another purpose. */
export async function readReset(
  store: Store,
  secret: string,
  isOfEmail: boolean,
  transaction?: Transaction,
): Promise<ResetRow> {
  const row = await findOne(store.models.resets, { secretHash: hashSecret(secret) }, transaction);
  if (row === null || row.endsAt < clockNow() || (row.email !== null) !== isOfEmail) throw notValid();
  return row;
}

/**
 * Uses a secret up, whoever else uses it at the same moment; throws where it is none, or of another purpose. One that an owner made is
 * void once its person belongs to any other workspace: a password opens all of them.
 */
export async function takeReset(
  store: Store,
  secret: string,
  isOfEmail: boolean,
  transaction: Transaction,
): Promise<ResetRow> {
  const row = await readReset(store, secret, isOfEmail, transaction);
  const gone = await store.models.resets.destroy({ where: { secretHash: row.secretHash }, transaction });
  if (gone === 0) throw notValid();
  if (row.workspaceId === null) return row;
  const memberships = await findAll(store.models.memberships, { where: { userId: row.userId }, transaction });
  if (memberships.length !== 1 || memberships[0]!.workspaceId !== row.workspaceId) throw notValid();
  return row;
}

/** Ends links for somebody that owners made, once that person joins or makes another workspace. */
export async function endOwnersResets(store: Store, userId: number, transaction: Transaction): Promise<void> {
  await store.models.resets.destroy({
    where: { userId, workspaceId: { [Op.ne]: null } } as never,
    transaction,
  });
}

const notValid = (): ProblemError =>
  new ProblemError('link-not-valid', 'This link was used, or is older than an hour. Ask for a new one.');

/** Writes a key into the data folder, new at every start: whoever reads it owns the machine, and may reset any password. */
export function writeMachineKey(folder: string): (key: string) => boolean {
  const key = randomBytes(SECRET_BYTES).toString('base64url');
  fs.writeFileSync(path.join(folder, KEY_FILE), key, { mode: 0o600 });
  fs.chmodSync(path.join(folder, KEY_FILE), 0o600);
  const expected = hashSecret(key);
  return (given) => timingSafeEqual(hashSecret(given), expected);
}
