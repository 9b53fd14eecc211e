import { secretOf } from '../auth/secrets';
import type { Store } from '../store/store';

/** The pair of keys by which push services know this service (RFC 8292), base64url. */
export interface PushKeys {
  publicKey: string;
  privateKey: string;
}

/** The keys of the service's push messages. They are in the database and its backup: without them every phone must be added again. */
export async function readPushKeys(store: Store): Promise<PushKeys> {
  return JSON.parse(
    await secretOf(store, 'push', async () => {
      const { default: webpush } = await import('web-push');
      return JSON.stringify(webpush.generateVAPIDKeys());
    }),
  ) as PushKeys;
}
