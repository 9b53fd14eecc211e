/** How long a control may stay at a value, and how long it rests after it. */
export interface RunAtMost {
  /** The value, as people write it. */
  value: string;
  /** Seconds that it may stay there. */
  mostS: number;
  /** What it goes to then. */
  then: string;
  /** Seconds after it was there, by whatever way it ended, in which it is not wanted there again; 0 for none. */
  restS: number;
}

/** What a board does with a control by itself, after it has heard nothing for so many seconds. */
export interface WithoutLink {
  afterS: number;
  /** As people write it. */
  value: string;
}

/** Bounds of the times, in seconds. */
export const LONGEST_KEPT_S = 7 * 86_400;
export const SHORTEST_ALONE_S = 10;
