/** How often it is looked whether it is time, in ms. */
const LOOK_MS = 1000;

/**
 * Saves what is kept in memory every so often (ms): beside something else that is written, so that no disk is woken for it alone, or by
 * itself where nothing else was written for twice as long.
 */
export function createSaving(
  save: () => Promise<void>,
  everyMs: () => number,
): { beside(): void; stop(): void } {
  let savedAt = performance.now();
  const saveNow = (): void => {
    savedAt = performance.now();
    void save();
  };
  const timer = setInterval(() => {
    if (performance.now() - savedAt >= 2 * everyMs()) saveNow();
  }, LOOK_MS);
  return {
    beside() {
      if (performance.now() - savedAt >= everyMs()) saveNow();
    },
    stop: () => clearInterval(timer),
  };
}
