import TinyQueue from 'tinyqueue';

/**
 * What is due at a time, the earliest first. What was taken out stays in hand until the work on it is settled: work that is begun
 * again, because it failed or only looked, finds it once more.
 */
export interface DueTimes<T> {
  plan(at: number, one: T): void;
  /** Begins a piece of work: what an unsettled one before has in hand is due again. */
  begin(): void;
  /** Takes out what is due by a time, epoch ms; what is planned meanwhile too. */
  until(now: number): Iterable<T>;
  /** The work on what is in hand is done. */
  settle(): void;
  /** When something is due next, epoch ms; null for nothing. */
  next(): number | null;
  clear(): void;
}

export function createDueTimes<T>(): DueTimes<T> {
  type Due = { at: number; one: T };
  const empty = (): TinyQueue<Due> => new TinyQueue<Due>([], (a, b) => a.at - b.at);
  let queue = empty();
  let inHand: Due[] = [];
  return {
    plan: (at, one) => queue.push({ at, one }),
    begin() {
      for (const due of inHand) queue.push(due);
      inHand = [];
    },
    *until(now) {
      while ((queue.peek()?.at ?? Infinity) <= now) {
        const due = queue.pop()!;
        inHand.push(due);
        yield due.one;
      }
    },
    settle: () => void (inHand = []),
    next: () => queue.peek()?.at ?? null,
    clear() {
      queue = empty();
      inHand = [];
    },
  };
}
