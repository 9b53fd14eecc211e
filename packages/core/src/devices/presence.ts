/** Whether a device counts as online, from its session and its last message. */
export interface PresenceFacts {
  /** A live MQTT session. */
  connected: boolean;
  /** When the last message came, epoch ms; null for never. */
  lastSeenAt: number | null;
  /** How often a message is expected, in seconds. */
  intervalS: number;
}

export type Presence = { state: 'never' } | { state: 'online' | 'quiet'; since: number };

/** Silence tolerated before "no reading since" is shown: three intervals, at least 30 seconds. */
export function patienceMs(intervalS: number): number {
  return Math.max(30_000, intervalS * 3000);
}

/** True where the newest (epoch ms) is so long ago that it is no longer from now. */
export function isQuiet(newestAt: number, intervalS: number, nowMs: number): boolean {
  return nowMs - newestAt > patienceMs(intervalS);
}

/** Never reported, online, or quiet since its last message. */
export function presenceOf(facts: PresenceFacts, nowMs: number): Presence {
  if (facts.lastSeenAt === null) return { state: 'never' };
  const quiet = isQuiet(facts.lastSeenAt, facts.intervalS, nowMs);
  return { state: quiet ? 'quiet' : 'online', since: facts.lastSeenAt };
}
