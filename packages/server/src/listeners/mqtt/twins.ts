import type { PresenceBook } from '../../presence/presence';
import type { Proofs } from '../../presence/proofs';
import type { Session } from './session';
import { now as clockNow } from '../../clock';

/** Two sessions of one device that last this long beside each other are two boards. */
const TWINS_MS = 4000;
/** Two takeovers of a session within this time are two boards that evict each other. */
const TAKEOVERS_MS = 60_000;

/** Notices two boards with one token: both connected for a while, or one throwing the other out again and again. */
export interface Twins {
  opened(session: Session): void;
  tookOver(session: Session, before: Session): void;
}

export function createTwins(presence: PresenceBook, proofs: Proofs): Twins {
  const takeovers = new Map<number, number[]>();
  const say = (session: Session, others: string[]): void => {
    const where = [...new Set([...others, session.from])].join(' and ');
    const hint = `Two boards seem to use one token of this device (connections from ${where}). Register the second board as a device of its own, with its own token.`;
    proofs.trouble(session.entry, { at: clockNow(), reason: 'two-boards', hint, from: session.from });
  };
  return {
    opened(session) {
      const timer = setTimeout(() => {
        const all = presence.sessions(session.deviceRowId);
        const others = [...all].filter((one) => one !== session);
        if (all.has(session) && others.length > 0)
          say(
            session,
            others.slice(0, 3).map((one) => one.from),
          );
      }, TWINS_MS);
      timer.unref();
    },
    tookOver(session, before) {
      const now = clockNow();
      const recent = (takeovers.get(session.deviceRowId) ?? [])
        .filter((at) => now - at < TAKEOVERS_MS)
        .slice(-5);
      takeovers.set(session.deviceRowId, [...recent, now]);
      if (recent.length > 0) say(session, [before.from]);
    },
  };
}
