import { X509Certificate } from 'node:crypto';
import type { Logger } from 'pino';
import { onClockBack } from '../clock';
import { localPair, readLocalCertificate, type Pair } from './local';

/** How often it is looked whether the certificate ends soon. */
const LOOK_MS = 12 * 3_600_000;

/** Keeps a service answering by the newest certificate of its folder; does nothing where it answers by none of there. */
export function startRenewing(
  { dataFolder, isLocal, log }: { dataFolder: string; isLocal: boolean; log: Logger },
  answerBy: (pair: Pair) => void,
): {
  renew(): Promise<void>;
  /** When the one of the folder ends, epoch ms; null where it answers by none of there. */
  endsAt(): number | null;
  stop(): void;
} {
  const readEnd = (): number | null => (isLocal ? (readLocalCertificate(dataFolder)?.endsAt ?? null) : null);
  let end = readEnd();
  const renew = async (): Promise<void> => {
    const pair = isLocal ? await localPair(dataFolder) : null;
    if (pair === null) return;
    answerBy(pair);
    end = readEnd();
  };
  const look = (): void =>
    void renew().catch((error: Error) => log.warn({ err: error }, 'the certificate could not be renewed'));
  const timer = setInterval(look, LOOK_MS);
  const silence = onClockBack(look);
  return {
    renew,
    endsAt: () => end,
    stop() {
      clearInterval(timer);
      silence();
    },
  };
}

/** When a certificate ends (the first of a chain, PEM), epoch ms; null for none. */
export function endOf(tls: { cert: Buffer } | null): number | null {
  return tls === null ? null : Date.parse(new X509Certificate(tls.cert).validTo);
}
