import { AsyncLocalStorage } from 'node:async_hooks';
import { Sequelize, type Transaction } from 'sequelize';

interface Ambient {
  transaction: Transaction;
  after: (() => Promise<unknown>)[];
  /** Its work is done; what was begun in it goes on by itself. */
  isOver: boolean;
}
const ambient = new AsyncLocalStorage<Ambient>();

/**
 * What the caller's queries belong to. A timer or a chain of work that was begun inside outlives it: from then on it is by
 * itself, and asks no transaction that is over.
 */
function here(): Ambient | undefined {
  const store = ambient.getStore();
  return store === undefined || store.isOver ? undefined : store;
}

/** The transaction that all queries of the caller belong to; undefined for none. */
export const ambientTransaction = (): Transaction | undefined => here()?.transaction;

// Sequelize asks here for the transaction of a query that names none.
Sequelize.useCLS({
  get: (name: string) => (name === 'transaction' ? ambientTransaction() : undefined),
  set: () => undefined,
  run: (work: (context: object) => unknown) => work({}),
  bind: <T>(work: T): T => work,
} as never);

/** Runs work whose queries all belong to one transaction; what it put off with `afterCommit` is done once it is committed. */
export async function within<T>(
  transact: (work: (transaction: Transaction) => Promise<T>) => Promise<T>,
  work: () => Promise<T>,
): Promise<T> {
  let after: Ambient['after'] = [];
  const result = await transact(async (transaction) => {
    after = [];
    const one: Ambient = { transaction, after, isOver: false };
    try {
      return await ambient.run(one, work);
    } finally {
      one.isOver = true;
    }
  });
  for (const one of after) await one();
  return result;
}

/** Does something at once, or where the caller's queries belong to one transaction, when that is committed. */
export async function afterCommit(work: () => Promise<unknown>): Promise<void> {
  const around = here();
  if (around === undefined) await work();
  else around.after.push(work);
}
