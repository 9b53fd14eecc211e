import type { Proof } from '@peatmoor/core';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import type { DeviceEntry } from '../registry';
import type { DeviceFact } from '../journal/telling';
import { writeMany, type Store } from '../store/store';

type Milestone = 'seenAt' | 'tokenRightAt' | 'connectedAt' | 'firstReadingAt';
const ORDER: Milestone[] = ['seenAt', 'tokenRightAt', 'connectedAt', 'firstReadingAt'];

/** How long what is noted waits for more, in ms: a board that connects passes several milestones at once, and seldom connects alone. */
const GATHER_MS = 50;

/** Notes how far a device has come, and what went wrong on the way. */
export interface Proofs {
  /** A milestone, with all before it. */
  reached(entry: DeviceEntry, milestone: Milestone, at: number): void;
  trouble(entry: DeviceEntry, trouble: NonNullable<Proof['trouble']>): void;
  stop(): Promise<void>;
}

export function createProofs(store: Store, bus: Bus, tell: (fact: DeviceFact) => void, log: Logger): Proofs {
  const troubleSaved = new Map<number, number>();
  const unsaved = new Map<number, DeviceEntry>();
  let planned: NodeJS.Timeout | undefined;
  let saving = Promise.resolve();
  /** Writes down all that came meanwhile, in one go. */
  const saveAll = async (): Promise<void> => {
    planned = undefined;
    const entries = [...unsaved.values()].sort((a, b) => a.rowId - b.rowId);
    unsaved.clear();
    const rows = entries.map(({ rowId, proof }) => [JSON.stringify(proof), rowId]);
    try {
      await writeMany(store, 'UPDATE devices SET proof = ? WHERE rowId = ?', rows);
    } catch (error) {
      // Written with the next that comes; what came meanwhile is newer.
      for (const entry of entries) if (!unsaved.has(entry.rowId)) unsaved.set(entry.rowId, entry);
      return log.warn({ err: error }, 'how far a device has come could not be written down');
    }
    for (const { workspaceId, id } of entries)
      bus.emit('live', { workspaceId, message: { type: 'changed', what: 'devices', id } });
  };
  const saveInTurn = (): Promise<void> => (saving = saving.then(saveAll));
  const save = (entry: DeviceEntry): void => {
    unsaved.set(entry.rowId, entry);
    planned ??= setTimeout(() => void saveInTurn(), GATHER_MS);
  };
  return {
    reached(entry, milestone, at) {
      if (entry.proof[milestone] !== null) return;
      if (entry.proof.connectedAt === null && ORDER.indexOf(milestone) >= ORDER.indexOf('connectedAt')) {
        tell({ kind: 'first-seen', device: entry.rowId, at });
        bus.emit('live', {
          workspaceId: entry.workspaceId,
          message: { type: 'firstOnline', device: entry.id, name: entry.name, at },
        });
      }
      for (const one of ORDER.slice(0, ORDER.indexOf(milestone) + 1)) entry.proof[one] ??= at;
      if (milestone === 'connectedAt' || milestone === 'firstReadingAt') entry.proof.trouble = null;
      save(entry);
    },
    trouble(entry, trouble) {
      entry.proof.seenAt ??= trouble.at;
      entry.proof.trouble = trouble;
      if (trouble.at - (troubleSaved.get(entry.rowId) ?? 0) < 500) return;
      troubleSaved.set(entry.rowId, trouble.at);
      save(entry);
    },
    async stop() {
      clearTimeout(planned);
      if (unsaved.size > 0) await saveInTurn();
    },
  };
}
