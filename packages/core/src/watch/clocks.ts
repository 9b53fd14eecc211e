import { showDuration } from '../rules';

/** Off by more than this a node leaves the others, and comes back below the second, in ms. */
export const OFF_MS = 1000;
const BACK_MS = 500;

/** What of another node says whether it can do the work: what is known of its clock, and that it takes anything. */
export interface OtherClock {
  /** How far its clock is ahead of the database's, in ms; not said by older ones. */
  clockMs?: number | undefined;
  draining: boolean;
}

/** How a node stands with its clock: whether it leaves, and what is to be said of it. */
export interface ClockStanding {
  leaves: boolean;
  /** What is wrong, in words; null for nothing. */
  trouble: string | null;
}

/** How far a clock is off, in words; never nothing. */
export const showOff = (aheadMs: number): string =>
  showDuration(Math.max(1000, Math.round(Math.abs(aheadMs) / 1000) * 1000));

/**
 * Whether the clock of this computer may be trusted: the database's time is what counts among nodes. One that is off leaves while another
 * that agrees with the database lives; the last one stays.
 */
export function clockStanding(
  aheadMs: number,
  others: readonly OtherClock[],
  before: ClockStanding,
): ClockStanding {
  const off = Math.abs(aheadMs);
  if (off <= (before.trouble === null ? OFF_MS : BACK_MS)) return { leaves: false, trouble: null };
  const leaves = others.some(({ clockMs = 0, draining }) => !draining && Math.abs(clockMs) <= OFF_MS);
  const so = `The clock of this computer is ${showOff(aheadMs)} ${aheadMs > 0 ? 'ahead of' : 'behind'} the database's.`;
  return {
    leaves,
    trouble: `${so} Times go by the database's; ${leaves ? 'the service here takes nothing new until they agree again, and others go on.' : 'the service here goes on, as no other has a clock that agrees.'}`,
  };
}
