import { countSetAside } from '../journal/setAside';
import { now as clockNow } from '../clock';
import type { Store } from '../store/store';

const LOOK_MS = 60_000;
const SOON_MS = 10_000;
const WEEK_MS = 7 * 86_400_000;

/** Looks now and then what was set aside within the last week. */
export function watchSetAside(store: Store): {
  state: () => { count: number; newest: string };
  stop(): void;
} {
  let state = { count: 0, newest: '' };
  const look = (): void => {
    store
      .withConnection((connection) => countSetAside(connection, clockNow() - WEEK_MS))
      .then(({ count, newest }) => (state = { count, newest: newest?.place ?? '' }))
      .catch(() => undefined);
  };
  look();
  const timer = setInterval(look, LOOK_MS);
  return { state: () => state, stop: () => clearInterval(timer) };
}

/** Looks now and then how many people of how many workspaces no alert gets through to by any way. */
export function watchUnreached(store: Store): {
  state: () => { people: number; workspaces: string[] };
  stop(): void;
} {
  let state = { people: 0, workspaces: [] as string[] };
  const look = (): void => {
    store
      .withConnection(
        async (connection) =>
          (await connection.query(
            "SELECT w.title, COUNT(*) AS people FROM unreached u JOIN workspaces w ON w.id = u.workspaceId WHERE u.channel = '' GROUP BY w.id ORDER BY w.id",
          )) as { title: string; people: number }[],
      )
      .then(
        (rows) =>
          (state = {
            people: rows.reduce((sum, { people }) => sum + Number(people), 0),
            workspaces: rows.map(({ title }) => title),
          }),
      )
      .catch(() => undefined);
  };
  look();
  const timer = setInterval(look, SOON_MS);
  return { state: () => state, stop: () => clearInterval(timer) };
}
