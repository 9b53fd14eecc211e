import { use, useEffect, useReducer, useRef } from 'react';
import { SightContext, type Sight } from './sight';

/** How often what is out of sight is drawn at most, in ms: a page that is searched, heard or printed has it nearly right. */
const UNSEEN_MS = 3000;

/** One reader of a store: what it drew last and when, and its next look. */
interface Reader<T> {
  read: () => T;
  value: T;
  drawnAt: number;
  everyMs: number;
  sight: Sight | null;
  timer: number;
}

/**
 * What a store holds now, drawn anew at most every so many ms, and seldom while it is out of sight. Unlike React's own way of reading a
 * store it lets what is being drawn in slices be drawn to its end where the store changes meanwhile, as the live one does all the time,
 * and draws what changed after it.
 */
export function useHeld<T>(subscribe: (changed: () => void) => () => void, read: () => T, everyMs = 0): T {
  const [, again] = useReducer((count: number) => count + 1, 0);
  const sight = use(SightContext);
  const value = read();
  const reader = useRef<Reader<T>>({ read, value, drawnAt: -Infinity, everyMs, sight, timer: 0 });
  const look = useRef(() => {
    const { current } = reader;
    if (current.timer !== 0 || Object.is(current.read(), current.value)) return;
    const pace = current.sight?.isSeen === false ? UNSEEN_MS : current.everyMs;
    const wait = current.drawnAt + pace - performance.now();
    if (wait <= 0) again();
    else
      current.timer = window.setTimeout(() => {
        current.timer = 0;
        look.current();
      }, wait);
  });
  // It may have changed since it was read for this drawing.
  useEffect(() => {
    const { current } = reader;
    const isNew = !Object.is(value, current.value);
    Object.assign(current, { read, value, everyMs, sight }, isNew && { drawnAt: performance.now() });
    look.current();
  });
  const rest = useRef(() => {
    clearTimeout(reader.current.timer);
    reader.current.timer = 0;
  });
  useEffect(() => subscribe(look.current), [subscribe]);
  useEffect(
    () =>
      sight?.subscribe(() => {
        rest.current();
        look.current();
      }),
    [sight],
  );
  useEffect(() => rest.current, []);
  return value;
}
