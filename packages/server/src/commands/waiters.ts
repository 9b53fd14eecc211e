/** Those who wait for something new to be wanted of a device. */
export interface Waiters {
  /** Resolves when something is newly wanted, after `ms`, or when nobody waits any more. */
  wait(deviceRowId: number, ms: number, gone: AbortSignal): Promise<void>;
  wake(deviceRowId: number): void;
  wakeAll(): void;
}

export function createWaiters(): Waiters {
  const waiters = new Map<number, Set<() => void>>();
  return {
    wait: (deviceRowId, ms, gone) =>
      new Promise((resolve) => {
        if (gone.aborted) return resolve();
        const mine = waiters.get(deviceRowId) ?? new Set();
        waiters.set(deviceRowId, mine);
        const wake = (): void => {
          clearTimeout(timer);
          mine.delete(wake);
          if (mine.size === 0) waiters.delete(deviceRowId);
          gone.removeEventListener('abort', wake);
          resolve();
        };
        gone.addEventListener('abort', wake);
        const timer = setTimeout(wake, ms);
        mine.add(wake);
      }),
    wake(deviceRowId) {
      for (const wake of [...(waiters.get(deviceRowId) ?? [])]) wake();
    },
    wakeAll() {
      for (const wakes of [...waiters.values()]) for (const wake of [...wakes]) wake();
    },
  };
}
