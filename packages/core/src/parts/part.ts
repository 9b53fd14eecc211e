import type { Datastream } from '../readings/types';

/** One step of talking to a part over I²C; what is read is put behind what was read before. */
export type BusStep = { write: readonly number[] } | { waitMs: number } | { read: number };

/** How bytes come from a part. */
export type Bus =
  /** Forty bits on one data wire; the last byte is the sum of the four before. */
  | { sort: 'data-wire' }
  /** The nine bytes of a probe on a one-wire bus, several on one pin; the last is their CRC. */
  | { sort: 'one-wire' }
  | { sort: 'i2c'; address: number; steps: readonly BusStep[] }
  | { sort: 'spi'; count: number }
  /** A frame that begins with `head`, after `ask` where the part speaks only when asked. Its sum: see `sumIsRight`. */
  | {
      sort: 'serial';
      speed: number;
      ask?: readonly number[];
      head: readonly number[];
      count: number;
      sum: FrameSum;
    }
  /** Twenty-four bits of a bridge amplifier, clocked out. */
  | { sort: 'clocked' };

/** How the end of a frame says that it came whole. */
export type FrameSum =
  /** Last byte: all before, added. */
  | 'sum'
  /** Last two bytes: all before, added. */
  | 'sum-16'
  /** Last byte: all but the first, added, from 256. */
  | 'negated';

/** What is worked out on the way to a value, by name: one after the other. */
export type Steps = readonly (readonly [name: string, expression: string])[];

/**
 * How a program reads or drives a part. What makes a value of what was read is an expression that C++, Python and JavaScript
 * understand alike; it is the one place where that is written. It may use `log`, `sqrt`, `u16(high, low)` and `s16(high, low)`.
 */
export type PartWay =
  /** A voltage on an analogue pin: `value` is worked out from `share`, 0 to 1 of the supply. */
  | { sort: 'analogue'; value: string }
  /** An alternating voltage on an analogue pin around half the supply: from `share`, its true RMS over a fifth of a second. */
  | { sort: 'alternating'; value: string }
  /** A level on a pin; `closed` where a contact closes to ground and reads low. */
  | { sort: 'level'; closed: boolean }
  /** Pulses on a pin since the last report; `value` is worked out from `pulses` and `seconds`. */
  | { sort: 'pulses'; value: string }
  /** The time an echo takes: `value` is worked out from `us`, microseconds there and back. */
  | { sort: 'echo'; value: string }
  /** Bytes that a part sends: `value` is worked out from `b`, a list of them. */
  | { sort: 'bytes'; from: Bus; steps: Steps; value: string }
  /** Sentences of a position receiver, as text (NMEA 0183). */
  | { sort: 'position'; speed: number }
  /** The strength of the radio signal, told by the board itself. */
  | { sort: 'signal' }
  /** A pin that is on or off. */
  | { sort: 'switch' }
  /** Two pins: a pulse on the one for on, on the other for off. */
  | { sort: 'latch' }
  /** A pin whose share of time is set, from 0 to 100 %. */
  | { sort: 'dim' }
  /** A lever that is turned to an angle. */
  | { sort: 'angle' }
  /** A motor that is turned to a place, a pulse a step. */
  | { sort: 'steps' }
  /** Lights in a row, all in one colour. */
  | { sort: 'lights'; count: number }
  /** A display of two lines of sixteen characters, or of pixels, for one text. */
  | { sort: 'display'; of: 'characters' | 'pixels' };

type PartStream = Pick<Datastream, 'type' | 'unit' | 'min' | 'max' | 'decimals' | 'direction'>;

export type KernelFile = readonly [pattern: string, factor: number, add?: number];

/** One thing that a part tells or takes. */
export interface Measure {
  key: string;
  title: string;
  stream: PartStream;
  way: PartWay;
  /** When what was read looks like a loose wire: an expression in `value` and what the value is made from. */
  loose: string | null;
  /** The file of a small computer's kernel that says it, as a pattern; by what its number is multiplied, and what is added. */
  kernel: KernelFile | null;
}

