import type { Logger } from 'pino';
import type { Bus } from '../bus';
import { now as clockNow } from '../clock';
import { createLease } from '../journal/lease';
import type { DeviceFact } from '../journal/telling';
import { inRawTransaction, writeMany, type Store } from '../store/store';

/** Where other nodes hold connections of devices. */
export interface Elsewhere {
  has(deviceRowId: number): boolean;
}

export interface Connections extends Elsewhere {
  /** A node is dead: what it held is gone, and one of the others says so to the journal. */
  buried(node: number): Promise<void>;
  /** Says anew what is held here: others took this node for dead, and its devices for gone. */
  sayAgain(): void;
  stop(): Promise<void>;
}

interface Parts {
  store: Store;
  bus: Bus;
  node: number;
  /** Devices that have a connection here. */
  here: () => Iterable<number>;
  isHere: (deviceRowId: number) => boolean;
  tell: (fact: DeviceFact) => void;
  log: Logger;
}

const WRITE_MS = 250;
const ROWS_AT_ONCE = 500;
/** How often what dead nodes held is looked for, in ms, and how long they have been silent by then, in seconds. */
const LOOK_MS = 10_000;
const FORGOTTEN_S = 12;

/** Which nodes hold connections of which devices: told by news, kept in rows for those who start later or survive. */
export async function startConnections({
  store,
  bus,
  node,
  here,
  isHere,
  tell,
  log,
}: Parts): Promise<Connections> {
  const nodesOf = new Map<number, Set<number>>();
  /** What is to be written: true for a row that must be there. */
  const changed = new Map<number, boolean>();
  const note = (deviceRowId: number, from: number): void => {
    const known = nodesOf.get(deviceRowId);
    if (known === undefined) nodesOf.set(deviceRowId, new Set([from]));
    else known.add(from);
  };
  const drop = (deviceRowId: number, from: number): void => {
    const known = nodesOf.get(deviceRowId);
    if (known?.delete(from) && known.size === 0) nodesOf.delete(deviceRowId);
  };
  bus.on('opened', ({ deviceRowId }, from) => {
    if (from === undefined) changed.set(deviceRowId, true);
    else note(deviceRowId, from);
  });
  bus.on('closed', ({ deviceRowId }, from) => {
    if (from === undefined) changed.set(deviceRowId, false);
    else drop(deviceRowId, from);
  });
  const rows = await store.withConnection(
    async (connection) =>
      (await connection.query(
        'SELECT c.node, c.deviceRowId FROM connections c JOIN nodes n ON n.id = c.node WHERE c.node <> ?',
        [node],
      )) as { node: number; deviceRowId: number }[],
  );
  for (const row of rows) note(Number(row.deviceRowId), Number(row.node));

  const write = async (): Promise<void> => {
    if (changed.size === 0) return;
    const lot = [...changed];
    changed.clear();
    const open = lot.flatMap(([rowId, is]) => (is ? [[node, rowId]] : []));
    const gone = lot.flatMap(([rowId, is]) => (is ? [] : [[node, rowId]]));
    try {
      if (open.length > 0)
        await writeMany(store, 'INSERT IGNORE INTO connections (node, deviceRowId) VALUES (?, ?)', open);
      if (gone.length > 0)
        await writeMany(store, 'DELETE FROM connections WHERE node = ? AND deviceRowId = ?', gone);
    } catch (error) {
      for (const [rowId, is] of lot) if (!changed.has(rowId)) changed.set(rowId, is);
      log.debug({ err: error }, 'which devices are connected is written down later');
    }
  };
  let writing = Promise.resolve();
  const timer = setInterval(() => (writing = writing.then(write)), WRITE_MS);
  const tellGone = (devices: readonly number[]): void => {
    for (const device of devices)
      if (!nodesOf.has(device) && !isHere(device)) tell({ kind: 'offline', device, at: clockNow() });
  };
  // Exactly one of those who are left tells what became of a dead node's devices.
  const lease = createLease(store, { name: 'nodes', holder: String(node), alone: false });
  /** What is known of it here goes beside its rows: it may have died before it wrote one. Told twice is told once. */
  const bury = async (dead: number): Promise<void> => {
    const known = [...nodesOf].flatMap(([rowId, nodes]) => (nodes.has(dead) ? [rowId] : []));
    for (const rowId of known) drop(rowId, dead);
    if ((await lease.hold()) === null) return;
    tellGone(known);
    for (;;) {
      const lost = await inRawTransaction(store, async (connection) => {
        await lease.fence(connection);
        const found = (await connection.query('SELECT deviceRowId FROM connections WHERE node = ? LIMIT ?', [
          dead,
          ROWS_AT_ONCE,
        ])) as { deviceRowId: number }[];
        const ids = found.map(({ deviceRowId }) => Number(deviceRowId));
        if (ids.length > 0)
          await connection.query('DELETE FROM connections WHERE node = ? AND deviceRowId IN (?)', [
            dead,
            ids,
          ]);
        return ids;
      });
      tellGone(lost);
      if (lost.length < ROWS_AT_ONCE) break;
    }
    await lease.release();
  };
  /** Also what a node left that was buried by one that died over it. */
  const lookForDead = async (): Promise<void> => {
    const rows = await store.withConnection(
      async (connection) =>
        (await connection.query(
          `SELECT DISTINCT c.node FROM connections c LEFT JOIN nodes n ON n.id = c.node AND n.heartbeatAt > NOW(3) - INTERVAL ? SECOND
            WHERE n.id IS NULL AND c.node <> ?`,
          [FORGOTTEN_S, node],
        )) as { node: number }[],
    );
    for (const { node: dead } of rows) await bury(Number(dead));
  };
  const looking = setInterval(
    () =>
      void lookForDead().catch((error: Error) =>
        log.debug({ err: error }, 'what dead nodes held is looked at later'),
      ),
    LOOK_MS,
  );
  return {
    has: (deviceRowId) => nodesOf.has(deviceRowId),
    buried: bury,
    sayAgain() {
      for (const deviceRowId of here()) {
        changed.set(deviceRowId, true);
        bus.outward('opened', { deviceRowId, client: '' });
        tell({ kind: 'online', device: deviceRowId, at: clockNow() });
      }
    },
    async stop() {
      clearInterval(timer);
      clearInterval(looking);
      await writing;
      await write();
    },
  };
}
