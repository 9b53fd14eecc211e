/** Values and bytes that count as much as one message. */
const VALUES_A_MESSAGE = 50;
const BYTES_A_MESSAGE = 8192;
/** Seconds of its rate that a device can be behind at the most. */
const MOST_BEHIND_S = 10;
/** A device that was silent for so long has its whole rate again, and need not be remembered. */
const FORGET_MS = 600_000;
/** Other nodes hear of what a device used here by this part of a second's rate, gathered for so long, in ms. */
const TOLD_PART = 1 / 20;
const GATHER_MS = 100;

/** What devices used: their rows, and messages. */
export type Used = [deviceRowId: number, messages: number][];

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
  /** What devices used at another node: a device has one rate wherever it sends to. */
  usedElsewhere(used: Used): void;
}

interface Left {
  at: number;
  messages: number;
  /** Used here, and not told yet. */
  untold: number;
}

/** `perSecond`: messages a second, 0 for no bound. `tell` hears now and then what devices used here; null where nobody else is to know. */
export function createWorkRate(perSecond: number, tell: ((used: Used) => void) | null = null): WorkRate {
  const left = new Map<number, Left>();
  const telling = new Set<number>();
  const tellFrom = tell === null ? Infinity : perSecond * TOLD_PART;
  const tellAll = (): void => {
    const used = [...telling].flatMap((id): Used => {
      const known = left.get(id);
      if (known === undefined || known.untold <= 0) return [];
      const messages = known.untold;
      known.untold = 0;
      return [[id, messages]];
    });
    telling.clear();
    if (used.length > 0) tell!(used);
  };
  const note = (deviceRowId: number, known: Left, messages: number): void => {
    known.untold += messages;
    if (known.untold < tellFrom || telling.has(deviceRowId)) return;
    telling.add(deviceRowId);
    if (telling.size === 1) setTimeout(tellAll, GATHER_MS).unref();
  };
  let forgottenAt = performance.now();
  const of = (deviceRowId: number, now: number): Left => {
    let known = left.get(deviceRowId);
    if (known === undefined) left.set(deviceRowId, (known = { at: now, messages: perSecond, untold: 0 }));
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
      note(deviceRowId, known, 1);
      return true;
    },
    charge(deviceRowId, values, bytes) {
      const known = left.get(deviceRowId);
      const messages = Math.floor(values / VALUES_A_MESSAGE) + Math.floor(bytes / BYTES_A_MESSAGE);
      if (known === undefined || messages === 0) return;
      take(known, messages);
      note(deviceRowId, known, messages);
    },
    chargeMessages(deviceRowId, messages) {
      if (perSecond === 0) return;
      const known = of(deviceRowId, performance.now());
      take(known, messages);
      note(deviceRowId, known, messages);
    },
    giveBack(deviceRowId) {
      const known = left.get(deviceRowId);
      if (known === undefined) return;
      known.messages++;
      known.untold--;
    },
    usedElsewhere(used) {
      if (perSecond === 0) return;
      const now = performance.now();
      for (const [deviceRowId, messages] of used) take(of(deviceRowId, now), messages);
    },
    waitMs(deviceRowId) {
      if (perSecond === 0) return 0;
      const { messages } = of(deviceRowId, performance.now());
      return messages >= 1 ? 0 : Math.ceil(((1 - messages) / perSecond) * 1000);
    },
  };
}
