import { useSearchParams } from 'react-router';

/** Something that the page's address says after its question mark: it can be sent, and is there after a reload. Empty is left out. */
export function useAddress(name: string): [value: string, set: (value: string) => void] {
  const [search, setSearch] = useSearchParams();
  const set = (value: string): void =>
    setSearch(
      (before) => {
        if (value === '') before.delete(name);
        else before.set(name, value);
        return before;
      },
      { replace: true },
    );
  return [search.get(name) ?? '', set];
}
