import { hashKey, type QueryClient, type QueryKey } from '@tanstack/react-query';

/** A list that what comes live is put into. */
export interface LiveList<T> {
  queryKey: QueryKey;
  /** Which stands first. */
  order: (a: T, b: T) => number;
  most?: number;
}

/** How soon it is looked again whether a list has been read, in ms. */
const AGAIN_MS = 100;
/** By list: what came while it was read. */
const held = new Map<string, Map<unknown, unknown>>();

/**
 * Puts into a list that was read what came of it live. A list that is just being read may have been made before: it is put in
 * again when that has come.
 */
export function putInList<T extends { id: unknown }>(
  client: QueryClient,
  list: LiveList<T>,
  items: readonly T[],
): void {
  const { queryKey, order, most = Infinity } = list;
  const hash = hashKey(queryKey);
  const waits = held.get(hash) as Map<unknown, T> | undefined;
  const fresh = new Map([...(waits ?? []), ...items.map((item) => [item.id, item] as const)]);
  client.setQueryData<T[]>(
    queryKey,
    (read) =>
      read && [...fresh.values(), ...read.filter(({ id }) => !fresh.has(id))].sort(order).slice(0, most),
  );
  if (client.isFetching({ queryKey, exact: true }) === 0) return void held.delete(hash);
  held.set(
    hash,
    new Map(
      [...fresh.values()]
        .sort(order)
        .slice(0, most)
        .map((item) => [item.id, item]),
    ),
  );
  // Whoever began to wait looks again.
  if (waits === undefined) setTimeout(() => lookAgain(client, list, hash), AGAIN_MS);
}

function lookAgain<T extends { id: unknown }>(client: QueryClient, list: LiveList<T>, hash: string): void {
  const items = [...((held.get(hash) as Map<unknown, T> | undefined)?.values() ?? [])];
  held.delete(hash);
  putInList(client, list, items);
}
