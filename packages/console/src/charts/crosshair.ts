/** The time under the pointer, in seconds, shared by all charts of the page; null while it is on none. */
let at: number | null = null;
const listeners = new Set<() => void>();

export const crosshair = {
  subscribe: (listener: () => void): (() => void) => {
    listeners.add(listener);
    return () => listeners.delete(listener);
  },
  at: (): number | null => at,
  move(next: number | null): void {
    if (next === at) return;
    at = next;
    for (const listener of listeners) listener();
  },
};
