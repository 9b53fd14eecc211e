import DataLoader from 'dataloader';

/** Keys that are looked up in one query. */
const MOST_AT_ONCE = 500;
/** While many ask, a query waits for so long for more of them, in ms. */
const CROWD_MS = 4;

/**
 * Looks up together what is asked for one by one: while one query is on its way, what else is asked for waits for the next, so
 * that many boards that connect at once cost few queries; where it is several that ask, a moment longer. Nothing is remembered.
 * `load` gives what it found by key; what it leaves out is null. `crowdMs`: that moment, in ms.
 */
export function gather<K, V>(
  load: (keys: readonly K[]) => Promise<ReadonlyMap<K, V>>,
  crowdMs = CROWD_MS,
): (key: K) => Promise<V | null> {
  let isLoading = false;
  /** True where the last query was for several. */
  let isCrowd = false;
  const waiting: (() => void)[] = [];
  const next = (): void => {
    const run = waiting.shift();
    isLoading = run !== undefined;
    run?.();
  };
  const plan = (): void => {
    if (isCrowd) setTimeout(next, crowdMs);
    else setImmediate(next);
  };
  const loader = new DataLoader<K, V | null>(
    async (keys) => {
      isCrowd = keys.length > 1;
      try {
        const found = await load([...new Set(keys)]);
        return keys.map((key) => found.get(key) ?? null);
      } finally {
        if (isCrowd && waiting.length > 0) plan();
        else next();
      }
    },
    {
      cache: false,
      maxBatchSize: MOST_AT_ONCE,
      batchScheduleFn(run) {
        waiting.push(run);
        if (isLoading) return;
        isLoading = true;
        plan();
      },
    },
  );
  return (key) => loader.load(key);
}
