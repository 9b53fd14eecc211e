import { useState, type KeyboardEvent } from 'react';

/** Steps by key: along a row, and from row to row where there are some. */
const STEPS: Readonly<Record<string, readonly [along: number, across: number]>> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** The ring around what has the focus lies within it: what lies beyond a widget is cut off. */
export const RING_WITHIN = { '&&:focus-visible': { outlineOffset: '-2px' } } as const;

/** Which of so many fields is looked at, by pointer or keyboard; null for none. `perRow`: how many stand in a row, 0 for one row. */
export function usePointed(
  count: number,
  perRow = 0,
): {
  pointed: number | null;
  point: (place: number | null) => void;
  /** What makes an element one that is gone along by keys. */
  keys: { tabIndex: number; role: string; onKeyDown: (event: KeyboardEvent) => void; onBlur: () => void };
} {
  const [pointed, point] = useState<number | null>(null);
  const onKeyDown = (event: KeyboardEvent): void => {
    const step = STEPS[event.key];
    const next =
      event.key === 'Home'
        ? 0
        : event.key === 'End'
          ? count - 1
          : step === undefined || (step[0] === 0 && perRow === 0)
            ? null
            : pointed === null
              ? count - 1
              : pointed + step[0] + step[1] * perRow;
    if (next === null || count === 0) return;
    event.preventDefault();
    if (next >= 0 && next < count) point(next);
  };
  return {
    pointed: pointed !== null && pointed < count ? pointed : null,
    point,
    keys: { tabIndex: 0, role: 'application', onKeyDown, onBlur: () => point(null) },
  };
}