/** A common sensor or output part, by what it does and how it is wired, not by who makes it. */
export interface Module {
  key: string;
  title: string;
  /** More words by which it is looked for. */
  words: string;
  /** How common it is among what is found by a word: the least first. */
  rank: number;
  /** Seconds between two readings at the least: the part needs them to settle. */
  shortestS: number;
  /** The pins of the board that starters take unless told otherwise. */
  pins: readonly number[];
  /** Where others may be on the same pins: a bus. */
  shared: boolean;
  /** What is wired to what; `{pin}`, `{pin2}` and `{pin3}` are pins of the board. */
  wiring: readonly (readonly [part: string, board: string])[];
  /** What a loose wire looks like, in words; empty where nothing tells it. */
  looseWords: string;
  measures: readonly Measure[];
  /** Datastreams that are worked out from it; `{key}` stands for the key of a measure. */
  computed: readonly Computed[];
  /** What nobody has tried on a board yet. */
  untried: boolean;
  /** What it moves or heats can hurt: people are asked before anything is sent to it. */
  dangerous: boolean;
}

/** A datastream that is worked out from what a part measures. */
export interface Computed {
  key: string;
  title: string;
  unit: string | null;
  decimals: number;
  computation: NonNullable<Datastream['computation']>;
}

/** One measure of a module, as a datastream names it. */
export interface Part {
  key: string;
  title: string;
  words: string;
  stream: PartStream;
  shortestS: number;
  way: PartWay;
  module: Module;
  measure: Measure;
}

export const reads = (
  type: Datastream['type'],
  unit: string | null = null,
  min: number | null = null,
  max: number | null = null,
  decimals: number | null = null,
): PartStream => ({ type, unit, min, max, decimals, direction: 'report' });
export const obeys = (
  type: Datastream['type'],
  unit: string | null = null,
  min: number | null = null,
  max: number | null = null,
): PartStream => ({ type, unit, min, max, decimals: null, direction: 'control' });

/** A measure; what it is read by is said once for a module of several. */
export function measure(
  key: string,
  title: string,
  stream: PartStream,
  way: PartWay,
  more: Partial<Pick<Measure, 'loose' | 'kernel'>> = {},
): Measure {
  return { key, title, stream, way, loose: null, kernel: null, ...more };
}

type Needed = 'key' | 'title' | 'words' | 'pins' | 'wiring' | 'measures';
/** A module with what most have. */
export function moduleOf(given: Pick<Module, Needed> & Partial<Module>): Module {
  return {
    rank: 50,
    shortestS: 1,
    shared: false,
    looseWords: '',
    computed: [],
    untried: true,
    dangerous: false,
    ...given,
  };
}

/** A part that tells or takes one thing: its measure has its own name. */
export function single(
  given: Omit<Parameters<typeof moduleOf>[0], 'measures'> & {
    stream: PartStream;
    way: PartWay;
    loose?: string;
    kernel?: Measure['kernel'];
    /** What the datastream is called; the part's own title unless told. */
    as?: string;
  },
): Module {
  const { stream, way, loose = null, kernel = null, as = given.title, ...rest } = given;
  return moduleOf({ ...rest, measures: [measure('', as, stream, way, { loose, kernel })] });
}

/** Wiring that many parts share. */
export const WIRES = {
  divider: [
    ['one leg', '3.3 V'],
    ['other leg', 'GPIO {pin}'],
    ['10 kΩ from GPIO {pin}', 'GND'],
  ],
  three: [
    ['supply', '3.3 V'],
    ['ground', 'GND'],
    ['signal', 'GPIO {pin}'],
  ],
  contact: [
    ['one side', 'GPIO {pin}'],
    ['other side', 'GND'],
  ],
  output: [
    ['input', 'GPIO {pin}'],
    ['supply', '5 V'],
    ['ground', 'GND'],
  ],
  i2c: [
    ['supply', '3.3 V'],
    ['ground', 'GND'],
    ['SDA', 'GPIO {pin}'],
    ['SCL', 'GPIO {pin2}'],
  ],
  serial: [
    ['supply', '5 V'],
    ['ground', 'GND'],
    ['TX of the part', 'GPIO {pin}'],
    ['RX of the part', 'GPIO {pin2}'],
  ],
} as const satisfies Record<string, Module['wiring']>;

export const I2C = { pins: [21, 22], shared: true, wiring: WIRES.i2c } as const;
export const SERIAL = { pins: [16, 17], wiring: WIRES.serial } as const;
/** What a divider at an open or shorted wire gives. */
export const ENDS = 'share < 0.02 || share > 0.98';
