import { foldName, guessStream, isReserved, type Datastream } from '@peatmoor/core';
import type { Logger } from 'pino';
import { UniqueConstraintError } from 'sequelize';
import type { Bus } from '../bus';
import type { DeviceEntry, Registry } from '../registry';
import { addTo } from '../store/rows';
import type { Store } from '../store/store';

/** Datastreams a kind may have before new names are no longer accepted by themselves. */
const MOST_STREAMS = 200;

/** Makes datastreams of names that arrive, for kinds that accept new names. */
export interface NewNames {
  /** Makes what is missing, marked to be confirmed, and returns the device as it is then. */
  adopt(entry: DeviceEntry, names: ReadonlyMap<string, unknown>): Promise<DeviceEntry>;
}

export function createNewNames(store: Store, registry: Registry, bus: Bus, log: Logger): NewNames {
  return {
    async adopt(entry, names) {
      let count = entry.streams.length;
      let made = false;
      for (const [name, raw] of names) {
        if (name.length > 80 || isReserved(name) || count >= MOST_STREAMS) continue;
        const stream = guessStream(name, raw);
        try {
          await addTo(store.models.streams, entry.workspaceId, {
            ...withAlias(stream, name),
            kindId: entry.kindId,
            unconfirmed: true,
          });
          count++;
          made = true;
        } catch (error) {
          // Another message, or another device of the kind, was first.
          if (!(error instanceof UniqueConstraintError)) throw error;
          made = true;
          log.debug({ name }, 'a new name was there already');
        }
      }
      if (!made) return entry;
      bus.emit('definitions', { workspaceId: entry.workspaceId, kindId: entry.kindId });
      bus.emit('live', {
        workspaceId: entry.workspaceId,
        message: { type: 'changed', what: 'kinds', id: entry.kindId },
      });
      return (await registry.byRow(entry.rowId)) ?? entry;
    },
  };
}

/** A key that had to differ from the name keeps the name as an alias, so that the next message finds it. */
function withAlias(stream: Datastream, name: string): Datastream {
  const folded = foldName(name);
  return stream.key === folded || stream.pin !== null ? stream : { ...stream, aliases: [folded] };
}
