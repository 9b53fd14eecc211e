import { showDuration } from '../rules';
import { OFF_MS, showOff } from './clocks';

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
  return `${state}, its clock ${showOff(clockMs)} ${clockMs > 0 ? 'ahead' : 'behind'}`;
}
