import { startTransition, useDeferredValue, useEffect, useState, type ReactNode } from 'react';

/** Draws what is in it after what stands around it, and in slices: meanwhile the page answers. */
export function InSlices({ children }: { children: ReactNode }): ReactNode {
  return useDeferredValue(true, false) ? children : null;
}

/** Parts of a page that are drawn together where they come after what is in sight: so few that nothing live begins them anew. */
const TOGETHER = 4;

/**
 * How many parts of a page are drawn: first those that are in sight, then some more at a time until it is all of them. What changes live
 * goes before what is drawn in slices and begins it anew, so that all of them at once would never be done on a busy page.
 */
export function useMoreAndMore(inSight: number, all: number): number {
  const [drawn, draw] = useState(inSight);
  useEffect(() => {
    if (drawn < all) startTransition(() => draw(drawn + TOGETHER));
  }, [drawn, all]);
  return drawn;
}
