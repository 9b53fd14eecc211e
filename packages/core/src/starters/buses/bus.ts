import type { Bus } from '../../parts/index';
import type { CppCode, PythonCode, Wish } from '../ways/way';

/** How bytes come over a bus, in each language. */
export interface BusCode<B extends Bus> {
  count: (bus: B) => number;
  /** `read`: an expression that fills `buffer` and is true where that went well. */
  cpp: (bus: B, wish: Wish, buffer: string) => Partial<CppCode> & { read: string };
  /** `read`: an expression that gives the bytes, or None. */
  microPython: (bus: B, wish: Wish) => Partial<PythonCode> & { read: string };
  /** Where no driver of the kernel says the value; null where the bus cannot be had. */
  computer: (bus: B, wish: Wish) => (Partial<PythonCode> & { read: string }) | null;
}
export type Of<S extends Bus['sort']> = Extract<Bus, { sort: S }>;

export const hex = (bytes: readonly number[]): string =>
  bytes.map((byte) => `0x${byte.toString(16).toUpperCase().padStart(2, '0')}`).join(', ');
