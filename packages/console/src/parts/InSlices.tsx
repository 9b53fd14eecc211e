import { useDeferredValue, type ReactNode } from 'react';

/** Draws what is in it after what stands around it, and in slices: meanwhile the page answers. */
export function InSlices({ children }: { children: ReactNode }): ReactNode {
  return useDeferredValue(true, false) ? children : null;
}
