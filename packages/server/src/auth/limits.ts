import type { Connection } from 'mariadb';
import { ProblemError } from '../problems';
import type { Store } from '../store/store';

/** One bound: a name, how often within how many seconds. */
export interface Bound {
  name: string;
  most: number;
  seconds: number;
}

/** Counts failures by name, for all services on the database together. */
export interface Limits {
  /** Counts one more try of each, so that many at once are not all let through; throws 429 where one has too many. */
  attempt(bounds: readonly Bound[], what: string): Promise<void>;
  /** In how many seconds one more is taken of somebody who failed too often; null where one is taken now. */
  spent(bound: Bound): Promise<number | null>;
  /** Counts one failure. */
  failed(bound: Bound): Promise<void>;
  /** It was no failure: the first so many names are forgotten, the others have one less. */
  succeeded(bounds: readonly Bound[], forget: number): Promise<void>;
}

/** Failures by address and account, by account from anywhere, by address, and of everybody. */
export function signInBounds(from: string, account: string): Bound[] {
  return [
    { name: `sign-in ${from} ${account}`, most: 8, seconds: 300 },
    { name: `sign-in account ${account}`, most: 15, seconds: 900 },
    { name: `sign-in address ${from}`, most: 60, seconds: 300 },
    { name: 'sign-in all', most: 1000, seconds: 300 },
  ];
}

const LONGEST_NAME = 300;

interface Counted {
  name: string;
  count: number;
  seconds: number;
}

export function createLimits(store: Store): Limits {
  const nameOf = ({ name }: Pick<Bound, 'name'>): string => name.slice(0, LONGEST_NAME);
  const count = async (connection: Connection, bounds: readonly Bound[]): Promise<void> => {
    for (const bound of bounds)
      await connection.query(
        `INSERT INTO limits (name, count, until) VALUES (?, 1, NOW(3) + INTERVAL ? SECOND)
          ON DUPLICATE KEY UPDATE count = IF(until > NOW(3), count + 1, 1), until = IF(until > NOW(3), until, VALUES(until))`,
        [nameOf(bound), bound.seconds],
      );
    await connection.query('DELETE FROM limits WHERE until < NOW(3) - INTERVAL 1 HOUR LIMIT 100');
  };
  const read = async (connection: Connection, bounds: readonly Bound[]): Promise<Counted[]> =>
    (await connection.query(
      'SELECT name, count, TIMESTAMPDIFF(SECOND, NOW(3), until) AS seconds FROM limits WHERE name IN (?)',
      [bounds.map(nameOf)],
    )) as Counted[];
  return {
    async spent(bound) {
      const [row] = await store.withConnection((connection) => read(connection, [bound]));
      return row === undefined || Number(row.count) < bound.most || Number(row.seconds) <= 0
        ? null
        : Number(row.seconds);
    },
    failed: (bound) => store.withConnection((connection) => count(connection, [bound])),
    async attempt(bounds, what) {
      const rows = await store.withConnection(async (connection) => {
        await count(connection, bounds);
        return read(connection, bounds);
      });
      for (const bound of bounds) {
        const row = rows.find(({ name }) => name === nameOf(bound));
        if (row === undefined || Number(row.count) <= bound.most) continue;
        const seconds = Math.max(1, Number(row.seconds));
        throw new ProblemError(
          'too-often',
          `Too many attempts to ${what}. Wait ${seconds} ${seconds === 1 ? 'second' : 'seconds'} and try again.`,
          { retryAfterS: seconds },
        );
      }
    },
    async succeeded(bounds, forget) {
      await store.withConnection(async (connection) => {
        const gone = bounds.slice(0, forget).map(nameOf);
        if (gone.length > 0) await connection.query('DELETE FROM limits WHERE name IN (?)', [gone]);
        const less = bounds.slice(forget).map(nameOf);
        if (less.length > 0)
          await connection.query('UPDATE limits SET count = count - 1 WHERE name IN (?) AND count > 0', [
            less,
          ]);
      });
    },
  };
}
