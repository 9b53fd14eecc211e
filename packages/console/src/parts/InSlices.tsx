import { startTransition, useDeferredValue, useEffect, useState, type ReactNode } from 'react';

/** Draws what is in it after what stands around it, and in slices: meanwhile the page answers. */
export function InSlices({ children }: { children: ReactNode }): ReactNode {
  return useDeferredValue(true, false) ? children : null;
}

/** Whether what is out of sight is drawn too: it comes after what is in it. */
export function useRest(): boolean {
  const [isDue, setDue] = useState(false);
  useEffect(() => startTransition(() => setDue(true)), []);
  return isDue;
}
