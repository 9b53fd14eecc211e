import type { Part, PartWay } from '../../parts/index';
import { pascal } from '../plan';

/** A part on a board, and the datastream that it serves. */
export interface Wish {
  part: Part;
  /** Pins of the board, in the order of the part's wiring. */
  pins: number[];
  /** Key of the datastream. */
  key: string;
  /** Place of the datastream among those of the board. */
  place: number;
  /** Which of several of the same part on the same pins: 0, 1 … */
  which: number;
  /** Which of several that the kernel says in files of the same name. */
  whichFile: number;
}

/** What a part needs in a C++ program. Lines of the same text are written once. */
export interface CppCode {
  includes: string[];
  /** Libraries of the board's tool chain, pinned. */
  libraries: string[];
  /** Functions that several parts use. */
  support: string[];
  /** What stands beside the function. */
  beside: string[];
  setup: string[];
  /** Lines of the function; an output's knows `value`. */
  lines: string[];
}

/** What a part needs in a Python program. */
export interface PythonCode {
  imports: string[];
  support: string[];
  beside: string[];
  lines: string[];
}

/** How a part of one way is read or driven, in each language; null where a computer of that sort cannot. */
export interface Way<W extends PartWay> {
  cpp: (way: W, wish: Wish) => Partial<CppCode>;
  microPython: (way: W, wish: Wish) => Partial<PythonCode>;
  computer: (way: W, wish: Wish) => Partial<PythonCode> | null;
}

/** An expression of the catalogue in Python. */
export function python(expression: string): string {
  return expression
    .replaceAll('&&', 'and')
    .replaceAll('||', 'or')
    .replace(/\b(log|sqrt)\(/g, 'math.$1(');
}

/** Lines that give a value, or nothing with a word where it looks like a loose wire. */
export function cppValue({ part, key }: Wish, value: string): string[] {
  const { loose } = part.measure;
  if (loose === null) return [`return ${value};`];
  return [
    `double value = ${value};`,
    `if (${loose}) return nothing("${key}", "this looks like a loose wire");`,
    'return value;',
  ];
}
export function pythonValue({ part, key }: Wish, value: string): string[] {
  const { loose } = part.measure;
  if (loose === null) return [`return ${python(value)}`];
  return [
    `value = ${python(value)}`,
    `if ${python(loose)}:`,
    `    return nothing("${key}", "this looks like a loose wire")`,
    'return value',
  ];
}

/** Functions of whole numbers that expressions use, where they do. */
export function cppNumbers(...expressions: string[]): string[] {
  const used = (name: string): boolean => expressions.some((one) => one.includes(`${name}(`));
  return [
    ...(used('u16')
      ? ['double u16(int high, int low) { return (uint16_t)((high & 255) << 8 | (low & 255)); }\n']
      : []),
    ...(used('s16')
      ? ['double s16(int high, int low) { return (int16_t)((high & 255) << 8 | (low & 255)); }\n']
      : []),
  ];
}
export function pythonNumbers(...expressions: string[]): string[] {
  const used = (name: string): boolean => expressions.some((one) => one.includes(`${name}(`));
  return [
    ...(used('u16') ? ['def u16(high, low):\n    return high << 8 | low\n'] : []),
    ...(used('s16')
      ? [
          'def s16(high, low):\n    both = high << 8 | low\n    return both - 65536 if both > 32767 else both\n',
        ]
      : []),
  ];
}

/** Lines on a small computer that read a file of the kernel; null where no driver says it. */
export function kernelCode({ part: { measure }, key, whichFile }: Wish): Partial<PythonCode> | null {
  if (measure.kernel === null) return null;
  const [pattern, factor, add = 0] = measure.kernel;
  // The kernel's driver has the bytes; a loose wire is told where the value alone tells it.
  const loose =
    measure.loose === null || /\bb\[|\braw\b|\bshare\b/.test(measure.loose) ? null : measure.loose;
  return {
    imports: ['glob'],
    support: [PYTHON_KERNEL],
    lines: [
      `value = kernel("${pattern}", ${factor}, ${add}, ${whichFile})`,
      'if value is None:',
      `    return nothing("${key}", "the kernel has no such part; is its driver loaded?")`,
      ...(loose === null
        ? []
        : [`if ${python(loose)}:`, `    return nothing("${key}", "this looks like a loose wire")`]),
      'return value',
    ],
  };
}

const PYTHON_KERNEL = `def kernel(pattern, factor, add, which):
    """A number that the kernel's driver of a part says, the first of its sort or a later one; None where there is none."""
    try:
        with open(sorted(glob.glob(pattern))[which]) as file:
            return float(file.read()) * factor + add
    except (IndexError, OSError, ValueError):
        return None
`;

/** The name of what belongs to a part on its pins, whatever datastreams it serves. */
export function placeName({ part, pins, which }: Wish): string {
  return `${part.module.key.replaceAll('-', '_')}_${pins.join('_')}${which === 0 ? '' : `_${which + 1}`}`;
}
export const PlaceName = (wish: Wish): string => pascal(placeName(wish));
