import { useMemo } from 'react';
import { displayOf, type Datastream, type Display } from '@peatmoor/core';
import { useRead } from '../api';
import { dates } from './time';

type Shown = Pick<Datastream, 'type' | 'unit' | 'decimals'> & { choices?: readonly string[] };

/** Tells how a datastream is shown in the units and with the decimal sign of whoever is signed in. */
export function useDisplay(): (stream: Shown) => Display {
  const { units, language } = useRead('me').data?.user ?? {};
  return useMemo(
    () => (stream: Shown) => written(displayOf(stream, units ?? 'metric'), stream),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- how numbers are written goes by the language
    [units, language],
  );
}

/** Numbers as whoever looks writes them; what stands for something else, as a choice or a colour, stays as it is. */
function written(display: Display, { type }: Shown): Display {
  const { figure } = dates();
  if (type === 'boolean')
    return {
      ...display,
      mean: (value) => figure(display.mean(value)),
      sum: (shown) => figure(display.sum(shown)),
    };
  if (type !== 'number' && type !== 'integer') return display;
  return {
    ...display,
    value: (value) => figure(display.value(value)),
    reading: (value) => figure(display.reading(value)),
    mean: (value) => figure(display.mean(value)),
    sum: (shown) => figure(display.sum(shown)),
  };
}
