import { createCipheriv, createDecipheriv, createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import type { Store } from '../store/store';

/** A secret of the service, made when it is first needed; whoever comes second of several services takes that of the first. */
export async function secretOf(
  store: Store,
  name: string,
  make: () => string | Promise<string>,
): Promise<string> {
  return store.withConnection(async (connection) => {
    const read = async (): Promise<string | undefined> =>
      (
        (await connection.query('SELECT secret FROM serviceSecrets WHERE name = ?', [name])) as {
          secret: string;
        }[]
      )[0]?.secret;
    const known = await read();
    if (known !== undefined) return known;
    await connection.query('INSERT IGNORE INTO serviceSecrets (name, secret) VALUES (?, ?)', [
      name,
      await make(),
    ]);
    return (await read())!;
  });
}

/** Keeps what has to be read again under the service's key (AES-256-GCM): in the database and its backups stands nothing readable. */
export interface Sealer {
  seal(text: string): string;
  /** What was sealed; null where it was not sealed here. */
  open(sealed: string): string | null;
}

const NONCE_BYTES = 12;
const TAG_BYTES = 16;

export async function readSealer(store: Store): Promise<Sealer> {
  const key = Buffer.from(await secretOf(store, 'seal', () => randomBytes(32).toString('base64')), 'base64');
  return {
    seal(text) {
      const nonce = randomBytes(NONCE_BYTES);
      const cipher = createCipheriv('aes-256-gcm', key, nonce);
      const body = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
      return Buffer.concat([nonce, cipher.getAuthTag(), body]).toString('base64url');
    },
    open(sealed) {
      try {
        const bytes = Buffer.from(sealed, 'base64url');
        const cipher = createDecipheriv('aes-256-gcm', key, bytes.subarray(0, NONCE_BYTES));
        cipher.setAuthTag(bytes.subarray(NONCE_BYTES, NONCE_BYTES + TAG_BYTES));
        return (
          cipher.update(bytes.subarray(NONCE_BYTES + TAG_BYTES), undefined, 'utf8') + cipher.final('utf8')
        );
      } catch {
        return null;
      }
    },
  };
}

/** Signs what stands in links. */
export interface Signer {
  sign(text: string): string;
  /** What was signed; null where it was not signed here. */
  check(signed: string): string | null;
}

const SIGNATURE_BYTES = 18;

export async function readSigner(store: Store): Promise<Signer> {
  const key = Buffer.from(await secretOf(store, 'links', () => randomBytes(32).toString('base64')), 'base64');
  const of = (text: string): Buffer =>
    createHmac('sha256', key).update(text).digest().subarray(0, SIGNATURE_BYTES);
  return {
    // Without a dot, by which the address of a file is known.
    sign: (text) => `${Buffer.from(text).toString('base64url')}~${of(text).toString('base64url')}`,
    check(signed) {
      const [body = '', signature = ''] = signed.slice(0, 500).split('~');
      const text = Buffer.from(body, 'base64url').toString();
      // Letter by letter: decoding alone passes over what does not belong.
      const given = Buffer.from(signed.slice(0, 500));
      const right = Buffer.from(`${body}~${of(text).toString('base64url')}`);
      return signature !== '' && given.length === right.length && timingSafeEqual(given, right) ? text : null;
    },
  };
}
