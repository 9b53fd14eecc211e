declare module 'http_ece' {
  import type { ECDH } from 'node:crypto';
  interface Options {
    version: 'aes128gcm';
    privateKey: ECDH;
    dh: string;
    authSecret: string;
  }
  const ece: { decrypt(body: Buffer, options: Options): Buffer };
  // The package has no other.
  // eslint-disable-next-line import-x/no-default-export
  export default ece;
}
