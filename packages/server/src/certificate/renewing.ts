import type { Logger } from 'pino';
import { localPair, type Pair } from './local';

/** How often it is looked whether the certificate ends soon. */
const LOOK_MS = 12 * 3_600_000;

/** Keeps a service answering by the newest certificate of its folder; does nothing where it answers by none of there. */
export function startRenewing(
  { dataFolder, isLocal, log }: { dataFolder: string; isLocal: boolean; log: Logger },
  answerBy: (pair: Pair) => void,
): { renew(): Promise<void>; stop(): void } {
  const renew = async (): Promise<void> => {
    const pair = isLocal ? await localPair(dataFolder) : null;
    if (pair !== null) answerBy(pair);
  };
  const timer = setInterval(
    () =>
      void renew().catch((error: Error) => log.warn({ err: error }, 'the certificate could not be renewed')),
    LOOK_MS,
  );
  return { renew, stop: () => clearInterval(timer) };
}
