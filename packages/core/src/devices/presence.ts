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

/** Never reported, online, or quiet since its last message. */
export function presenceOf(facts: PresenceFacts, nowMs: number): Presence {
  if (facts.lastSeenAt === null) return { state: 'never' };
  const heard = nowMs - facts.lastSeenAt <= patienceMs(facts.intervalS);
  return { state: heard ? 'online' : 'quiet', since: facts.lastSeenAt };
}
