import { createCipheriv, createDecipheriv, createHash, createHmac, hkdfSync, randomBytes } from 'node:crypto';
import type { Request } from 'express';
import type { Connection } from 'mariadb';
import { countedAddress } from '../listeners/address';
import { ProblemError, wrongField } from '../problems';
import type { Store } from '../store/store';
import type { Scope } from './scope';

/** What came of a call, as it is given again to whoever repeats it. */
export interface Outcome {
  status: number;
  body: unknown;
  headers: Record<string, string | string[]>;
}

/** Seconds after which a call that has not ended counts as broken off. */
const BROKEN_OFF_S = 120;
/** Bytes of answers, and calls, that are kept of one caller. */
const MOST_BYTES = 2 * 2 ** 20;
const MOST_ROWS = 20_000;
/** Hours for which an outcome is kept. */
const KEPT_H = 24;

/**
 * Does a call once for each Idempotency-Key of a caller: whoever sends it again with the same key is given what came of it,
 * secrets and all. Outcomes are kept enciphered under a key that is made from the Idempotency-Key, of which only a hash is
 * kept. A call that was refused left nothing behind, and may be sent again with the same key.
 */
export async function onceFor(
  store: Store,
  scope: Scope | null,
  request: Request,
  work: () => Promise<Outcome>,
): Promise<Outcome> {
  const key = request.headers['idempotency-key'];
  if (request.method !== 'POST' || key === undefined) return work();
  if (typeof key !== 'string' || !/^[\x21-\x7e]{16,255}$/.test(key))
    throw wrongField(
      'Idempotency-Key',
      'is not 16 to 255 letters and digits without spaces',
      'Make a random one for each new call, such as a UUID.',
    );
  const name = callerOf(scope, request);
  const keyHash = sha256(`${name}\n${key}`);
  const caller = sha256(name).subarray(0, 16);
  // Under the key, as a body may hold a password.
  const callHash = createHmac('sha256', key)
    .update(`${request.originalUrl}\n${JSON.stringify(request.body ?? null)}`)
    .digest();
  const before = await begin(store, { keyHash, callHash, caller });
  if (before !== null) return repeated(before, callHash, key);
  let outcome: Outcome;
  try {
    outcome = await work();
  } catch (error) {
    await forget(store, keyHash).catch(() => undefined);
    throw error;
  }
  const answer = encipher(key, JSON.stringify(outcome));
  await store.withConnection(async (connection) => {
    await connection.query("UPDATE repeats SET state = 'done', answer = ?, bytes = ? WHERE keyHash = ?", [
      answer.length > MOST_BYTES ? null : answer,
      answer.length,
      keyHash,
    ]);
    await trim(connection, caller, keyHash);
  });
  return outcome;
}

/** Of a caller whose answers are very many, the older half is let go, never the newest; that their calls were done is still known. */
async function trim(connection: Connection, caller: Buffer, newest: Buffer): Promise<void> {
  const [row] = (await connection.query(
    'SELECT SUM(bytes) AS bytes, COUNT(*) AS count FROM repeats WHERE caller = ? AND answer IS NOT NULL',
    [caller],
  )) as { bytes: number | null; count: number }[];
  if (Number(row?.bytes ?? 0) <= MOST_BYTES) return;
  await connection.query(
    'UPDATE repeats SET answer = NULL, bytes = 0 WHERE caller = ? AND answer IS NOT NULL AND keyHash <> ? ORDER BY madeAt LIMIT ?',
    [caller, newest, Math.ceil(Number(row!.count) / 2)],
  );
}

interface RepeatRow {
  callHash: Buffer;
  state: 'working' | 'done';
  answer: Buffer | null;
  seconds: number;
}

