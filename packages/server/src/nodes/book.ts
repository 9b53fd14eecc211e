import type { Logger } from 'pino';
import type { Store } from '../store/store';
import { keepTime } from '../store/time';

/** A service on this database, as it says of itself. */
export interface NodeFacts {
  id: number;
  name: string;
  version: string;
  address: string;
  startedAt: number;
  /** How long ago it gave a sign of life, in ms. */
  silentMs: number;
  /** It was told to stop, and takes nothing new. */
  draining: boolean;
  load: NodeLoad;
}

export interface NodeLoad {
  sessions: number;
  pages: number;
  /** Readings committed since it started. */
  readings: number;
  /** Bytes of memory. */
  memory: number;
  /** What of the journal's readers it does. */
  does: string[];
  /** How far the clock of its computer is ahead of the database's, in ms. */
  clockMs?: number;
}

/** How often a node gives a sign of life, and after how long without one it counts as dead, in ms. */
const BEAT_MS = 2000;
export const DEAD_MS = 9000;

/** Which of the living nodes one is, in order of their numbers; index -1 for one that goes. */
export interface NodePlace {
  index: number;
  count: number;
}

export interface NodeBook {
  list(): Promise<NodeFacts[]>;
  hasOthers(): boolean;
  /** How many give signs of life, this one too. */
  alive(): number;
  place(): NodePlace;
  /** True where all that give signs of life are of a version, or a later one. */
  allSince(version: string): boolean;
  /** A sign of life now. */
  beat(): Promise<void>;
  stop(): Promise<void>;
}

interface Parts {
  store: Store;
  log: Logger;
  id: number;
  self(): Omit<NodeFacts, 'silentMs'>;
  /** One that was alive is dead, or has gone. */
  onDead(node: number): void;
  /** This node gave no sign of life for so long that others took it for dead. */
  onAwake(): void;
  /** Hears at each sign of life of the others that live. */
  onOthers(others: readonly NodeFacts[]): void;
}

type Row = Omit<NodeFacts, 'load' | 'draining'> & { draining: number; state: string };

/** The nodes of this database, each with its sign of life. */
export async function startNodeBook({
  store,
  log,
  id,
  self,
  onDead,
  onAwake,
  onOthers,
}: Parts): Promise<NodeBook> {
  let beatAt = performance.now();
  let place: NodePlace = { index: 0, count: 1 };
  /** Versions of those who give signs of life. */
  let versions: string[] = [];
  const alive = new Set<number>();
  const readAll = (): Promise<NodeFacts[]> =>
    store.withConnection(async (connection) => {
      const rows = (await connection.query(
        'SELECT id, name, version, address, startedAt, draining, state, TIMESTAMPDIFF(MICROSECOND, heartbeatAt, NOW(3)) / 1000 AS silentMs FROM nodes ORDER BY id',
      )) as Row[];
      return rows.map(({ state, ...row }) => ({
        ...row,
        startedAt: Number(row.startedAt),
        // One that gave it at a time that was never is as silent as any.
        silentMs: Number(row.silentMs) < -DEAD_MS ? DEAD_MS : Math.max(0, Number(row.silentMs)),
        draining: Number(row.draining) === 1,
        load: JSON.parse(state) as NodeLoad,
      }));
    });
  const beat = async (): Promise<void> => {
    await keepTime(store);
    const { name, version, address, startedAt, draining, load } = self();
    await store.withConnection((connection) =>
      connection.query(
        `INSERT INTO nodes (id, name, version, address, startedAt, heartbeatAt, draining, state) VALUES (?, ?, ?, ?, ?, NOW(3), ?, ?)
          ON DUPLICATE KEY UPDATE heartbeatAt = NOW(3), address = VALUES(address), draining = VALUES(draining), state = VALUES(state)`,
        [id, name, version, address, startedAt, draining ? 1 : 0, JSON.stringify(load)],
      ),
    );
    // It may have slept: then others have gone on without it.
    if (performance.now() - beatAt > DEAD_MS) onAwake();
    beatAt = performance.now();
    const all = await readAll();
    const living = all.filter((one) => one.id === id || one.silentMs < DEAD_MS);
    versions = living.map((one) => one.version);
    const staying = living.filter((one) => !one.draining);
    place = { index: staying.findIndex((one) => one.id === id), count: Math.max(1, staying.length) };
    onOthers(living.filter((one) => one.id !== id));
    const now = new Set(all.flatMap((one) => (one.id !== id && one.silentMs < DEAD_MS ? [one.id] : [])));
    for (const one of all) if (one.id !== id && !now.has(one.id) && !alive.has(one.id)) await bury(one.id);
    for (const one of alive)
      if (!now.has(one)) {
        if (all.some((row) => row.id === one))
          log.warn({ node: one }, 'a node gives no sign of life; others go on with its work');
        await bury(one);
      }
    alive.clear();
    for (const one of now) {
      alive.add(one);
      buried.delete(one);
    }
  };
  /** Those that were dead already are forgotten a while later, together with what they left. */
  const buried = new Set<number>();
  const bury = async (dead: number): Promise<void> => {
    if (buried.has(dead)) return;
    buried.add(dead);
    onDead(dead);
    await store.withConnection((connection) =>
      connection.query('DELETE FROM nodes WHERE id = ? AND heartbeatAt < NOW(3) - INTERVAL 1 HOUR', [dead]),
    );
  };
  await beat();
  let beating = false;
  const timer = setInterval(() => {
    if (beating) return;
    beating = true;
    beat()
      .catch((error: Error) => log.debug({ err: error }, 'the sign of life waits'))
      .finally(() => (beating = false));
  }, BEAT_MS);
  return {
    list: readAll,
    hasOthers: () => alive.size > 0,
    alive: () => alive.size + 1,
    place: () => place,
    allSince: (version) => versions.every((one) => isSince(one, version)),
    beat,
    async stop() {
      clearInterval(timer);
      await store
        .withConnection((connection) => connection.query('DELETE FROM nodes WHERE id = ?', [id]))
        .catch(() => undefined);
    },
  };
}

/** True where a version is not older than another. */
function isSince(version: string, other: string): boolean {
  const [mine, theirs] = [version, other].map((one) =>
    one.split('.').map((part) => Number.parseInt(part, 10)),
  );
  const at = mine!.findIndex((part, i) => part !== theirs![i]);
  return at < 0 || mine![at]! > (theirs![at] ?? 0);
}
