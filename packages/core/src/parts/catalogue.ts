import { proposeKey } from '../readings/names';
import { PLAIN_STREAM } from '../readings/guess';
import type { Datastream } from '../readings/types';
import { AIR } from './air';
import { ELECTRIC } from './electric';
import { GROUND } from './ground';
import { LIGHT } from './light';
import { OUTPUTS } from './outputs';
import type { Module, Part } from './part';
import { PULSES } from './pulses';
import { WARMTH } from './warmth';

/** The modules there are: things a maker buys and wires. Ranges are what they can say at all: outside of it, a wire is loose. */
export const MODULES: readonly Module[] = [
  ...WARMTH,
  ...AIR,
  ...LIGHT,
  ...ELECTRIC,
  ...GROUND,
  ...PULSES,
  ...OUTPUTS,
];

/** All that they measure and take: what a datastream names as its part. */
export const PARTS: readonly Part[] = MODULES.flatMap((module) =>
  module.measures.map((measure): Part => {
    const alone = measure.key === '';
    const { words, shortestS } = module;
    return {
      key: alone ? module.key : `${module.key}.${measure.key}`,
      title: alone ? module.title : `${module.title}: ${measure.title}`,
      words,
      stream: measure.stream,
      shortestS,
      way: measure.way,
      module,
      measure,
    };
  }),
);

export function partOf(key: string | null): Part | undefined {
  return key === null ? undefined : PARTS.find((one) => one.key === key);
}

/** Parts in whose title or words all of these words begin a word, the commonest first. */
export function findModules(text: string): Module[] {
  const wanted = text.toLowerCase().split(/\s+/).filter(Boolean);
  return MODULES.filter((module) => {
    const words = [module.title, module.words, ...module.measures.map(({ title }) => title)]
      .join(' ')
      .toLowerCase()
      .split(/[\s,:;/()-]+/);
    return wanted.every((one) => words.some((word) => word.startsWith(one)));
  }).sort((a, b) => a.rank - b.rank);
}

/** What a datastream becomes when a part is chosen for it. */
export function withPart(one: Part, pins: readonly number[] = one.module.pins): Partial<Datastream> {
  return { ...one.stream, part: one.key, boardPin: pinText(pins), asks: one.module.dangerous };
}

const pinText = (pins: readonly number[]): string => (pins.length === 0 ? '' : `GPIO ${pins.join(', ')}`);

/** The numbers of the board's pins that a note such as "GPIO 21, 22" names; those of the part where it names none. */
export function pinsOf({ module }: Part, boardPin: string): number[] {
  const named = (boardPin.match(/\d+/g) ?? []).map(Number);
  return module.pins.map((pin, i) => named[i] ?? pin);
}

/** Pins to be given to parts, those that only read a voltage apart from the others; by the commonest boards. */
const ANALOGUE_PINS = [34, 35, 32, 33, 36, 39];
const FREE_PINS = [27, 26, 25, 14, 13, 4, 23, 15, 12, 2];

/**
 * Datastreams for parts that are put on one board: names, units, ranges and pins filled in, with what is worked out from
 * them. No two have one key, and no two parts one pin, but where they share a bus. `zone` is where days begin.
 */
export function streamsOfModules(
  modules: readonly Module[],
  zone: string,
  there: readonly Pick<Datastream, 'key' | 'title' | 'boardPin' | 'part'>[] = [],
): Datastream[] {
  const keys = new Set(there.map(({ key }) => key));
  const pins = new Set(
    there.flatMap(({ part, boardPin }) => {
      const one = partOf(part);
      return one === undefined ? [] : pinsOf(one, boardPin);
    }),
  );
  const made: Datastream[] = [];
  for (const module of modules) {
    const analogue = module.measures.some(({ way }) => way.sort === 'analogue' || way.sort === 'alternating');
    const own = module.pins.map((pin) => {
      const free = [pin, ...(analogue ? ANALOGUE_PINS : FREE_PINS)].find((one) => !pins.has(one));
      const given = module.shared ? pin : (free ?? pin);
      pins.add(given);
      return given;
    });
    const named = new Map<string, string>();
    // Where there is one of its title already, this one is the second.
    const name = (title: string): { key: string; title: string } => {
      for (let i = 1; ; i++) {
        const numbered = i === 1 ? title : `${title} ${i}`;
        const key = proposeKey(numbered);
        if (keys.has(key)) continue;
        keys.add(key);
        return { key, title: numbered };
      }
    };
    for (const one of PARTS.filter((part) => part.module === module)) {
      const { key, title } = name(one.measure.title);
      named.set(one.measure.key, key);
      made.push({ ...PLAIN_STREAM, ...withPart(one, own), key, title });
    }
    for (const { key: short, title: plain, unit, decimals, computation } of module.computed) {
      const { key, title } = name(plain);
      named.set(short, key);
      const filled = JSON.parse(
        JSON.stringify(computation).replace(/\{(\w+)\}/g, (_, of: string) => named.get(of) ?? of),
      ) as typeof computation;
      made.push({
        ...PLAIN_STREAM,
        key,
        title,
        unit,
        decimals,
        computation: 'zone' in filled ? { ...filled, zone } : filled,
      });
    }
  }
  return made;
}

/** What is wired to what, a block a part: datastreams of one part and the same pins stand together. */
export interface Wired {
  /** Titles of the datastreams. */
  title: string;
  part: string;
  lines: [part: string, board: string][];
  looseWords: string;
  untried: boolean;
}

export function wiringOf(
  streams: readonly Pick<Datastream, 'key' | 'title' | 'part' | 'boardPin'>[],
): Wired[] {
  const blocks = new Map<string, Wired>();
  for (const stream of streams) {
    const one = partOf(stream.part);
    if (one === undefined || one.module.wiring.length === 0) continue;
    const { module } = one;
    const pins = pinsOf(one, stream.boardPin);
    const several = module.measures.length > 1;
    const id = several ? `${module.key} ${pins.join()}` : stream.key;
    const known = blocks.get(id);
    if (known !== undefined) {
      known.title += `, ${stream.title}`;
      continue;
    }
    const fill = (text: string): string =>
      text.replace(/\{pin(\d?)\}/g, (_, place: string) => String(pins[Number(place || '1') - 1]));
    blocks.set(id, {
      title: stream.title,
      part: module.title,
      lines: module.wiring.map(([from, to]): [string, string] => [fill(from), fill(to)]),
      looseWords: module.looseWords,
      untried: module.untried,
    });
  }
  return [...blocks.values()];
}
