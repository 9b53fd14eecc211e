import type { Connection } from 'mariadb';
import { counted } from '@peatmoor/core';
import { ProblemError } from '../problems';
import type { Store } from '../store/store';

/** One bound: a name, how often within how many seconds. */
export interface Bound {
  name: string;
  most: number;
  seconds: number;
  /** True where a success makes all before it forgotten; otherwise it takes one away. */
  forgets?: true;
}

/** Counts failures by name, for all services on the database together. */
export interface Limits {
  /**
   * Counts one more try, the narrowest bound first, so that many at once are not all let through; throws 429 where one has too many.
   * What a narrower bound refuses does not count towards a wider one: nobody uses up what is everybody's.
   */
  attempt(bounds: readonly Bound[], what: string): Promise<void>;
  /** In how many seconds one more is taken of somebody who failed too often; null where one is taken now. */
  spent(bound: Bound): Promise<number | null>;
  /** Counts one failure. */
  failed(bound: Bound): Promise<void>;
  /** It was no failure. */
  succeeded(bounds: readonly Bound[]): Promise<void>;
}

const LONGEST_NAME = 300;

interface Counted {
  name: string;
  count: number;
  seconds: number;
}

export function createLimits(store: Store): Limits {
  const nameOf = ({ name }: Pick<Bound, 'name'>): string => name.slice(0, LONGEST_NAME);
  const count = async (connection: Connection, bound: Bound): Promise<void> => {
    await connection.query(
      `INSERT INTO limits (name, count, until) VALUES (?, 1, NOW(3) + INTERVAL ? SECOND)
          ON DUPLICATE KEY UPDATE count = IF(until > NOW(3) AND until <= VALUES(until), count + 1, 1),
          until = IF(until > NOW(3) AND until <= VALUES(until), until, VALUES(until))`,
      [nameOf(bound), bound.seconds],
    );
  };
  const tidy = (connection: Connection): Promise<unknown> =>
    connection.query('DELETE FROM limits WHERE until < NOW(3) - INTERVAL 1 HOUR LIMIT 100');
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
    async failed(bound) {
      await store.withConnection(async (connection) => {
        await count(connection, bound);
        await tidy(connection);
      });
    },
    async attempt(bounds, what) {
      const refused = await store.withConnection(async (connection) => {
        await tidy(connection);
        for (const bound of bounds) {
          await count(connection, bound);
          const [row] = await read(connection, [bound]);
          if (row !== undefined && Number(row.count) > bound.most) return row;
        }
        return null;
      });
      if (refused === null) return;
      const seconds = Math.max(1, Number(refused.seconds));
      throw new ProblemError(
        'too-often',
        `Too many attempts to ${what}. Wait ${counted(seconds, 'second')} and try again.`,
        { retryAfterS: seconds },
      );
    },
    async succeeded(bounds) {
      await store.withConnection(async (connection) => {
        const gone = bounds.filter(({ forgets }) => forgets).map(nameOf);
        if (gone.length > 0) await connection.query('DELETE FROM limits WHERE name IN (?)', [gone]);
        const less = bounds.filter(({ forgets }) => !forgets).map(nameOf);
        if (less.length > 0)
          await connection.query('UPDATE limits SET count = count - 1 WHERE name IN (?) AND count > 0', [
            less,
          ]);
      });
    },
  };
}
