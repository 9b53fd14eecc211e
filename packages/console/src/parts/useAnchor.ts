import { useState, type MouseEvent } from 'react';

/** Where a menu stands that is a file of its own, fetched when it is first opened. */
export interface Anchor {
  /** What it stands beside; null while it is closed. */
  at: HTMLElement | null;
  /** True once it was opened: from then on it stays, so that it can close as it opened. */
  wasOpened: boolean;
  open(event: MouseEvent<HTMLElement>): void;
  close(): void;
}

export function useAnchor(): Anchor {
  const [at, setAt] = useState<HTMLElement | null>(null);
  const [wasOpened, setOpened] = useState(false);
  return {
    at,
    wasOpened,
    open: ({ currentTarget }) => {
      setAt(currentTarget);
      setOpened(true);
    },
    close: () => setAt(null),
  };
}
