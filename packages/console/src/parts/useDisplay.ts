import { useMemo } from 'react';
import { displayOf, type Datastream, type Display } from '@peatmoor/core';
import { useRead } from '../api';

type Shown = Pick<Datastream, 'type' | 'unit' | 'decimals'> & { choices?: readonly string[] };

/** Tells how a datastream is shown in the units of whoever is signed in. */
export function useDisplay(): (stream: Shown) => Display {
  const units = useRead('me').data?.user.units ?? 'metric';
  return useMemo(() => (stream: Shown) => grouped(displayOf(stream, units)), [units]);
}

/** Long numbers in groups of three digits, with a thin space between them (ISO 80000-1 §7.3.2). */
function grouped(display: Display): Display {
  return {
    ...display,
    value: (value) => (typeof value === 'number' ? inGroups(display.value(value)) : display.value(value)),
    reading: (value) =>
      typeof value === 'number' ? inGroups(display.reading(value)) : display.reading(value),
  };
}

const THIN = '\u202f';

function inGroups(text: string): string {
  return text.replace(/^-?\d{5,}(?=\.|$| )/, (whole) => whole.replace(/\B(?=(\d{3})+$)/g, THIN));
}
