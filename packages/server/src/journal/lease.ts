import type { Connection } from 'mariadb';
import type { Store } from '../store/store';

/** How long a lease holds without being renewed, in seconds by the database's clock. */
export const LEASE_S = 8;
/** Whose work it is not takes it only where it has been free for so long, in seconds. */
const GRACE_S = 1;
/** One that holds for longer than this was given by a clock that was wrong: it is free. */
const WRONG_S = 60;
/** A lease is renewed when this much of its time has gone, in ms by the monotonic clock of this process. */
const RENEW_MS = 2500;

/** Another service has taken over; nothing of this transaction may be kept. */
export class LeaseLostError extends Error {}

/**
 * The right to do one piece of work, held by one of several services on a database. What excludes the others is written:
 * each transaction of the work calls `fence`, which fails for a holder that was superseded, however long it slept.
 */
export interface Lease {
  /** Takes or renews it: `taken` where it was not held before, `held` where it was, null where another holds it. */
  hold(): Promise<'taken' | 'held' | null>;
  /** To be called first in each transaction of the work. Throws LeaseLostError. */
  fence(connection: Connection): Promise<void>;
  /** Gives it up, so that another need not wait for its end. */
  release(): Promise<void>;
}

interface Options {
  name: string;
  part?: number;
  holder: string;
  /** No other service can be on this database; a lease that a killed one left behind is taken at once. */
  alone: boolean;
  /** False where another service that lives should do the work: it has a moment to take it. */
  isMine?: () => boolean;
}

export function createLease(
  store: Store,
  { name, part = 0, holder, alone, isMine = () => true }: Options,
): Lease {
  let epoch: number | null = null;
  let confirmedAt = 0;
  let made = false;

  const renew = async (connection: Connection): Promise<boolean> => {
    const { affectedRows } = (await connection.execute(
      `UPDATE leases SET until = NOW(3) + INTERVAL ${LEASE_S} SECOND WHERE name = ? AND part = ? AND epoch = ?`,
      [name, part, epoch],
    )) as { affectedRows: number };
    if (affectedRows === 1) confirmedAt = performance.now();
    else epoch = null;
    return affectedRows === 1;
  };
  const take = async (connection: Connection): Promise<boolean> => {
    if (!made)
      await connection.execute(
        "INSERT IGNORE INTO leases (name, part, holder, epoch, until) VALUES (?, ?, '', 0, NOW(3) - INTERVAL 1 SECOND)",
        [name, part],
      );
    made = true;
    // The number that counts up is what a superseded holder fails on.
    const { affectedRows } = (await connection.execute(
      `UPDATE leases SET holder = ?, epoch = epoch + 1, until = NOW(3) + INTERVAL ${LEASE_S} SECOND
        WHERE name = ? AND part = ?${alone ? '' : ` AND (until < NOW(3) - INTERVAL ${isMine() ? 0 : GRACE_S} SECOND OR until > NOW(3) + INTERVAL ${WRONG_S} SECOND)`}`,
      [holder, name, part],
    )) as { affectedRows: number };
    if (affectedRows !== 1) return false;
    const [row] = (await connection.execute(
      'SELECT epoch FROM leases WHERE name = ? AND part = ? AND holder = ?',
      [name, part, holder],
    )) as { epoch: number }[];
    if (row === undefined) return false;
    epoch = Number(row.epoch);
    confirmedAt = performance.now();
    return true;
  };

  return {
    async hold() {
      // Nobody else can take it where nobody else can be.
      if (epoch !== null && (alone || performance.now() - confirmedAt < RENEW_MS)) return 'held';
      return store.withConnection(async (connection) => {
        if (epoch !== null && (await renew(connection))) return 'held';
        return (await take(connection)) ? 'taken' : null;
      });
    },
    async fence(connection) {
      if (epoch === null || !(await renew(connection)))
        throw new LeaseLostError(`another service does ${name}`);
    },
    async release() {
      if (epoch === null) return;
      await store
        .withConnection((connection) =>
          connection.execute('UPDATE leases SET until = NOW(3) WHERE name = ? AND part = ? AND epoch = ?', [
            name,
            part,
            epoch,
          ]),
        )
        .catch(() => undefined);
      epoch = null;
    },
  };
}
