import { AsyncLocalStorage } from 'node:async_hooks';
import { Sequelize, type Transaction } from 'sequelize';

interface Ambient {
  transaction: Transaction;
  after: (() => Promise<unknown>)[];
}
const ambient = new AsyncLocalStorage<Ambient>();

/** The transaction that all queries of the caller belong to; undefined for none. */
export const ambientTransaction = (): Transaction | undefined => ambient.getStore()?.transaction;

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
  const result = await transact((transaction) => {
    after = [];
    return ambient.run({ transaction, after }, work);
  });
  for (const one of after) await one();
  return result;
}

/** Does something at once, or where the caller's queries belong to one transaction, when that is committed. */
export async function afterCommit(work: () => Promise<unknown>): Promise<void> {
  const here = ambient.getStore();
  if (here === undefined) await work();
  else here.after.push(work);
}
