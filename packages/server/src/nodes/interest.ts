import type { Bus } from '../bus';

/** A node whose pages show messages says so every second; without a word for so long it no longer does, in ms. */
const HOLDS_MS = 5000;

/** What begins in a moment is told of together, so long after the first, in ms. */
const TOGETHER_MS = 300;

/**
 * In which workspaces pages of other nodes show messages as they come: those of all others are not told to other nodes at all.
 * `onBegun` hears of each of which a page somewhere begins to show what is kept here.
 */
export interface Interest {
  isWanted(workspaceId: number): boolean;
}

export function createInterest(
  bus: Bus,
  onBegun: (workspaceId: number) => void,
  now = (): number => performance.now(),
): Interest {
  /** Until when each is wanted. */
  const wanted = new Map<number, number>();
  const isWanted = (workspaceId: number): boolean => (wanted.get(workspaceId) ?? -Infinity) >= now();
  const soon = new Map<number, NodeJS.Timeout>();
  const begins = (id: number): void => {
    if (soon.has(id)) return;
    const timer = setTimeout(() => {
      soon.delete(id);
      onBegun(id);
    }, TOGETHER_MS);
    soon.set(id, timer.unref());
  };
  bus.on('shown', ({ workspaces, begun }, from) => {
    if (from === undefined) return;
    for (const [id, until] of wanted) if (until < now()) wanted.delete(id);
    for (const id of workspaces) {
      if (id === begun || !isWanted(id)) begins(id);
      wanted.set(id, now() + HOLDS_MS);
    }
  });
  return { isWanted };
}
