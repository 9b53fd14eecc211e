import { setImmediate as nextTurn } from 'node:timers/promises';

/** Milliseconds that long work goes on without a break. */
const WITHOUT_A_BREAK_MS = 10;

/** For work of many small pieces: called between them, it lets everybody else have a turn whenever it has gone on for long. */
export function createTurns(): () => Promise<void> {
  let since = performance.now();
  return async () => {
    if (performance.now() - since < WITHOUT_A_BREAK_MS) return;
    await nextTurn();
    since = performance.now();
  };
}