/** Writes down that a call begins; gives what is known of the same one where it came before. */
async function begin(
  store: Store,
  { keyHash, callHash, caller }: { keyHash: Buffer; callHash: Buffer; caller: Buffer },
): Promise<RepeatRow | null> {
  return store.withConnection(async (connection) => {
    await connection.query('DELETE FROM repeats WHERE madeAt < NOW(3) - INTERVAL ? HOUR LIMIT 100', [KEPT_H]);
    const { affectedRows } = (await connection.query(
      "INSERT IGNORE INTO repeats (keyHash, callHash, caller, state, madeAt) SELECT ?, ?, ?, 'working', NOW(3) FROM DUAL WHERE (SELECT COUNT(*) FROM repeats WHERE caller = ?) < ?",
      [keyHash, callHash, caller, caller, MOST_ROWS],
    )) as { affectedRows: number };
    if (affectedRows === 1) return null;
    const [row] = (await connection.query(
      'SELECT callHash, state, answer, TIMESTAMPDIFF(SECOND, madeAt, NOW(3)) AS seconds FROM repeats WHERE keyHash = ?',
      [keyHash],
    )) as RepeatRow[];
    if (row === undefined) {
      const [known] = (await connection.query('SELECT COUNT(*) AS count FROM repeats WHERE caller = ?', [
        caller,
      ])) as { count: number }[];
      if (Number(known!.count) >= MOST_ROWS)
        throw new ProblemError(
          'too-often',
          `${MOST_ROWS} calls with an Idempotency-Key were done within a day. Wait some hours, or send this one without a key.`,
          { retryAfterS: 3600 },
        );
      // Forgotten at this very moment, because the other one was refused.
      throw stillUnderWay();
    }
    return row;
  });
}

function repeated(row: RepeatRow, callHash: Buffer, key: string): Outcome {
  if (!row.callHash.equals(callHash))
    throw new ProblemError(
      'key-used-otherwise',
      'This Idempotency-Key came with another call already. Make a new key for a new call.',
    );
  if (row.state === 'done' && row.answer !== null) return JSON.parse(decipher(key, row.answer)) as Outcome;
  if (row.state === 'done')
    throw new ProblemError(
      'outcome-not-known',
      'This call was done, and its answer is kept no more. Look at what there is instead of sending it again.',
    );
  if (Number(row.seconds) < BROKEN_OFF_S) throw stillUnderWay();
  throw new ProblemError(
    'outcome-not-known',
    'The service stopped while it worked on this call. Look whether it was done; if it was not, send it with a new Idempotency-Key.',
  );
}

function stillUnderWay(): ProblemError {
  return new ProblemError(
    'still-under-way',
    'The same call is being worked on. Send it again in a second, with the same Idempotency-Key.',
    { retryAfterS: 1 },
  );
}

async function forget(store: Store, keyHash: Buffer): Promise<void> {
  await store.withConnection((connection) =>
    connection.query('DELETE FROM repeats WHERE keyHash = ?', [keyHash]),
  );
}

/** Keys of different callers never meet. */
function callerOf(scope: Scope | null, request: Request): string {
  if (scope === null) return `anybody at ${countedAddress(request)}`;
  const way = scope.pass.kind === 'key' ? `key ${scope.pass.id}` : 'session';
  return `${scope.workspaceId} ${scope.userId} ${way}`;
}

const sha256 = (text: string): Buffer => createHash('sha256').update(text).digest();

/** AES-256-GCM: salt, nonce, tag, then the text. */
function encipher(key: string, text: string): Buffer {
  const salt = randomBytes(16);
  const nonce = randomBytes(12);
  const cipher = createCipheriv('aes-256-gcm', cipherKey(key, salt), nonce);
  const body = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
  return Buffer.concat([salt, nonce, cipher.getAuthTag(), body]);
}

function decipher(key: string, kept: Buffer): string {
  const decipher = createDecipheriv(
    'aes-256-gcm',
    cipherKey(key, kept.subarray(0, 16)),
    kept.subarray(16, 28),
  );
  decipher.setAuthTag(kept.subarray(28, 44));
  return decipher.update(kept.subarray(44), undefined, 'utf8') + decipher.final('utf8');
}

const cipherKey = (key: string, salt: Buffer): Buffer =>
  Buffer.from(hkdfSync('sha256', key, salt, 'peatmoor repeats', 32));
