import { countSetAside } from '../journal/setAside';
import { now as clockNow } from '../clock';
import type { Store } from '../store/store';

const LOOK_MS = 60_000;
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
