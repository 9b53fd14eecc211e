import { useState } from 'react';

/** The device token that was just made, for as long as this tab has it: over a reload too, until it is put away. */
export function useToken(
  device: string,
  given: string | undefined,
): [string | null, (token: string | null) => void] {
  const place = `peatmoor token ${device}`;
  const [token, setToken] = useState<string | null>(() => {
    if (given !== undefined) sessionStorage.setItem(place, given);
    return given ?? sessionStorage.getItem(place);
  });
  return [
    token,
    (next) => {
      if (next === null) sessionStorage.removeItem(place);
      else sessionStorage.setItem(place, next);
      setToken(next);
    },
  ];
}
