import { createContext, useEffect, useState, type RefObject } from 'react';

/** What is so near to being seen is drawn as if it were, in px. */
const NEAR_PX = 200;

/** Whether a part of the page is in sight, or nearly. */
export class Sight {
  isSeen = true;
  #listeners = new Set<() => void>();

  subscribe = (listener: () => void): (() => void) => {
    this.#listeners.add(listener);
    return () => this.#listeners.delete(listener);
  };

  set(isSeen: boolean): void {
    if (isSeen === this.isSeen) return;
    this.isSeen = isSeen;
    for (const listener of this.#listeners) listener();
  }
}

/** The part of the page in which something stands; null where nobody looks whether it is seen. */
export const SightContext = createContext<Sight | null>(null);

/** Whether an element is in sight, for what stands in it. */
export function useSight(element: RefObject<Element | null>): Sight {
  const [sight] = useState(() => new Sight());
  useEffect(() => {
    const observer = new IntersectionObserver((entries) => sight.set(entries.at(-1)!.isIntersecting), {
      rootMargin: `${NEAR_PX}px`,
    });
    observer.observe(element.current!);
    return () => observer.disconnect();
  }, [element, sight]);
  return sight;
}
