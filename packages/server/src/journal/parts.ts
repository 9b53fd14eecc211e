import type { Store } from '../store/store';
import { READERS, type Reader } from './reader';

/** The journal of this database has another number of parts than the setting says. */
export class JournalPartsError extends Error {}

/** A service that gave a sign of life within this time may still be there, in seconds: signs come every half minute. */
const ALIVE_S = 60;

/**
 * In how many parts the journal is kept: fixed when the database is made, by the setting (null: one). Later the setting may
 * only change it while no service is there and nothing waits to be read. Throws JournalPartsError.
 */
export async function readParts(store: Store, wanted: number | null): Promise<number> {
  return store.withConnection(async (connection) => {
    await connection.query(
      "INSERT IGNORE INTO shape (name, value) SELECT 'journalParts', IF(EXISTS (SELECT 1 FROM journalWriters), 1, ?)",
      [String(wanted ?? 1)],
    );
    const [row] = (await connection.query("SELECT value FROM shape WHERE name = 'journalParts'")) as {
      value: string;
    }[];
    const parts = Number(row!.value);
    if (wanted === null || wanted === parts) return parts;
    const [found] = (await connection.query(
      `SELECT EXISTS (SELECT 1 FROM journalWriters WHERE heartbeatAt > NOW(3) - INTERVAL ? SECOND) AS alive,
        EXISTS (SELECT 1 FROM journal j CROSS JOIN (${READERS.map((reader) => `SELECT '${reader}' AS reader`).join(' UNION ALL ')}) r
          LEFT JOIN journalOffsets o ON o.reader = r.reader AND o.writer = j.writer AND o.part = j.part WHERE j.seq > COALESCE(o.seq, 0)) AS unread`,
      [ALIVE_S],
    )) as { alive: number; unread: number }[];
    const problem = `The journal of this database has ${parts} ${parts === 1 ? 'part' : 'parts'}, and PEATMOOR_JOURNAL_PARTS says ${wanted}.`;
    if (Number(found!.alive) === 1)
      throw new JournalPartsError(
        `${problem} It can be changed only while no service uses the database: stop all of them, wait a minute, and start again.`,
      );
    if (Number(found!.unread) === 1)
      throw new JournalPartsError(
        `${problem} Something in it is not read yet: start without the setting, stop in order once all is read, and start again with it.`,
      );
    await connection.query("UPDATE shape SET value = ? WHERE name = 'journalParts'", [String(wanted)]);
    return wanted;
  });
}

/** The part of the journal that one worker reads, and what it knows of other services. */
export interface Share {
  part: number;
  parts: number;
  /** Name of this service among those on the database. */
  holder: string;
  /** True where no other service can be on this database. */
  sole: boolean;
  /** True where this service should do that work, as the nodes are now. */
  isMine(reader: Reader): boolean;
}

/** The shares of all parts, for this service; `place`: which of the living nodes it is just now. */
export const sharesOf = (
  parts: number,
  who: Pick<Share, 'holder' | 'sole'>,
  place: () => { index: number; count: number },
): Share[] =>
  Array.from({ length: parts }, (_, part) => ({
    part,
    parts,
    ...who,
    isMine(reader) {
      const { index, count } = place();
      return nodeFor(reader, part, count) === index;
    },
  }));

/** Which of the living nodes, in order of their numbers, should do the work of a reader on a part: each has about as many parts of each reader. */
const nodeFor = (reader: Reader, part: number, nodes: number): number =>
  (part + READERS.indexOf(reader)) % nodes;

/** True for what belongs to a share. */
export const isInShare = ({ part, parts }: Pick<Share, 'part' | 'parts'>, workspaceId: number): boolean =>
  workspaceId % parts === part;

/** A reader of one part, as others use it. */
interface PartReader {
  wake(): void;
  settled(): Promise<void>;
  holds(): boolean;
  stop(): Promise<void>;
}

/** A reader of the journal on all its parts. */
export interface AllParts {
  /** Something was committed in a part, or anywhere: look at it soon. */
  wake(part?: number): void;
  /** Resolves when everything committed up to now has been worked, here or elsewhere. */
  settled(): Promise<void>;
  /** True where this service does this for a workspace just now; for any where none is named. */
  holds(workspaceId?: number): boolean;
  /** Which parts are done here, and how many there are. */
  held(): { held: number[]; parts: number };
  stop(): Promise<void>;
}

/** Readers of the parts, by part, as one. */
export function together(readers: readonly PartReader[]): AllParts {
  const all = (work: (one: PartReader) => Promise<void>): Promise<void> =>
    Promise.all(readers.map(work)).then(() => undefined);
  return {
    wake(part) {
      for (const one of part === undefined ? readers : [readers[part]!]) one.wake();
    },
    settled: () => all((one) => one.settled()),
    holds: (workspaceId) =>
      workspaceId === undefined
        ? readers.some((one) => one.holds())
        : readers[workspaceId % readers.length]!.holds(),
    held: () => ({
      held: readers.flatMap((one, part) => (one.holds() ? [part] : [])),
      parts: readers.length,
    }),
    stop: () => all((one) => one.stop()),
  };
}

/** What of the readers' work is done here, in words. */
export const whatIsDone = (readers: readonly [name: string, work: Pick<AllParts, 'held'>][]): string[] =>
  readers.flatMap(([name, work]) => {
    const { held, parts } = work.held();
    if (held.length === 0) return [];
    return [parts === 1 ? name : `${name} (${held.length} of ${parts})`];
  });

/** Does something while no step of any part is under way in this process. */
export const aloneInAll = <T>(
  readers: readonly { alone<R>(work: () => Promise<R>): Promise<R> }[],
  work: () => Promise<T>,
): Promise<T> => readers.reduceRight((inner, one) => () => one.alone(inner), work)();
