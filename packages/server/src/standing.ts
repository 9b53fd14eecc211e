/** Work of the service that should go on and does not: since when, and what the last failure was. */
export interface Standing {
  /** In words, as the subject of a sentence: "Event rules". */
  work: string;
  sinceMs: number;
  error: unknown;
}

/** Failures in a row, by work; of the process, as the clock is. */
const failing = new Map<string, { since: number; error: unknown }>();

/** Notes that a turn of some work failed; the first of a row says since when it stands still. */
export function stoodStill(work: string, error: unknown): void {
  const known = failing.get(work);
  failing.set(work, { since: known?.since ?? performance.now(), error });
}

/** Notes that a turn of some work was done. */
export function wentOn(work: string): void {
  failing.delete(work);
}

/** What has stood still for at least so long, in ms; the longest first. */
export function standing(atLeastMs: number): Standing[] {
  const now = performance.now();
  return [...failing]
    .map(([work, { since, error }]) => ({ work, sinceMs: now - since, error }))
    .filter(({ sinceMs }) => sinceMs >= atLeastMs)
    .sort((a, b) => b.sinceMs - a.sinceMs);
}
