import { useCallback, useSyncExternalStore } from 'react';
import { useLocation, useNavigate } from 'react-router';
import { herePath } from '../base';

const listeners = new Set<() => void>();
const subscribe = (listener: () => void): (() => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};

/**
 * What the page's address says after its question mark, and how to change some of it; empty is left out. It is the address as
 * it is, not as the page was last drawn: else what is written into a field letter by letter would lose those that came while
 * the page was drawn, and two changes at once would lose the first.
 */
export function useAddressed(): [
  search: URLSearchParams,
  change: (parts: Readonly<Record<string, string>>) => void,
] {
  const { pathname, search: drawn } = useLocation();
  const navigate = useNavigate();
  // Who is on the way to another page still looks at this one.
  const text = useSyncExternalStore(subscribe, () => (herePath() === pathname ? location.search : drawn));
  const change = useCallback(
    (parts: Readonly<Record<string, string>>): void => {
      if (herePath() !== pathname) return;
      const next = new URLSearchParams(location.search);
      for (const [name, value] of Object.entries(parts))
        if (value === '') next.delete(name);
        else next.set(name, value);
      void navigate(`?${next.toString()}`, { replace: true });
      for (const listener of listeners) listener();
    },
    [navigate, pathname],
  );
  return [new URLSearchParams(text), change];
}

/** Something that the page's address says after its question mark: it can be sent, and is there after a reload. Empty is left out. */
export function useAddress(name: string): [value: string, set: (value: string) => void] {
  const [search, change] = useAddressed();
  return [search.get(name) ?? '', (value) => change({ [name]: value })];
}
