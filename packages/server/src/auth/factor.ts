import { randomInt } from 'node:crypto';
import { Secret, TOTP } from 'otpauth';
import { now as clockNow } from '../clock';
import { hashSecret } from '../registry';
import type { UserRow } from '../store/models';
import type { Store } from '../store/store';
import type { Sealer } from './secrets';

/** Steps before and after now whose code is taken too: a phone's clock is never quite right. */
const WINDOW = 1;
const PERIOD_S = 30;
const CODES = 8;
/** Letters and digits of recovery codes that nobody mistakes for each other. */
const LETTERS = 'abcdefghjkmnpqrstuvwxyz23456789';

const totp = (secret: Secret, label: string): TOTP =>
  new TOTP({ issuer: 'Peatmoor', label, secret, algorithm: 'SHA1', digits: 6, period: PERIOD_S });

/** A new secret for an app that shows codes (RFC 6238), and the address that its picture code holds. */
export function newFactor(label: string): { secret: string; uri: string } {
  const secret = new Secret({ size: 20 });
  return { secret: secret.base32, uri: totp(secret, label).toString() };
}

/** The step that a code is of; null for a wrong one, or a secret that is none. */
export function stepOf(secret: string, code: string): number | null {
  try {
    const token = code.replace(/\s/g, '');
    if (!/^\d{6}$/.test(token)) return null;
    const timestamp = clockNow();
    const delta = totp(Secret.fromBase32(secret), '').validate({ token, timestamp, window: WINDOW });
    return delta === null ? null : Math.floor(timestamp / 1000 / PERIOD_S) + delta;
  } catch {
    return null;
  }
}

/** Codes for the day on which the phone is lost: each works once. */
export function newRecoveryCodes(): string[] {
  const part = (): string => Array.from({ length: 5 }, () => LETTERS[randomInt(LETTERS.length)]).join('');
  return Array.from({ length: CODES }, () => `${part()}-${part()}`);
}

export const recoveryHash = (code: string): string =>
  hashSecret(code.trim().toLowerCase().replace(/[\s-]/g, '')).toString('base64url');

/**
 * Takes the code of a second factor, or a recovery code; false for one that is wrong or was used. What is used is written down
 * in the statement that compares it, so that of two who send the same code at once one is refused.
 */
export async function takeCode(store: Store, sealer: Sealer, user: UserRow, code: string): Promise<boolean> {
  const secret = sealer.open(user.factor ?? '');
  const step = secret === null ? null : stepOf(secret, code);
  return store.withConnection(async (connection) => {
    const change = async (sql: string, values: unknown[]): Promise<boolean> =>
      ((await connection.query(sql, values)) as { affectedRows: number }).affectedRows === 1;
    if (step !== null)
      return change('UPDATE users SET factorStep = ? WHERE id = ? AND factorStep < ?', [step, user.id, step]);
    const used = recoveryHash(code);
    if (!user.recovery.includes(used)) return false;
    const left = user.recovery.filter((one) => one !== used);
    return change('UPDATE users SET recovery = ? WHERE id = ? AND recovery = ?', [
      JSON.stringify(left),
      user.id,
      JSON.stringify(user.recovery),
    ]);
  });
}
