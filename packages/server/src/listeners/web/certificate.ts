import { X509Certificate } from 'node:crypto';
import { rootCertificates } from 'node:tls';

/** True where a certificate chain (PEM) leads to an authority that browsers know from the start. */
export function isPublic(chain: Buffer): boolean {
  const last = chain
    .toString('latin1')
    .match(/-----BEGIN CERTIFICATE-----[^-]+-----END CERTIFICATE-----/g)
    ?.map((pem) => new X509Certificate(pem))
    .at(-1);
  if (last === undefined) return false;
  return rootCertificates.some((pem) => {
    const root = new X509Certificate(pem);
    return (
      last.fingerprint256 === root.fingerprint256 || (last.checkIssued(root) && last.verify(root.publicKey))
    );
  });
}
