/** The life of a command: a value somebody wants on a control datastream. */
export const COMMAND_STATES = [
  'waiting',
  'sent',
  'applied',
  'confirmed',
  'not-confirmed',
  'refused',
  'expired',
  'not-known',
] as const;
export type CommandState = (typeof COMMAND_STATES)[number];

/**
 * What can happen to a command. `replaced`: somebody wanted another value before this one was applied. `timed-out`: its time
 * was over before it was told, or applied; `unheard`: it was told, and nobody knows what came of it. `followed`: what must
 * follow it was measured; `unfollowed`: it was not, in its time.
 */
export type CommandHappening =
  'delivered' | 'applied' | 'refused' | 'replaced' | 'timed-out' | 'unheard' | 'followed' | 'unfollowed';

const OPEN: Partial<Record<CommandHappening, CommandState>> = {
  delivered: 'sent',
  applied: 'applied',
  refused: 'refused',
  replaced: 'expired',
  'timed-out': 'expired',
  unheard: 'not-known',
};

/** What is measured says more than what a board says of itself. */
const TOLD: Partial<Record<CommandHappening, CommandState>> = {
  followed: 'confirmed',
  unfollowed: 'not-confirmed',
};

const NEXT: Record<CommandState, Partial<Record<CommandHappening, CommandState>>> = {
  waiting: OPEN,
  sent: { ...OPEN, ...TOLD },
  applied: TOLD,
  confirmed: {},
  // It may follow yet, late.
  'not-confirmed': { followed: 'confirmed' },
  refused: {},
  expired: {},
  // The board may say it yet.
  'not-known': { applied: 'applied', refused: 'refused', followed: 'confirmed' },
};

/** The state after something happened, or null where it changes nothing (an applied command stays applied). */
export function nextCommandState(state: CommandState, happening: CommandHappening): CommandState | null {
  const next = NEXT[state][happening];
  return next === undefined || next === state ? null : next;
}

/** True while a command may still change by itself. */
export function isPending(state: CommandState): boolean {
  return state === 'waiting' || state === 'sent';
}

/** True while something is waited for: an answer of the board, or where something must follow, that it is measured. */
export function isUnderWay(state: CommandState, follows: boolean): boolean {
  return isPending(state) || (follows && state === 'applied');
}

/** Report intervals for which a press is meant where no time limit is said, so that a board that sleeps hears of it. */
const USUAL_INTERVALS = 2;
const SHORTEST_S = 5;

/**
 * The time up to which a wanted value is meant, epoch ms; null for as long as nobody wants another. A momentary one always has
 * such a time: by default two report intervals (s), and five seconds at least.
 */
export function deadlineOf(
  { holds, timeLimitS }: { holds: 'lasting' | 'momentary'; timeLimitS: number | null },
  intervalS: number,
  wantedAt: number,
): number | null {
  if (timeLimitS !== null) return wantedAt + timeLimitS * 1000;
  return holds === 'lasting' ? null : wantedAt + Math.max(SHORTEST_S, USUAL_INTERVALS * intervalS) * 1000;
}
