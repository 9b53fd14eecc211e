/** What is known of a session's messages of QoS 2: settled, or still under way. */
interface Message<T> {
  /** Which connection of its session it came by. */
  epoch: number | null;
  outcome: Promise<T>;
  settled: boolean;
}

/**
 * Messages of QoS 2 of sessions that outlast their connection, by number, from when they are taken until their release: sent again
 * meanwhile, over whichever connection of the session, one is the same message (MQTT 3.1.1 §4.3.3). The library knows a number only once
 * its message was stored, which on a slow database is too late.
 */
export interface OpenMessages<T> {
  /**
   * Takes a message, or waits for the same one that is being taken; then null. Rejects where it could not be taken. One of a connection
   * before may have been released elsewhere meanwhile, and its number be of another message now: the records tell that, so that it is waited
   * for, and this one is taken.
   */
  once(session: string, number: number, epoch: number | null, take: () => Promise<T>): Promise<T | null>;
  /** The board has released a number: the next message under it is a new one. */
  release(session: string, number: number): void;
  /** What another node may know better is forgotten; what is under way here is not. */
  forgetSettled(session: string): void;
  /** The session begins anew. */
  forget(session: string): void;
}

/** Numbers of one session that are kept; boards have some tens under way at the most. */
const MOST_NUMBERS = 4096;

export function createOpenMessages<T>(): OpenMessages<T> {
  const sessions = new Map<string, Map<number, Message<T>>>();
  const remove = (session: string, number: number): void => {
    const messages = sessions.get(session);
    messages?.delete(number);
    if (messages?.size === 0) sessions.delete(session);
  };
  return {
    async once(session, number, epoch, take) {
      for (;;) {
        const known = sessions.get(session)?.get(number);
        if (known === undefined) break;
        if (known.epoch !== epoch) {
          await known.outcome.catch(() => undefined);
          if (sessions.get(session)?.get(number) === known) remove(session, number);
          continue;
        }
        // Where the first one failed, this one is taken in its place.
        const done = await known.outcome.then(
          () => true,
          () => false,
        );
        if (done) return null;
      }
      const outcome = take();
      const message: Message<T> = { epoch, outcome, settled: false };
      const messages = sessions.get(session) ?? new Map<number, Message<T>>();
      sessions.set(session, messages.set(number, message));
      if (messages.size > MOST_NUMBERS) messages.delete(messages.keys().next().value!);
      try {
        return await outcome;
      } catch (error) {
        if (messages.get(number) === message) remove(session, number);
        throw error;
      } finally {
        message.settled = true;
      }
    },
    release: remove,
    forgetSettled(session) {
      for (const [number, { settled }] of sessions.get(session) ?? []) if (settled) remove(session, number);
    },
    forget: (session) => void sessions.delete(session),
  };
}
