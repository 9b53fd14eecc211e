import type { CertificateState } from '@peatmoor/contract';
import type { Express } from 'express';
import { makeLocalCertificate, ownNames, readAuthority, readLocalCertificate } from '../certificate/local';
import { conflict, ProblemError } from '../problems';
import type { ApiParts, Handlers } from './context';

/** A phone asks for this, before it trusts anything of the service. */
export const AUTHORITY_PATH = '/authority.crt';

export function certificateHandlers({
  config,
  renewCertificate,
}: ApiParts): Pick<Handlers, 'readCertificate' | 'makeCertificate'> {
  const state = (): CertificateState => ({
    certificate: readLocalCertificate(config.dataFolder),
    inUse: config.tls !== null,
  });
  return {
    readCertificate: () => Promise.resolve(state()),
    makeCertificate: async ({ body }) => {
      const local = readLocalCertificate(config.dataFolder);
      if (config.tls !== null && local === null)
        throw conflict('A certificate is set by PEATMOOR_TLS_CERT already: phones need no other.');
      const publicHost = config.publicUrl === null ? null : new URL(config.publicUrl).hostname;
      const { names } = body as { names?: string[] };
      await makeLocalCertificate(config.dataFolder, names ?? ownNames(publicHost, config.localName));
      await renewCertificate();
      return state();
    },
  };
}

/** Hands out the authority's certificate: public by its nature. */
export function serveAuthority(app: Express, { config }: Pick<ApiParts, 'config'>): void {
  app.get(AUTHORITY_PATH, (_request, response) => {
    const authority = readAuthority(config.dataFolder);
    if (authority === null)
      throw new ProblemError(
        'not-found',
        'No certificate was made yet. An owner makes it under Settings, or by "peatmoor certificate".',
      );
    response
      .type('application/x-x509-ca-cert')
      .setHeader('content-disposition', 'attachment; filename="peatmoor-authority.crt"')
      .send(authority);
  });
}
