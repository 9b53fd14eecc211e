import { useMemo } from 'react';
import { displayOf, type Datastream, type Display } from '@peatmoor/core';
import { useRead } from '../api';

type Shown = Pick<Datastream, 'type' | 'unit' | 'decimals'> & { choices?: readonly string[] };

/** Tells how a datastream is shown in the units of whoever is signed in. */
export function useDisplay(): (stream: Shown) => Display {
  const units = useRead('me').data?.user.units ?? 'metric';
  return useMemo(() => (stream: Shown) => displayOf(stream, units), [units]);
}
