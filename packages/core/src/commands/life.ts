/** The life of a command: a value somebody wants on a control datastream. */
export const COMMAND_STATES = ['waiting', 'sent', 'applied', 'refused', 'expired'] as const;
export type CommandState = (typeof COMMAND_STATES)[number];

/** What can happen to a command. `replaced`: somebody wanted another value before this one was applied. */
export type CommandHappening = 'delivered' | 'applied' | 'refused' | 'replaced' | 'timed-out';

const NEXT: Record<CommandState, Partial<Record<CommandHappening, CommandState>>> = {
  waiting: {
    delivered: 'sent',
    applied: 'applied',
    refused: 'refused',
    replaced: 'expired',
    'timed-out': 'expired',
  },
  sent: {
    delivered: 'sent',
    applied: 'applied',
    refused: 'refused',
    replaced: 'expired',
    'timed-out': 'expired',
  },
  applied: {},
  refused: {},
  expired: {},
};

/** The state after something happened, or null where it changes nothing (an applied command stays applied). */
export function nextCommandState(state: CommandState, happening: CommandHappening): CommandState | null {
  const next = NEXT[state][happening];
  return next === undefined || next === state ? null : next;
}

/** True while a command may still change. */
export function isPending(state: CommandState): boolean {
  return state === 'waiting' || state === 'sent';
}
