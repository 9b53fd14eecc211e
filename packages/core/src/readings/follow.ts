/** `same`: what is wanted, within a tolerance; `level`: a level for each wanted value; `rise`: by how much it changes. */
export const FOLLOW_WAYS = ['same', 'level', 'rise'] as const;
export type FollowWay = (typeof FOLLOW_WAYS)[number];

/** What is expected of what follows when one value is wanted. */
export interface FollowStep {
  /** The wanted value as people write it; empty for any other. */
  wanted: string;
  /** Bounds of what is measured (`level`), or of its change (`rise`, a fall being negative); null for none. */
  min: number | null;
  max: number | null;
}

/** What must be measured for a wanted value to be confirmed: "the lamp is on once the light has risen by 200". */
export interface Follow {
  /** Key of the datastream that follows; the control's own where it reports what it has. */
  stream: string;
  way: FollowWay;
  /** Seconds after it was applied, or told where the board does not say so. */
  withinS: number;
  /** How far what is measured may be from what is wanted, in its unit; for `same`. */
  tolerance: number;
  /** For `level` and `rise`. */
  steps: FollowStep[];
}
