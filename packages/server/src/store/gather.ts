import DataLoader from 'dataloader';

/** Keys that are looked up in one query. */
const MOST_AT_ONCE = 500;

/**
 * Looks up together what is asked for one by one: while one query is on its way, what else is asked for waits for the next, so
 * that many boards that connect at once cost few queries. Nothing is remembered. `load` gives what it found by key; what it
 * leaves out is null.
 */
export function gather<K, V>(
  load: (keys: readonly K[]) => Promise<ReadonlyMap<K, V>>,
): (key: K) => Promise<V | null> {
  let isLoading = false;
  const waiting: (() => void)[] = [];
  const next = (): void => {
    const run = waiting.shift();
    isLoading = run !== undefined;
    run?.();
  };
  const loader = new DataLoader<K, V | null>(
    async (keys) => {
      try {
        const found = await load([...new Set(keys)]);
        return keys.map((key) => found.get(key) ?? null);
      } finally {
        next();
      }
    },
    {
      cache: false,
      maxBatchSize: MOST_AT_ONCE,
      batchScheduleFn(run) {
        waiting.push(run);
        if (isLoading) return;
        isLoading = true;
        setImmediate(next);
      },
    },
  );
  return (key) => loader.load(key);
}
