import type { Logger } from 'pino';
import { writeMany, type Store } from '../store/store';
import { createSaving } from '../journal/saving';

const SAVE_MS = 60_000;

/** When each device token was used last: in memory, written down now and then. */
export interface TokenUse {
  /** Something else is being written just now: what waits long enough is written beside it. */
  beside(): void;
  note(tokenId: number, at: number): void;
  /** True where a token was used since this process began. */
  used(tokenId: number): boolean;
  /** When a token was last used, as far as this service has seen; null for not yet. */
  lastUsed(tokenId: number): number | null;
  stop(): Promise<void>;
}

export function startTokenUse(store: Store, log: Logger): TokenUse {
  const uses = new Map<number, number>();
  const unsaved = new Set<number>();
  const save = async (): Promise<void> => {
    if (unsaved.size === 0) return;
    const rows = [...unsaved].sort((a, b) => a - b).map((id) => [uses.get(id)!, id]);
    unsaved.clear();
    await writeMany(store, 'UPDATE deviceTokens SET usedAt = ? WHERE id = ?', rows).catch((error: Error) => {
      for (const [, id] of rows) unsaved.add(id!);
      log.debug({ err: error }, 'uses of tokens wait');
    });
  };
  const saving = createSaving(save, () => SAVE_MS);
  return {
    beside: saving.beside,
    note(tokenId, at) {
      // Every ten seconds is often enough to write down.
      if (at - (uses.get(tokenId) ?? 0) < 10_000) return;
      uses.set(tokenId, at);
      unsaved.add(tokenId);
    },
    used: (tokenId) => uses.has(tokenId),
    lastUsed: (tokenId) => uses.get(tokenId) ?? null,
    async stop() {
      saving.stop();
      await save();
    },
  };
}
