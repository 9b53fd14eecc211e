/** When a running total starts again at zero. Hours and days are those of its time zone. */
export const RESTARTS = ['never', 'hour', 'day'] as const;
export type Restart = (typeof RESTARTS)[number];

export const WINDOW_TAKES = ['mean', 'min', 'max'] as const;
export type WindowTake = (typeof WINDOW_TAKES)[number];

/** The ways of making a datastream from others of the same device. */
export const COMPUTATION_FORMS = [
  'formula',
  'integral',
  'change',
  'rate',
  'counter',
  'sum',
  'moving',
] as const;
export type ComputationForm = (typeof COMPUTATION_FORMS)[number];

/**
 * How a computed datastream is made. `of` is the key (or an alias) of its one input; only a formula has several.
 * Each has a reading wherever an input has one.
 */
export type Computation =
  /** A CEL expression over keys; of each other input the newest reading counts, if no older than `gapS` seconds. */
  | { form: 'formula'; formula: string; gapS: number }
  /** Value × time, counted in `perS` seconds (3600: W give Wh). Over a silence longer than `gapS` nothing is added. */
  | { form: 'integral'; of: string; perS: number; gapS: number; restarts: Restart; zone: string }
  /** Difference from the reading before. */
  | { form: 'change'; of: string }
  /** Change in `perS` seconds. */
  | { form: 'rate'; of: string; perS: number }
  /** What a counter has counted; a smaller value means that it began again at zero. */
  | { form: 'counter'; of: string; restarts: Restart; zone: string }
  /** All values since the beginning of the hour or day. */
  | { form: 'sum'; of: string; restarts: Restart; zone: string }
  /** Mean, least or greatest of the last `overS` seconds. */
  | { form: 'moving'; of: string; take: WindowTake; overS: number };
