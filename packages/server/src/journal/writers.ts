import { now as clockNow } from '../clock';
import type { Store } from '../store/store';

/** Nodes that live have numbers that differ modulo this. */
export const NODE_PARTS = 256;
const HEARTBEAT_MS = 30_000;
/** Writers that say nothing for a month are forgotten: this often they do, whatever is committed, in ms. */
const LONGEST_SILENCE_MS = 3_600_000;

/** A new writer's number, and its sign of life. It differs from those of all nodes that live modulo `NODE_PARTS`: they give times beside each other. */
export async function openWriter(store: Store): Promise<number> {
  return store.withConnection(async (connection) => {
    const living = (await connection.query(
      'SELECT id % ? AS part FROM nodes WHERE heartbeatAt > NOW(3) - INTERVAL 1 MINUTE',
      [NODE_PARTS],
    )) as { part: number }[];
    const taken = new Set(living.map(({ part }) => Number(part)));
    for (;;) {
      const made = await connection.query(
        'INSERT INTO journalWriters (startedAt, heartbeatAt) VALUES (?, NOW(3))',
        [clockNow()],
      );
      const id = Number((made as { insertId: number }).insertId);
      if (!taken.has(id % NODE_PARTS) || taken.size >= NODE_PARTS) return id;
    }
  });
}

/**
 * Says now and then that writers are alive, and what the clock says. `isSaid`: true where that stands in the database anyway, by
 * what was committed lately, and nobody else can be there who asks: then no disk is woken for it.
 */
export function startHeartbeat(
  store: Store,
  writers: readonly number[],
  isSaid: (withinMs: number) => boolean,
): () => void {
  let beatAt = performance.now();
  const timer = setInterval(() => {
    const now = performance.now();
    if (now - beatAt < LONGEST_SILENCE_MS && isSaid(HEARTBEAT_MS)) return;
    beatAt = now;
    store
      .withConnection((connection) =>
        connection.query('UPDATE journalWriters SET heartbeatAt = NOW(3), clockAt = ? WHERE id IN (?)', [
          clockNow(),
          [...writers],
        ]),
      )
      .catch(() => undefined);
  }, HEARTBEAT_MS);
  return () => clearInterval(timer);
}
