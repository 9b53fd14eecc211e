import type { Connection } from 'mariadb';
import { isConflict } from './lost';

/** How often a statement is tried that met another one on its way, another node's included. */
const MOST_TRIES = 5;

/** Does work again that the database undid because of a conflict (1213, 1205), a few times. It must be one transaction, or one statement. */
export async function retryConflict<T>(work: () => Promise<T>): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await work();
    } catch (error) {
      if (attempt >= MOST_TRIES || !isConflict(error)) throw error;
    }
  }
}

const STATEMENTS = new Set<PropertyKey>(['query', 'execute', 'batch']);
const faces = new WeakMap<Connection, Connection>();

/**
 * The same connection, on which each statement that is a transaction of its own is tried again after a conflict. What is inside a
 * transaction that was begun on it is not: the database has undone all of that.
 */
export function retryingConnection(connection: Connection): Connection {
  let face = faces.get(connection);
  if (face !== undefined) return face;
  let within = false;
  const bound = new Map<PropertyKey, unknown>();
  const wrap = (name: PropertyKey, method: (...given: unknown[]) => unknown): unknown => {
    if (STATEMENTS.has(name))
      return (...given: unknown[]) =>
        within
          ? method.apply(connection, given)
          : retryConflict(() => method.apply(connection, given) as Promise<unknown>);
    if (name !== 'beginTransaction' && name !== 'commit' && name !== 'rollback')
      return method.bind(connection);
    return (...given: unknown[]) => {
      within = name === 'beginTransaction';
      return method.apply(connection, given);
    };
  };
  face = new Proxy(connection, {
    get(target, name) {
      const known = bound.get(name);
      if (known !== undefined) return known;
      const value: unknown = Reflect.get(target, name, target);
      if (typeof value !== 'function') return value;
      const made = wrap(name, value as (...given: unknown[]) => unknown);
      bound.set(name, made);
      return made;
    },
  });
  faces.set(connection, face);
  return face;
}
