import { AsyncLocalStorage } from 'node:async_hooks';
import type { Sequelize } from 'sequelize';

/**
 * Work inside a transaction has its connection. Were it to ask for a second one, a dozen such works at once would take
 * the whole pool and wait for each other until they time out.
 */
const within = new AsyncLocalStorage<true>();

/** Marking costs something at every promise: it is done where mistakes are to be found, in tests. */
const IS_WATCHED = process.env.NODE_ENV === 'test';

/** Runs the work of a transaction, marked as such. */
export function inTransaction<T>(work: () => Promise<T>): Promise<T> {
  return IS_WATCHED ? within.run(true, work) : work();
}

/** Runs something that outlives the transaction it is started in, such as a background task. */
export function outsideTransactions<T>(work: () => T): T {
  return IS_WATCHED ? within.exit(work) : work();
}

/** Refuses, in tests, a second connection asked for inside a transaction. */
export function guardConnections(sequelize: Sequelize): void {
  if (!IS_WATCHED) return;
  const manager = sequelize.connectionManager as unknown as {
    getConnection(options: unknown): Promise<unknown>;
  };
  const getConnection = manager.getConnection.bind(manager);
  manager.getConnection = (options) => {
    if (within.getStore() === true)
      return Promise.reject(new Error('a second connection was asked for inside a transaction'));
    return getConnection(options);
  };
}
