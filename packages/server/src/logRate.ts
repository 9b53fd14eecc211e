/** Lines of one message, and lines in all, in a minute: more say nothing new, and must not fill the disk. */
const MOST_OF_ONE = 30;
const MOST_IN_ALL = 1000;
const MINUTE_MS = 60_000;
/** Messages that are told apart; those beyond are counted together. */
const MOST_APART = 200;

/** Bounds how much is logged. */
export interface LogRate {
  /** True where a line with this message may be written. */
  admits(message: string): boolean;
  /** How many lines were left out since it was last asked, by message, and forgets them. */
  leftOut(): [message: string, count: number][];
}

export function createLogRate(now: () => number): LogRate {
  let began = now();
  let all = 0;
  let counts = new Map<string, number>();
  let left = new Map<string, number>();
  return {
    admits(message) {
      if (now() - began >= MINUTE_MS) {
        began = now();
        all = 0;
        counts = new Map();
      }
      const name = counts.has(message) || counts.size < MOST_APART ? message : 'other messages';
      const count = (counts.get(name) ?? 0) + 1;
      counts.set(name, count);
      if (count <= MOST_OF_ONE && all < MOST_IN_ALL) {
        all++;
        return true;
      }
      left.set(name, (left.get(name) ?? 0) + 1);
      return false;
    },
    leftOut() {
      const lines = [...left];
      left = new Map();
      return lines;
    },
  };
}
