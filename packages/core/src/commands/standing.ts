import { isPending, type CommandState } from './life';

/** What was said at one time (epoch ms). */
export interface Said {
  value: number | string;
  at: number;
}

/**
 * What a control shows. `unknown`: nobody ever said what it is. `board`: what its board last applied or reported. `wanted`: something else is
 * on its way; `board` is what the board has until then, null where that is not known.
 */
export type Standing =
  | { is: 'unknown' }
  | { is: 'board'; value: number | string; at: number }
  | { is: 'wanted'; value: number | string; board: Said | null };

/**
 * How a control stands, by the newest command of it and what its board said: what it last applied (`has`) and what it last reported of
 * the same datastream, whichever is newer. What was refused, expired or is not known moves nothing.
 */
export function standingOf(
  command: { value: number | string; state: CommandState } | undefined,
  has: Said | undefined,
  reported: Said | undefined,
): Standing {
  const board = has === undefined || (reported !== undefined && reported.at >= has.at) ? reported : has;
  if (command !== undefined && isPending(command.state))
    return { is: 'wanted', value: command.value, board: board ?? null };
  return board === undefined ? { is: 'unknown' } : { is: 'board', ...board };
}

/** What stands on a control: what is on its way, or else what its board has; undefined where nothing is known. */
export const standingValue = (standing: Standing): number | string | undefined =>
  standing.is === 'unknown' ? undefined : standing.value;
