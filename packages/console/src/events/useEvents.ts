import type { ApiError, Event, EventsQuery } from '@peatmoor/contract';
import { useRead } from '../api';
import { useNotFetched } from '../parts/Fetching';

/** Open ones that are asked for at the most: they come first, however long ago they opened. */
const MOST_OPEN = 500;

export interface EventsRead {
  /** Open ones first, then what is over, each newest first; undefined until they are known. */
  events: Event[] | undefined;
  /** True where older ones may be left that are over. */
  more: boolean;
  error: ApiError | null;
}

/**
 * Events that are open, and the newest of those that are over: a rule that opens every minute does not push out of sight what has been
 * open for a week. `limit`: how many that are over at the most; `kept`: what was known stays until a changed question is answered.
 */
export function useEvents(
  query: Partial<EventsQuery> & { limit: number },
  enabled = true,
  kept = false,
): EventsRead {
  const { state, limit } = query;
  const open = useRead(
    'listEvents',
    { query: { ...query, state: state ?? 'open', limit: MOST_OPEN } },
    enabled && state !== 'closed',
    undefined,
    kept,
  );
  const over = useRead(
    'listEvents',
    { query: { ...query, state: 'closed', limit } },
    enabled && (state === undefined || state === 'closed'),
    undefined,
    kept,
  );
  const asked = [
    ...(state === 'closed' ? [] : [open]),
    ...(state === undefined || state === 'closed' ? [over] : []),
  ];
  const error = asked.find((one) => one.error !== null)?.error ?? null;
  useNotFetched(error);
  // One that closed between the two answers is in both: the later one counts.
  const all = new Map(asked.flatMap(({ data }) => data ?? []).map((event) => [event.id, event] as const));
  const isOver = ({ closedAt }: Event): number => Number(closedAt !== null);
  return {
    events: asked.every(({ data }) => data !== undefined)
      ? [...all.values()].sort((a, b) => isOver(a) - isOver(b) || b.openedAt - a.openedAt)
      : undefined,
    more: (over.data?.length ?? 0) >= limit,
    error,
  };
}
