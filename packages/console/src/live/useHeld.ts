import { useEffect, useReducer, useRef } from 'react';

/**
 * What a store holds now. Unlike React's own way of reading a store it lets what is being drawn in slices be drawn to its end where the
 * store changes meanwhile, as the live one does all the time, and draws what changed after it.
 */
export function useHeld<T>(subscribe: (changed: () => void) => () => void, read: () => T): T {
  const [, again] = useReducer((count: number) => count + 1, 0);
  const value = read();
  const drawn = useRef({ read, value });
  useEffect(() => void (drawn.current = { read, value }));
  useEffect(() => {
    const look = (): void => {
      if (!Object.is(drawn.current.read(), drawn.current.value)) again();
    };
    look();
    return subscribe(look);
  }, [subscribe]);
  return value;
}
