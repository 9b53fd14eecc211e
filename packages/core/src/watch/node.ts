import { showDuration } from '../rules';

/** A clock that is off by more than this among nodes is wrong, in ms. */
const OFF_MS = 1000;

/** What is told of a service on a database, in a word or two: it is there, going, or silent for so long. */
export function nodeState({
  alive,
  draining,
  silentMs,
  clockMs = 0,
}: {
  alive: boolean;
  draining: boolean;
  silentMs: number;
  /** How far its clock is ahead of the database's. */
  clockMs?: number | undefined;
}): string {
  if (!alive) return `silent for ${showDuration(Math.round(silentMs / 1000) * 1000)}`;
  const state = draining ? 'going' : 'there';
  if (Math.abs(clockMs) <= OFF_MS) return state;
  const off = showDuration(Math.round(Math.abs(clockMs) / 1000) * 1000);
  return `${state}, its clock ${off} ${clockMs > 0 ? 'ahead' : 'behind'}`;
}
