import { foldName, guessStream, isReserved, LONGEST_NAME, type Datastream } from '@peatmoor/core';
import type { Logger } from 'pino';
import { UniqueConstraintError } from 'sequelize';
import type { Bus } from '../bus';
import type { DeviceEntry, Registry } from '../registry';
import { gather } from '../store/gather';
import { addTo, changeIn, oneIn } from '../store/rows';
import type { Store } from '../store/store';

/** Datastreams a kind may have before new names are no longer accepted by themselves. */
const MOST_STREAMS = 200;
const MOST_ALIASES = 20;
const MOST_MARKS = 10_000;

/** Makes datastreams of names that arrive, for kinds that accept new names. */
export interface NewNames {
  /** Makes what is missing, marked to be confirmed, and returns the device as it is then. */
  adopt(entry: DeviceEntry, names: ReadonlyMap<string, unknown>): Promise<DeviceEntry>;
  /** True where another node may have heard of names that are not known here yet. */
  mayBeBehind: boolean;
  /** The device as the records have it, where its kind is not as it was when this was asked last. */
  lookAgain(entry: DeviceEntry): Promise<DeviceEntry>;
}

export function createNewNames(
  store: Store,
  registry: Registry,
  bus: Bus,
  log: Logger,
  isShared: boolean,
): NewNames {
  /** What a kind was like when it was looked at, in a number. */
  const marks = new Map<number, string>();
  const markOf = gather(async (kindIds: readonly number[]) => {
    const rows = await store.withConnection(
      async (connection) =>
        (await connection.query(
          `SELECT k.id, CONCAT_WS(' ', k.acceptNew, COUNT(s.id), SUM(CRC32(CONCAT_WS('|', s.id, s.\`key\`, s.pin, s.aliases)))) AS mark
            FROM kinds k LEFT JOIN streams s ON s.kindId = k.id WHERE k.id IN (?) GROUP BY k.id`,
          [kindIds],
        )) as { id: number; mark: string }[],
    );
    return new Map(rows.map(({ id, mark }) => [Number(id), mark]));
  });
  const addStream = async (entry: DeviceEntry, stream: Datastream, name: string): Promise<boolean> => {
    try {
      await addTo(store.models.streams, entry.workspaceId, {
        ...withAlias(stream, name),
        kindId: entry.kindId,
        unconfirmed: true,
      });
    } catch (error) {
      // Another message, or another device of the kind, was first.
      if (!(error instanceof UniqueConstraintError)) throw error;
      log.debug({ key: stream.key }, 'a new name was there already');
    }
    return true;
  };
  /** Another way to write a datastream that was made from a name: kept as an alias, so that it is found from now on. */
  const addAlias = async (entry: DeviceEntry, key: string, alias: string): Promise<boolean> => {
    const row = await oneIn(store.models.streams, entry.workspaceId, { kindId: entry.kindId, key });
    if (row === null || row.aliases.includes(alias) || row.aliases.length >= MOST_ALIASES) return false;
    await changeIn(
      store.models.streams,
      entry.workspaceId,
      { id: row.id },
      { aliases: [...row.aliases, alias] },
    );
    return true;
  };
  return {
    mayBeBehind: isShared,
    async lookAgain(entry) {
      const { kindId, workspaceId } = entry;
      const mark = await markOf(kindId);
      if (mark === null || marks.get(kindId) === mark) return entry;
      marks.delete(kindId);
      marks.set(kindId, mark);
      if (marks.size > MOST_MARKS) marks.delete(marks.keys().next().value!);
      // Forgotten here alone: whoever changed it has told the others.
      bus.arrive('definitions', { workspaceId, kindId }, 0);
      return (await registry.byRow(entry.rowId)) ?? entry;
    },
    async adopt(entry, names) {
      const keys = new Set(entry.streams.map(({ key }) => key));
      let looked = 0;
      let changed = false;
      for (const [name, raw] of names) {
        if (keys.size >= MOST_STREAMS || ++looked > MOST_STREAMS) break;
        if (name.length > LONGEST_NAME || isReserved(name)) continue;
        const stream = guessStream(name, raw);
        // A name that folds to a key that is there is that key.
        if (keys.has(stream.key)) changed = (await addAlias(entry, stream.key, foldName(name))) || changed;
        else if (await addStream(entry, stream, name)) changed = true;
        keys.add(stream.key);
      }
      if (!changed) return entry;
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
