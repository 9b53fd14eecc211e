import { createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import webpush from 'web-push';
import type { Store } from '../store/store';

/** The pair of keys by which push services know this service (RFC 8292), base64url. */
export interface PushKeys {
  publicKey: string;
  privateKey: string;
}

/** A secret of the service, made when it is first needed; whoever comes second of several services takes that of the first. */
async function secretOf(store: Store, name: string, make: () => string): Promise<string> {
  return store.withConnection(async (connection) => {
    const read = async (): Promise<string | undefined> =>
      (
        (await connection.query('SELECT secret FROM serviceSecrets WHERE name = ?', [name])) as {
          secret: string;
        }[]
      )[0]?.secret;
    const known = await read();
    if (known !== undefined) return known;
    await connection.query('INSERT IGNORE INTO serviceSecrets (name, secret) VALUES (?, ?)', [name, make()]);
    return (await read())!;
  });
}

/** The keys of the service's push messages. They are in the database and its backup: without them every phone must be added again. */
export async function readPushKeys(store: Store): Promise<PushKeys> {
  return JSON.parse(
    await secretOf(store, 'push', () => JSON.stringify(webpush.generateVAPIDKeys())),
  ) as PushKeys;
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
