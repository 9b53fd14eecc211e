import { showDuration } from '../rules';

/** What is told of a service on a database, in a word or two: it is there, going, or silent for so long. */
export function nodeState({
  alive,
  draining,
  silentMs,
}: {
  alive: boolean;
  draining: boolean;
  silentMs: number;
}): string {
  if (!alive) return `silent for ${showDuration(Math.round(silentMs / 1000) * 1000)}`;
  return draining ? 'going' : 'there';
}
