import { counted } from '../words';
import type { Computation } from '../readings/computation';

/** How a datastream is computed, in words. */
export function describeComputation(computation: Computation): string {
  switch (computation.form) {
    case 'formula':
      return `= ${computation.formula}`;
    case 'integral':
      return `${computation.of} × time in ${spanWords(computation.perS)}${each(computation.restarts)}`;
    case 'change':
      return `change of ${computation.of}`;
    case 'rate':
      return `change of ${computation.of} in ${spanWords(computation.perS)}`;
    case 'counter':
      return `what ${computation.of} has counted${each(computation.restarts)}`;
    case 'sum':
      return `sum of ${computation.of}${each(computation.restarts)}`;
    case 'moving':
      return `${{ mean: 'mean', min: 'least', max: 'greatest' }[computation.take]} ${computation.of} of the last ${spanWords(computation.overS)}`;
  }
}

const each = (restarts: string): string => (restarts === 'never' ? '' : `, each ${restarts}`);

/** A length of time in seconds as people say it. */
export function spanWords(seconds: number): string {
  for (const [size, word] of [
    [86_400, 'day'],
    [3600, 'hour'],
    [60, 'minute'],
    [1, 'second'],
  ] as const)
    if (seconds >= size && seconds % size === 0)
      return seconds === size ? word : `${seconds / size} ${word}s`;
  return counted(seconds, 'second');
}
