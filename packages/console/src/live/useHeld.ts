import { useEffect, useReducer, useRef } from 'react';

/**
 * What a store holds now. Unlike React's own way of reading a store it lets what is being drawn in slices be drawn to its end where the
 * store changes meanwhile, as the live one does all the time, and draws what changed after it.
 */
export function useHeld<T>(subscribe: (changed: () => void) => () => void, read: () => T): T {
  const [, again] = useReducer((count: number) => count + 1, 0);
  const value = read();
  const drawn = useRef({ read, value });
  const look = useRef(() => {
    if (!Object.is(drawn.current.read(), drawn.current.value)) again();
  });
  // It may have changed since it was read for this drawing.
  useEffect(() => {
    drawn.current = { read, value };
    look.current();
  });
  useEffect(() => subscribe(look.current), [subscribe]);
  return value;
}
