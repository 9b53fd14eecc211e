/** A rule that holds a control at a value as long as its event is open. */
export interface Interlock {
  rule: number;
  title: string;
  /** Its place in the order of the control's interlocks: 1 goes first. */
  rank: number;
  /** What it holds the control at, as the rule writes it. */
  value: string;
  event: number;
  /** When the event opened, epoch ms. */
  since: number;
}

/** The interlock that holds, of those whose events are open: the first by rank, then the one that opened first. Null for none. */
export function holding(open: readonly Interlock[]): Interlock | null {
  return (
    [...open].sort(
      (a, b) => a.rank - b.rank || a.since - b.since || a.rule - b.rule || a.event - b.event,
    )[0] ?? null
  );
}

/** What a rule would hold a control at. `value`: as the control takes it, so that "on" and "1" are the same. */
export interface WouldHold {
  control: string;
  rank: number;
  value: number | string;
  rule: number;
  title: string;
}

/** Two that would hold one control at different values with equal right; null where there are none. */
export function clashOf<W extends WouldHold>(all: readonly W[]): [W, W] | null {
  const first = new Map<string, W>();
  for (const one of all) {
    const place = `${one.control} ${one.rank}`;
    const before = first.get(place);
    if (before === undefined) first.set(place, one);
    else if (before.value !== one.value) return [before, one];
  }
  return null;
}
