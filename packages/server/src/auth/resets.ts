import { randomBytes, timingSafeEqual } from 'node:crypto';
import fs from 'node:fs';
import path from 'node:path';
import { now as clockNow } from '../clock';
import { ProblemError } from '../problems';
import { hashSecret } from '../registry';
import type { ResetRow } from '../store/models';
import { findOne, insert } from '../store/rows';
import type { Store } from '../store/store';

const HOLDS_MS = 3_600_000;
const SECRET_BYTES = 24;
const KEY_FILE = 'reset-key';

/** A secret with which an account's password, or its email, is changed: works once, for an hour. */
export async function makeReset(
  store: Store,
  userId: number,
  email: string | null = null,
): Promise<{ secret: string; endsAt: number }> {
  const secret = randomBytes(SECRET_BYTES).toString('base64url');
  const endsAt = clockNow() + HOLDS_MS;
  await store.withConnection((connection) =>
    connection.query('DELETE FROM resets WHERE endsAt < ? LIMIT 100', [clockNow()]),
  );
  await insert(store.models.resets, { secretHash: hashSecret(secret), userId, email, endsAt });
  return { secret, endsAt };
}

/** Uses a secret up, whoever else uses it at the same moment; throws where it is none, or of another purpose. */
export async function takeReset(store: Store, secret: string, isOfEmail: boolean): Promise<ResetRow> {
  const secretHash = hashSecret(secret);
  const row = await findOne(store.models.resets, { secretHash });
  const gone =
    row === null || (row.email !== null) !== isOfEmail
      ? 0
      : await store.models.resets.destroy({ where: { secretHash } });
  if (row === null || gone === 0 || row.endsAt < clockNow())
    throw new ProblemError(
      'link-not-valid',
      'This link was used, or is older than an hour. Ask for a new one.',
    );
  return row;
}

/** Writes a key into the data folder, new at every start: whoever reads it owns the machine, and may reset any password. */
export function writeMachineKey(folder: string): (key: string) => boolean {
  const key = randomBytes(SECRET_BYTES).toString('base64url');
  fs.writeFileSync(path.join(folder, KEY_FILE), key, { mode: 0o600 });
  fs.chmodSync(path.join(folder, KEY_FILE), 0o600);
  const expected = hashSecret(key);
  return (given) => timingSafeEqual(hashSecret(given), expected);
}
