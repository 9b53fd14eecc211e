import { setTimeout as sleep } from 'node:timers/promises';
import type { Logger } from 'pino';
import type { Bus, BusEvents, BusName } from '../bus';
import type { Store } from '../store/store';
import type { Link } from './link';

/** How often news is looked for though nobody said that there is some, in ms. */
const LOOK_MS = 1000;
/**
 * Numbers are given before rows are committed, and on several database nodes: one that is lower than others may come after them.
 * So long after it was written nothing comes any more, in seconds.
 */
const SETTLED_S = 20;
/** A node that has not looked for so long does not know what it missed, in ms; news is kept for longer, in minutes. */
const MISSED_MS = 120_000;
const KEPT_MINUTES = 5;
const TRIM_MS = 60_000;
const MOST_WAITING = 20_000;
const ROWS_AT_ONCE = 500;

/** What is said over the link where there is one: it is worth little a moment later. */
const FAST = ['live', 'used', 'shown'] as const;
export type FastName = (typeof FAST)[number];
export const isFast = (name: string): name is FastName => FAST.includes(name as FastName);

type Item = readonly [name: BusName, body: string];

export interface News {
  /** Looks at once. */
  look(): void;
  /** What happened elsewhere is not known: everything that is remembered is read anew. */
  forgetAll(): void;
  stop(): Promise<void>;
}

interface Parts {
  store: Store;
  bus: Bus;
  /** This node. */
  node: number;
  log: Logger;
  link: () => Link | null;
  /** True where there are others to tell. */
  hasOthers: () => boolean;
  /** True where pages of others show messages of a workspace as they come. */
  isWanted: (workspaceId: number) => boolean;
}

const isArrival = (event: object): event is BusEvents['live'] =>
  (event as Partial<BusEvents['live']>).message?.type === 'arrival';

/**
 * Carries what happens on the bus to other nodes: what must not be missed by rows of a table, looked at every second or as soon
 * as the link says so; what pages are told over the link, and by the table only where that is down.
 */
export async function startNews({ store, bus, node, log, link, hasOthers, isWanted }: Parts): Promise<News> {
  let waiting: Item[] = [];
  let writing = false;
  let stopped = false;

  const write = async (): Promise<void> => {
    if (writing) return;
    writing = true;
    // What happens in one turn is written together.
    await sleep(2);
    while (waiting.length > 0) {
      const some = waiting.slice(0, ROWS_AT_ONCE);
      try {
        await store.withConnection((connection) =>
          connection.batch(
            'INSERT INTO news (node, at, name, body) VALUES (?, NOW(3), ?, ?)',
            some.map(([name, body]) => [node, name, body]),
          ),
        );
        waiting = waiting.slice(some.length);
        link()?.say('look');
      } catch (error) {
        if (stopped) break;
        log.debug({ err: error }, 'news waits');
        await sleep(500);
      }
    }
    writing = false;
  };
  const put = (name: BusName, event: unknown): void => {
    if (waiting.length >= MOST_WAITING) {
      // More than can be kept: others read everything anew.
      waiting = waiting.filter((item) => item[0] === 'wanted' || item[0] === 'dismiss');
      waiting.push(['definitions', '{"workspaceId":0,"all":true}'], ['rules', '{"workspaceId":0}']);
    }
    waiting.push([name, JSON.stringify(event)]);
    void write();
  };
  bus.outward = (name, event) => {
    if (!isFast(name)) return put(name, event);
    const fast = link();
    if (isArrival(event) && !isWanted(event.workspaceId)) return;
    if (fast?.isUp()) fast.say(`${name} ${JSON.stringify(event)}`);
    // Arrivals come by the thousand, and who shows them says so again: pages read them again.
    else if (hasOthers() && name !== 'shown' && !isArrival(event)) put(name, event);
  };

  const forgetAll = (): void => {
    bus.arrive('definitions', { workspaceId: 0, all: true }, 0);
    bus.arrive('rules', { workspaceId: 0 }, 0);
  };

  let low = 0;
  const seen = new Set<number>();
  const readIds = (): Promise<{ id: number; settled: number }[]> =>
    store.withConnection(
      async (connection) =>
        (await connection.query(
          'SELECT id, at < NOW(3) - INTERVAL ? SECOND AS settled FROM news WHERE id > ? ORDER BY id',
          [SETTLED_S, low],
        )) as { id: number; settled: number }[],
    );
  const settle = (ids: readonly { id: number; settled: number }[]): void => {
    for (const { id, settled } of ids) if (Number(settled) === 1) low = Math.max(low, Number(id));
    for (const id of seen) if (id <= low) seen.delete(id);
  };
  const read = async (): Promise<void> => {
    const ids = await readIds();
    const fresh = ids.map(({ id }) => Number(id)).filter((id) => !seen.has(id));
    for (let i = 0; i < fresh.length; i += ROWS_AT_ONCE) {
      const rows = await store.withConnection(
        async (connection) =>
          (await connection.query('SELECT id, node, name, body FROM news WHERE id IN (?) ORDER BY id', [
            fresh.slice(i, i + ROWS_AT_ONCE),
          ])) as { id: number; node: number; name: BusName; body: string }[],
      );
      for (const { id, node: from, name, body } of rows) {
        seen.add(Number(id));
        if (Number(from) !== node) bus.arrive(name, JSON.parse(body) as never, Number(from));
      }
    }
    settle(ids);
  };
  // What was said before is read from the definitions themselves.
  const before = await readIds();
  for (const { id } of before) seen.add(Number(id));
  settle(before);

  let lookedAt = performance.now();
  let looking = false;
  let again = false;
  const look = (): void => {
    if (looking) return void (again = true);
    looking = true;
    read()
      .then(() => {
        if (performance.now() - lookedAt > MISSED_MS) forgetAll();
        lookedAt = performance.now();
      })
      .catch((error: Error) => log.debug({ err: error }, 'news is looked at later'))
      .finally(() => {
        looking = false;
        if (again && !stopped) {
          again = false;
          look();
        }
      });
  };
  const every = setInterval(look, LOOK_MS);
  const trim = setInterval(() => {
    store
      .withConnection((connection) =>
        connection.query('DELETE FROM news WHERE at < NOW(3) - INTERVAL ? MINUTE LIMIT 20000', [
          KEPT_MINUTES,
        ]),
      )
      .catch(() => undefined);
  }, TRIM_MS);
  return {
    look,
    forgetAll,
    async stop() {
      for (let waited = 0; waiting.length > 0 && waited < 2000; waited += 20) await sleep(20);
      stopped = true;
      bus.outward = () => undefined;
      clearInterval(every);
      clearInterval(trim);
    },
  };
}
