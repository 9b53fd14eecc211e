/** Values and bytes that count as much as one message. */
const VALUES_A_MESSAGE = 50;
const BYTES_A_MESSAGE = 8192;
/** Seconds of its rate that a device can be behind at the most. */
const MOST_BEHIND_S = 10;
/** A device that was silent for so long has its whole rate again, and need not be remembered. */
const FORGET_MS = 600_000;

/** Bounds what one device may cause: its work in messages a second, where many values or bytes count as several. */
export interface WorkRate {
  /** True where a device may send one more message now; it is counted. */
  admits(deviceRowId: number): boolean;
  /** Counts what a message was beyond its being one. */
  charge(deviceRowId: number, values: number, bytes: number): void;
  /** Counts messages that were not asked for beforehand: subscriptions, or what was refused as too often. */
  chargeMessages(deviceRowId: number, messages: number): void;
  /** Takes back one message: it comes again another way. */
  giveBack(deviceRowId: number): void;
  /** Ms until a device may send again. */
  waitMs(deviceRowId: number): number;
}

/** `perSecond`: messages a second, 0 for no bound. */
export function createWorkRate(perSecond: number): WorkRate {
  const left = new Map<number, { at: number; messages: number }>();
  let forgottenAt = performance.now();
  const of = (deviceRowId: number, now: number): { at: number; messages: number } => {
    let known = left.get(deviceRowId);
    if (known === undefined) left.set(deviceRowId, (known = { at: now, messages: perSecond }));
    else if (now !== known.at) {
      // By the passing of time, whatever a clock is set to.
      const more = ((now - known.at) / 1000) * perSecond;
      known.messages = Math.min(perSecond, known.messages + more);
      known.at = now;
    }
    return known;
  };
  const take = (known: { messages: number }, messages: number): void => {
    known.messages = Math.max(-MOST_BEHIND_S * perSecond, known.messages - messages);
  };
  const forget = (now: number): void => {
    if (now - forgottenAt < FORGET_MS) return;
    forgottenAt = now;
    for (const [id, { at }] of left) if (now - at > FORGET_MS) left.delete(id);
  };
  return {
    admits(deviceRowId) {
      if (perSecond === 0) return true;
      const now = performance.now();
      forget(now);
      const known = of(deviceRowId, now);
      if (known.messages < 1) return false;
      known.messages--;
      return true;
    },
    charge(deviceRowId, values, bytes) {
      const known = left.get(deviceRowId);
      if (known !== undefined)
        take(known, Math.floor(values / VALUES_A_MESSAGE) + Math.floor(bytes / BYTES_A_MESSAGE));
    },
    chargeMessages(deviceRowId, messages) {
      if (perSecond > 0) take(of(deviceRowId, performance.now()), messages);
    },
    giveBack(deviceRowId) {
      const known = left.get(deviceRowId);
      if (known !== undefined) known.messages++;
    },
    waitMs(deviceRowId) {
      if (perSecond === 0) return 0;
      const { messages } = of(deviceRowId, performance.now());
      return messages >= 1 ? 0 : Math.ceil(((1 - messages) / perSecond) * 1000);
    },
  };
}
