import { setTimeout as sleep } from 'node:timers/promises';
import { unpackBatch } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import type { OtherReading } from '../journal/others';
import { lineOf, type JournalPlace } from '../journal/reader';
import type { Committed } from '../journal/writer';
import type { Store } from '../store/store';

/** How often the journals of others are looked at, in ms: where nobody says that something came, and where they do. */
const LOOK_MS = 200;
const LOOK_TOLD_MS = 1000;
const ROWS_AT_ONCE = 200;
/** What is said of commits is gathered so long, in ms. */
const SAY_MS = 40;

/** The commits of other nodes, in the order of each, as they come. */
export interface Following {
  /** Something was committed elsewhere. */
  look(): void;
  stop(): void;
}

interface Parts {
  store: Store;
  log: Logger;
  /** Writers of this process. */
  mine: readonly number[];
  /** How far each writer was read when this node started. */
  reached: readonly JournalPlace[];
  onCommit(committed: Committed): void;
  /** Something was trimmed before it was read here: newest readings are looked up. */
  onMissed(): void;
  isTold(): boolean;
}

/**
 * Reads what other nodes commit, so that recent readings and live pages show every device. A commit is read once, by its number;
 * each writer's come without a gap.
 */
export function startFollowing({ store, log, mine, reached, onCommit, onMissed, isTold }: Parts): Following {
  const known = new Map(reached.map((place) => [lineOf(place), place.seq]));
  let stopped = false;
  const readLine = async (connection: Connection, line: JournalPlace): Promise<void> => {
    const name = lineOf(line);
    for (;;) {
      const from = known.get(name) ?? 0;
      if (line.seq <= from || stopped) return;
      const rows = (await connection.execute(
        'SELECT seq, body FROM journal WHERE writer = ? AND part = ? AND seq > ? ORDER BY seq LIMIT ?',
        [line.writer, line.part, from, ROWS_AT_ONCE],
      )) as { seq: number; body: Buffer }[];
      if (rows.length === 0) return;
      if (known.has(name) && Number(rows[0]!.seq) > from + 1) onMissed();
      for (const { seq, body } of rows) {
        known.set(name, Number(seq));
        tell({ writer: line.writer, part: line.part, seq: Number(seq) }, body);
      }
      // Others have their turn between two lots.
      await sleep(0);
    }
  };
  const tell = (place: JournalPlace, body: Buffer): void => {
    try {
      const commit = unpackBatch(body);
      // Texts and places stand in the journal as facts, for rules; for pages they are readings.
      const others = commit.facts.flatMap((fact): OtherReading[] =>
        fact.kind === 'told'
          ? [{ series: fact.series, at: fact.at, value: fact.value as OtherReading['value'], bytes: 0 }]
          : [],
      );
      onCommit({ ...place, ...commit, others });
    } catch (error) {
      log.warn({ err: error, ...place }, 'a commit of another node cannot be read');
    }
  };
  const read = (): Promise<void> =>
    store.withConnection(async (connection) => {
      const lines = (await connection.query(
        'SELECT writer, part, MAX(seq) AS seq FROM journal GROUP BY writer, part',
      )) as JournalPlace[];
      for (const { writer, part, seq } of lines)
        if (!mine.includes(Number(writer)))
          await readLine(connection, { writer: Number(writer), part: Number(part), seq: Number(seq) });
    });

  let looking = false;
  let again = false;
  let lookedAt = 0;
  const look = (): void => {
    if (looking) return void (again = true);
    looking = true;
    lookedAt = performance.now();
    read()
      .catch((error: Error) => log.debug({ err: error }, 'what others commit is looked at later'))
      .finally(() => {
        looking = false;
        if (again && !stopped) {
          again = false;
          look();
        }
      });
  };
  const every = setInterval(() => {
    if (performance.now() - lookedAt >= (isTold() ? LOOK_TOLD_MS : LOOK_MS) - 20) look();
  }, LOOK_MS);
  look();
  return {
    look,
    stop() {
      stopped = true;
      clearInterval(every);
    },
  };
}

/** Says now and then that something was committed here, however often that is. */
export function createSaying(say: () => void): () => void {
  let planned: NodeJS.Timeout | undefined;
  return () => {
    planned ??= setTimeout(() => {
      planned = undefined;
      say();
    }, SAY_MS);
    planned.unref();
  };
}
