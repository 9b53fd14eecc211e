import { partOf, pinsOf, type PartWay } from '../../parts/index';
import type { Datastream } from '../../readings/types';
import { bytes, position } from './bytes';
import { echo, level, pulses, signal } from './levels';
import { angle, dim, display, latch, lights, steps, switched } from './outputs';
import { alternating, analogue } from './voltages';
import type { CppCode, PythonCode, Way, Wish } from './way';

export type { CppCode, PythonCode } from './way';

const WAYS: { [S in PartWay['sort']]: Way<Extract<PartWay, { sort: S }>> } = {
  analogue,
  alternating,
  level,
  pulses,
  echo,
  bytes,
  position,
  signal,
  switch: switched,
  latch,
  dim,
  angle,
  steps,
  lights,
  display,
};

/** What of its parts each datastream asks of a program; null where it has none, or one that goes the other way. */
function wishesOf(streams: readonly Datastream[]): (Wish | null)[] {
  const seen = new Map<string, number>();
  return streams.map((stream, place) => {
    const part = partOf(stream.part);
    if (part === undefined || (part.stream.direction === 'control') !== (stream.direction === 'control'))
      return null;
    const pins = pinsOf(part, stream.boardPin);
    const id = `${part.key} ${pins.join()}`;
    const next = (name: string): number => {
      const count = seen.get(name) ?? 0;
      seen.set(name, count + 1);
      return count;
    };
    const which = part.module.shared ? next(id) : 0;
    const whichFile = part.measure.kernel === null ? 0 : next(part.measure.kernel[0]);
    return { part, pins, key: stream.key, place, which, whichFile };
  });
}

/** Code of each datastream, in their order. */
function codesOf<C>(
  streams: readonly Datastream[],
  make: (way: Way<PartWay>, wish: Wish) => Partial<C> | null,
  empty: C,
): (C | null)[] {
  return wishesOf(streams).map((wish) => {
    if (wish === null) return null;
    const code = make(WAYS[wish.part.way.sort] as Way<PartWay>, wish);
    return code === null ? null : { ...empty, ...code };
  });
}

const NO_CPP: CppCode = { includes: [], libraries: [], support: [], beside: [], setup: [], lines: [] };
const NO_PYTHON: PythonCode = { imports: [], support: [], beside: [], lines: [] };

export const cppCodes = (streams: readonly Datastream[]): (CppCode | null)[] =>
  codesOf(streams, (way, wish) => way.cpp(wish.part.way, wish), NO_CPP);
/** On a board with MicroPython. */
export const microPythonCodes = (streams: readonly Datastream[]): (PythonCode | null)[] =>
  codesOf(streams, (way, wish) => way.microPython(wish.part.way, wish), NO_PYTHON);
/** On a small computer: by gpiozero, its kernel's drivers, and its serial line. */
export const computerCodes = (streams: readonly Datastream[]): (PythonCode | null)[] =>
  codesOf(streams, (way, wish) => way.computer(wish.part.way, wish), NO_PYTHON);

/** Files of the kernel by which a program without libraries reads a part, and which of several. */
export function kernelFiles(
  streams: readonly Datastream[],
): ({ pattern: string; factor: number; add: number; which: number } | null)[] {
  return wishesOf(streams).map((wish) => {
    if (!wish?.part.measure.kernel) return null;
    const [pattern, factor, add = 0] = wish.part.measure.kernel;
    return { pattern, factor, add, which: wish.whichFile };
  });
}
