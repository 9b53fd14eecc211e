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
/** What many commits say is said together: so long after it was said the last time, in ms; at once after a pause. */
const SAY_MS = 100;
/** Looks are so far apart, in ms: what three nodes say of theirs is looked at together. */
const APART_MS = 80;
/** What is new in a line, up to where it was when all lines were looked at. */
const OF_LINE = '(writer = ? AND part = ? AND seq > ? AND seq <= ?)';

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
  /** All that is new in some lines, in lots of all of them together. */
  const readLines = async (connection: Connection, lines: readonly JournalPlace[]): Promise<void> => {
    let open = lines;
    for (;;) {
      open = open.filter((line) => line.seq > fromOf(line));
      if (open.length === 0 || stopped) return;
      const places = open.map((line) => [line.writer, line.part, fromOf(line), line.seq]);
      const rows = (await connection.query(
        `SELECT writer, part, seq, body FROM journal WHERE ${places.map(() => OF_LINE).join(' OR ')} ORDER BY writer, part, seq LIMIT ?`,
        [...places.flat(), ROWS_AT_ONCE],
      )) as (JournalPlace & { body: Buffer })[];
      for (const { writer, part, seq, body } of rows) {
        const name = lineOf({ writer, part });
        if (known.has(name) && Number(seq) > known.get(name)! + 1) onMissed();
        known.set(name, Number(seq));
        tell({ writer: Number(writer), part: Number(part), seq: Number(seq) }, body);
      }
      if (rows.length < ROWS_AT_ONCE) return;
      // Others have their turn between two lots.
      await sleep(0);
    }
  };
  const fromOf = (line: JournalPlace): number => known.get(lineOf(line)) ?? 0;
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
      await readLines(
        connection,
        lines.flatMap(({ writer, part, seq }) =>
          mine.includes(Number(writer))
            ? []
            : [{ writer: Number(writer), part: Number(part), seq: Number(seq) }],
        ),
      );
    });

  let looking = false;
  let again = false;
  let lookedAt = -Infinity;
  const lookNow = (): void => {
    looking = true;
    lookedAt = performance.now();
    read()
      .catch((error: Error) => log.debug({ err: error }, 'what others commit is looked at later'))
      .finally(() => {
        looking = false;
        if (!again || stopped) return;
        again = false;
        look();
      });
  };
  const soon = paced(APART_MS, lookNow);
  const look = (): void => {
    if (looking) again = true;
    else if (!stopped) soon.call();
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
      soon.stop();
    },
  };
}

/** Says now and then that something was committed here, however often that is. */
export const createSaying = (say: () => void): (() => void) => paced(SAY_MS, say).call;

/** Does something soon where it was not done for a while, and else so long after the last time: never twice within `apartMs`. */
function paced(apartMs: number, work: () => void): { call(): void; stop(): void } {
  let planned: NodeJS.Timeout | undefined;
  let doneAt = -Infinity;
  return {
    call() {
      planned ??= setTimeout(
        () => {
          planned = undefined;
          doneAt = performance.now();
          work();
        },
        Math.max(0, doneAt + apartMs - performance.now()),
      ).unref();
    },
    stop: () => clearTimeout(planned),
  };
}
