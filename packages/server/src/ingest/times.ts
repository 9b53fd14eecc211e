/** How far a time may lie ahead of the clock, in ms. */
const MOST_AHEAD_MS = 1000;
const FAR_AHEAD_MS = 3_600_000;
/** Fraction of a millisecond of times that were given, and of those kept for messages that were refused; a node's own part is added. */
const GIVEN = 0.5;
const REFUSED = 0.25;
/** Nodes that give times beside each other add parts of their own, in 1024ths of a millisecond. */
const PART_MS = 1 / 1024;

/** A time as it is shown and told: whole milliseconds. */
export const shownTime = Math.floor;

/**
 * Times for messages that name none. They lie between the milliseconds, where no time that a device names can lie, and no
 * two messages of a device get the same: so none replaces another, or one that named its time.
 */
export interface Times {
  /** The time of a message; null where as many came as there are times up to a second ahead of the clock. */
  give(deviceRowId: number, receivedAt: number): number | null;
  /** True where `give` would give none. */
  isFull(deviceRowId: number, now: number): boolean;
  /** A time for a message that was refused, should it be taken again. */
  keepFor(deviceRowId: number, receivedAt: number): number;
}

/**
 * `after`: no time up to this one is given (epoch ms): a service before may have given it. `nodePart` (0 to 255) is another one at each
 * node that gives times meanwhile: one device may send to several at once.
 */
export function createTimes(after: number, nodePart: () => number = () => 0): Times {
  const own = (fraction: number): number => fraction + nodePart() * PART_MS;
  const given = new Map<number, number>();
  const kept = new Map<number, number>();
  /** The last time that was given, where it can have been: one that lies far ahead came from a clock that was wrong. */
  const lastOf = (map: ReadonlyMap<number, number>, deviceRowId: number, now: number): number => {
    const last = map.get(deviceRowId) ?? after;
    return last > now + FAR_AHEAD_MS ? -Infinity : last;
  };
  return {
    give(deviceRowId, receivedAt) {
      const at = Math.max(receivedAt, lastOf(given, deviceRowId, receivedAt) + 1);
      if (at > receivedAt + MOST_AHEAD_MS) return null;
      given.set(deviceRowId, at);
      return at + own(GIVEN);
    },
    isFull: (deviceRowId, now) => lastOf(given, deviceRowId, now) + 1 > now + MOST_AHEAD_MS,
    keepFor(deviceRowId, receivedAt) {
      const at = Math.max(receivedAt, lastOf(kept, deviceRowId, receivedAt) + 1);
      kept.set(deviceRowId, at);
      return at + own(REFUSED);
    },
  };
}
